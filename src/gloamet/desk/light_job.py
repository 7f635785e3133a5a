"""Small pictures of many lights, made beside the window: sweeps, looks and suggestions, with progress and stop.

A session and documents enter; pictures leave as signals, one by one. The picture itself waits meanwhile.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from gloamet.desk.session import Session
from gloamet.document.model import Document
from gloamet.errors import GloametError

WIDTH = 320


class LightJob(QObject):
    """One batch at a time; a newer one stops the one before."""

    made = Signal(int, object)  # index, a SmallPicture
    suggested = Signal(object)  # a list of Suggestion
    progressed = Signal(float)
    ended = Signal(str)  # a sentence, "" when all is well

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._table: tuple[tuple[object, ...], Any] | None = None

    @property
    def running(self) -> bool:
        """Whether a batch is being made."""
        return self._thread is not None and self._thread.is_alive()

    def pictures(self, documents: list[Document], width: int = WIDTH) -> None:
        """Small pictures of documents, in order."""

        def work(table: Any) -> None:
            for index, document in enumerate(documents):
                made = table.picture(document)
                if made is None or self._stop.is_set():
                    return
                self.made.emit(index, made)
                self.progressed.emit((index + 1) / len(documents))

        self._start(work, width)

    def suggest(self, number: int, width: int = WIDTH) -> None:
        """Lights for the view of now."""
        document = self.session.document

        def work(table: Any) -> None:
            from gloamet.preview.suggest import suggest

            found = suggest(document, table, number, self.progressed.emit)
            if not self._stop.is_set():
                self.suggested.emit(found)

        self._start(work, width)

    def stop(self) -> None:
        """Stop, and wait for it."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def _start(self, work: Callable[[Any], None], width: int) -> None:
        self.stop()
        session, compiled = self.session, self.session.compiled
        if compiled is None:
            self.ended.emit("There is no model to light yet: open one.")
            return
        self._stop.clear()
        document = session.document
        out = document.output
        size = (width, max(16, round(width * out.height / out.width)))
        session.pause_rendering(True)

        def run() -> None:
            said = ""
            try:
                table = self._laid_out(document, compiled, size)
                if not self._stop.is_set():
                    work(table)
            except GloametError as error:
                said = str(error)
            except Exception as error:  # the desk must live on
                said = f"The small pictures could not be made ({error}): change anything and try again."
            self.ended.emit(said)

        self._thread = threading.Thread(target=run, name="lights", daemon=True)
        self._thread.start()

    def _laid_out(self, document: Document, compiled: Any, size: tuple[int, int]) -> Any:
        """The stage ready to be lit, the one before where it is the same."""
        from gloamet.preview.light_table import LightTable
        from gloamet.trace.film import Renderer

        key = (compiled, document.stage, size)
        if self._table is None or self._table[0] != key:
            self._table = None
            table = LightTable(document, compiled, size, Renderer(), self._stop.is_set)
            if self._stop.is_set():
                return table
            self._table = (key, table)
        return self._table[1]
