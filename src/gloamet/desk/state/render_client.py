# SPDX-License-Identifier: Apache-2.0
"""The interface's side of the worker: requests, and answers as Qt signals on the main thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from gloamet.document.model import Document
from gloamet.preview.events import Busy, Preparing
from gloamet.preview.preparation import KernelPreparation
from gloamet.preview.requests import PlanRequest
from gloamet.preview.worker import RenderWorker


class RenderClient(QObject):
    """One worker, with at most one request per turn of the event loop."""

    reported = Signal(object)  # an event of `preview.events`
    busy = Signal(str)
    preparing = Signal(float, float)  # fraction done and seconds left until rays can be traced

    def __init__(self, document: Document, preparation: KernelPreparation | None = None) -> None:
        super().__init__()
        self._document = document
        self.prepared = True  # whether rays can be traced
        self.size = (640, 400)
        self.stopped = False
        self.plan: PlanRequest | None = None
        self.held_ev: float | None = None  # where an automatic exposure stays
        self.inspect = ""  # another way to look at the picture
        self._paused = False
        self._reload_count = 0
        self._beside: Callable[[Document], Document] | None = None
        self._preview: Document | None = None  # that is shown instead of the session's
        self._worker = RenderWorker(self.reported.emit, preparation)
        self.reported.connect(self._on_reported)
        self._soon = QTimer(self, interval=0, singleShot=True)
        self._soon.timeout.connect(self.ask_now)

    def show(self, document: Document) -> None:
        """Ask for a document as soon as the interface has a moment."""
        self._document = document
        self._soon.start()

    def ask(self) -> None:
        """Ask for the same document again, as soon as the interface has a moment."""
        self._soon.start()

    def ask_now(self) -> None:
        """Ask for the document."""
        stopped, document = self.stopped or self._paused, self._preview or self._document
        beside = self._beside(document) if self._beside is not None else None
        if beside == document:
            beside = None
        self._worker.request(
            document,
            *self.size,
            stopped,
            self.plan,
            self._reload_count,
            beside,
            self.held_ev,
            self.inspect,
        )

    @property
    def previewing(self) -> bool:
        """Whether another document than the session's is shown."""
        return self._preview is not None

    @property
    def previewed(self) -> Document | None:
        """The document that is shown in place of the session's."""
        return self._preview

    def preview(self, document: Document | None) -> None:
        """Show another document from now on, None for the session's; panels and history keep to the session's."""
        if document is not self._preview:
            self._preview = document
            self.ask()

    def hold_ev(self, ev: float | None) -> None:
        """Let an automatic exposure stay at an EV from now on, None for the meter's."""
        if ev != self.held_ev:
            self.held_ev = ev
            self.ask()

    def resize(self, width: int, height: int) -> None:
        """The picture's size on screen, device pixels."""
        if (width, height) != self.size:
            self.size = (width, height)
            self.ask()

    def stop(self, on: bool) -> None:
        """Stop refining and keep the picture as it is, or go on."""
        self.stopped = on
        self.ask_now()

    def pause(self, on: bool) -> None:
        """Leave the picture unrefined while something else needs all the rays."""
        if on != self._paused:
            self._paused = on
            self.ask()

    def show_plan(self, plan: PlanRequest | None) -> None:
        """Start or stop rendering a plan beside the picture."""
        if plan != self.plan:
            self.plan = plan
            self.ask()

    def show_beside(self, made: Callable[[Document], Document] | None) -> None:
        """Show the picture under another light too from now on, made from the document, or no longer."""
        self._beside = made
        self.ask()

    def inspect_as(self, way: str) -> None:
        """Look at the picture another way from now on: as `RenderRequest.inspect` says."""
        if way != self.inspect:
            self.inspect = way
            self.ask()

    def reload(self) -> None:
        """Read the model's file again."""
        self._reload_count += 1
        self.ask_now()

    def stop_loading(self) -> None:
        """Give up the model that is being opened."""
        self._worker.stop_loading()

    def _on_reported(self, event: Any) -> None:
        if isinstance(event, Busy):
            self.busy.emit(event.text)
        elif isinstance(event, Preparing):
            self.prepared = event.fraction >= 1.0
            self.preparing.emit(event.fraction, event.seconds_left)

    def close(self) -> None:
        """End the worker."""
        self._soon.stop()
        self._worker.close()
