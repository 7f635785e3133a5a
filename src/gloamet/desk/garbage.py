# SPDX-License-Identifier: Apache-2.0
"""Garbage collection on the main thread only.

Python collects in whichever thread happens to allocate, and a Qt object that dies in a thread that traces rays may end
the program. While a `GarbageCollector` lives, none is collected but from its timer.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtGui import QGuiApplication

EVERY_MS = 500
FULL = (
    2  # the generation that holds everything old: a quarter of a second beside busy threads, with a demo open
)


class GarbageCollector(QObject):
    """Collects now and then, everything only while no button is held; `close` leaves collecting to Python again."""

    def __init__(self) -> None:
        super().__init__()
        gc.disable()
        self._timer = QTimer(self, interval=EVERY_MS)
        self._timer.timeout.connect(self._on_timeout)
        self._timer.start()

    def _on_timeout(self) -> None:
        due = [
            g
            for g, (count, most) in enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True))
            if count > most
        ]
        if FULL in due and QGuiApplication.mouseButtons() != Qt.MouseButton.NoButton:
            due.remove(FULL)
        if due:
            gc.collect(due[-1])

    def close(self) -> None:
        """Collect no longer."""
        self._timer.stop()
        gc.enable()
