# SPDX-License-Identifier: Apache-2.0
"""The one exception that an artist may see: a sentence with what, where and the remedy.

Core functions raise it for bad input; the command line prints it and exits with 2, the desk shows it in
its quiet bar.
"""

from __future__ import annotations


class GloametError(Exception):
    """Bad input or a failed operation, told in one clear sentence."""
