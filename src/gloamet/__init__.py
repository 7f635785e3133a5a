"""Gloamet: a desk for daylight."""

__version__ = "0.1.0"
