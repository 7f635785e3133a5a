# SPDX-License-Identifier: Apache-2.0
"""Recent projects and models, in the user's settings."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QSettings

MOST = 8


def recent() -> list[Path]:
    """Newest first, those that still exist."""
    stored: Any = QSettings().value("recent", [])
    names = [stored] if isinstance(stored, str) else list(stored or [])
    return [Path(name) for name in names if Path(name).exists()]


def remember(path: Path) -> None:
    """Put a file at the head of the list."""
    names = [str(path), *(str(p) for p in recent() if p != path)]
    QSettings().setValue("recent", names[:MOST])
