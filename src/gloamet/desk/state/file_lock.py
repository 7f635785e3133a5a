# SPDX-License-Identifier: Apache-2.0
"""A lock file that one window holds while it is open."""

from __future__ import annotations

import fcntl
from pathlib import Path
from typing import IO


def locked(path: Path) -> IO[str] | None:
    """The lock file, open and held; None where another window holds it, or it cannot be made. Closing it lets it go."""
    try:
        file = open(path, "w")  # noqa: SIM115 - held as long as the window lives
    except OSError:
        return None
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.close()
        return None
    return file
