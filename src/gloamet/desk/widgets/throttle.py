# SPDX-License-Identifier: Apache-2.0
"""A throttle: runs a function at once, then at a limited rate while the sun is dragged.

What was asked for meanwhile is done once when the time is over, so that the last word is always drawn.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer


class Throttle(QObject):
    """`ask` calls `act`, at most every `milliseconds`."""

    def __init__(self, parent: QObject, milliseconds: int, act: Callable[[], object]) -> None:
        super().__init__(parent)
        self._act, self._again = act, False
        self._timer = QTimer(self, interval=milliseconds, singleShot=True)
        self._timer.timeout.connect(self._over)

    def ask(self) -> None:
        """Do it now, or when the time since the last is over."""
        if self._timer.isActive():
            self._again = True
            return
        self._timer.start()
        self._act()

    def _over(self) -> None:
        if self._again:
            self._again = False
            self.ask()
