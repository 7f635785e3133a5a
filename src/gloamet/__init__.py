# SPDX-License-Identifier: Apache-2.0
"""Gloamet: a desk for daylight."""

from gloamet.kernelcache import choose_folder

__version__ = "0.2.0"

choose_folder()
