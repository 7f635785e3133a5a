# SPDX-License-Identifier: Apache-2.0
"""Atomic writing of files."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

from gloamet.errors import GloametError


def write_atomically(path: Path, write: Callable[[BinaryIO], Any]) -> None:
    """Write a temporary file and rename it over the target, so that a failed write keeps the old file.

    Parameters
    ----------
    path : Path
        The file.
    write : callable
        Writes its contents to an open binary file.

    Raises
    ------
    GloametError
        The file cannot be written.
    """
    temporary = None
    try:
        descriptor, temporary = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(descriptor, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644 if not path.exists() else path.stat().st_mode & 0o777)
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)
        reason = error.strerror or str(error)
        raise GloametError(
            f"{path.name} was not saved ({reason}): choose another folder or free some space."
        ) from None
