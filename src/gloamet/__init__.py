# SPDX-License-Identifier: Apache-2.0
"""Gloamet: physical sun, sky and exposure for architectural and product renders."""

from gloamet.kernelcache import choose_folder

__version__ = "0.2.0"

choose_folder()
