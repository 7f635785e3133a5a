# SPDX-License-Identifier: Apache-2.0
"""Keeps a widget up to date with a signal: at once while it can be seen, else once when it is shown.

A widget, a signal and what is to be done with its value enter. A hand that drags the sun changes the document dozens of
times a second, and most panels are hidden meanwhile.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QWidget


class _Follower(QObject):
    """Calls `act` with the signal's value; the last one that came while the widget was hidden waits until it is
    shown."""

    def __init__(self, widget: QWidget, signal: Any, act: Callable[[Any], object]) -> None:
        super().__init__(widget)
        self._widget, self._act = widget, act
        self._missed: tuple[Any, ...] = ()
        widget.installEventFilter(self)
        signal.connect(self._on_emitted)

    def _on_emitted(self, value: object) -> None:
        widget = self._widget
        # in a window that was never shown, nothing would ever come to be shown
        if not widget.isVisible() and widget.window().isVisible():
            self._missed = (value,)
        else:
            self._missed = ()
            self._act(value)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        """Catch up when the widget is shown."""
        if self._missed and event.type() == QEvent.Type.Show:
            (value,), self._missed = self._missed, ()
            self._act(value)
        return False


def follow(widget: QWidget, signal: Any, act: Callable[[Any], object]) -> None:
    """Call `act` with the values of a signal, once for all that come while the widget is hidden. Not for an `act`
    that shows the widget itself: it would never be called."""
    _Follower(widget, signal, act)
