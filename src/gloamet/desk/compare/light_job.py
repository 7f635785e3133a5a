# SPDX-License-Identifier: Apache-2.0
"""Thumbnails of many lights, computed in a thread: sweeps, looks and suggestions, with progress and stop.

Documents and who asks for them enter; pictures leave as signals, one by one, to whoever listens for that asker. The
picture itself waits meanwhile, the window never does.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from gloamet.desk.state.session import Session
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.thread_pool import new_pool

WIDTH = 320


class LightJob(QObject):
    """One batch at a time; a newer one has the one before stop, and begins when it has."""

    made = Signal(object, int, object)  # who asked, index, a LitThumbnail
    suggested = Signal(object, object)  # who asked, a list of Suggestion
    progressed = Signal(object, float)
    ended = Signal(object, str)  # who asked, a sentence, "" when all is well
    _finished = Signal(int, object, str)  # number of the batch, who asked, a message
    _told = Signal(int, object, object)  # number of the batch, signal, its words

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self._number = 0
        self._running = False
        self._stop = threading.Event()
        self._pool = new_pool("lights", 1)
        self._renderer: tuple[tuple[object, ...], Any] | None = None
        self._told.connect(self._on_told)
        self._finished.connect(self._on_finished)

    @property
    def running(self) -> bool:
        """Whether a batch is being made."""
        return self._running

    def pictures(self, owner: object, documents: list[Document], width: int = WIDTH) -> None:
        """Small pictures of documents, in order."""

        def work(renderer: Any, stop: threading.Event, tell: Callable[..., None]) -> None:
            for index, document in enumerate(documents):
                made = renderer.picture(document)
                if made is None or stop.is_set():
                    return
                tell(self.made, owner, index, made)
                tell(self.progressed, owner, (index + 1) / len(documents))

        self._start(owner, work, width)

    def suggest(self, owner: object, number: int, width: int = WIDTH) -> None:
        """Lights for the view of now."""
        document = self.session.document

        def work(renderer: Any, stop: threading.Event, tell: Callable[..., None]) -> None:
            from gloamet.preview.suggest import suggest

            found = suggest(
                document, renderer, number, lambda fraction: tell(self.progressed, owner, fraction)
            )
            if not stop.is_set():
                tell(self.suggested, owner, found)

        self._start(owner, work, width)

    def stop(self) -> None:
        """Stop as soon as it can."""
        self._stop.set()

    def close(self) -> None:
        """Stop, and wait for it."""
        self._stop.set()
        self._pool.shutdown()

    def _start(self, owner: object, work: Callable[..., None], width: int) -> None:
        self._stop.set()
        session, compiled = self.session, self.session.loaded.compiled
        if compiled is None:
            self.ended.emit(owner, "There is no model to light yet: open one.")
            return
        self._stop = stop = threading.Event()
        self._number += 1
        self._running = True
        document, number = session.document, self._number
        out = document.output
        size = (width, max(16, round(width * out.height / out.width)))
        session.render.pause(True)

        def tell(signal: object, *arguments: object) -> None:
            self._told.emit(number, signal, arguments)

        def run() -> None:
            message = ""
            try:
                renderer = self._laid_out(document, compiled, size, stop)
                if not stop.is_set():
                    work(renderer, stop, tell)
            except GloametError as error:
                message = str(error)
            except Exception as error:  # the desk must live on
                message = f"The thumbnails could not be rendered ({error}): change a setting and try again."
            self._finished.emit(number, owner, message)

        self._pool.submit(run)

    def _on_told(self, number: int, signal: Any, arguments: tuple[object, ...]) -> None:
        """What a batch says, unless a newer one has begun."""
        if number != self._number:
            return
        signal.emit(*arguments)

    def _on_finished(self, number: int, owner: object, message: str) -> None:
        """A batch has ended, unless a newer one has begun."""
        if number == self._number:
            self._running = False
            self.session.render.pause(False)
            self.ended.emit(owner, message)

    def _laid_out(
        self, document: Document, compiled: Any, size: tuple[int, int], stop: threading.Event
    ) -> Any:
        """The stage ready to be lit, the one before where it is the same."""
        from gloamet.preview.thumbnail_renderer import ThumbnailRenderer
        from gloamet.trace.film import Renderer

        key = (compiled, document.stage, size)
        if self._renderer is not None and self._renderer[0] == key:
            self._renderer[1].cancelled = stop.is_set
            return self._renderer[1]
        self._renderer = None
        renderer = ThumbnailRenderer(document, compiled, size, Renderer(), stop.is_set)
        if not stop.is_set():
            self._renderer = (key, renderer)
        return renderer
