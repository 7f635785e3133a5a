"""Gloamet: a desk for daylight."""

from gloamet.kernelcache import choose_folder

__version__ = "0.1.0"

choose_folder()
