"""Keeping the moment: pictures of a session kept beside its project, written off the interface's thread.

A session enters; the list of its kept pictures follows, and what could not be done as sentences.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from gloamet.desk.session import Session
from gloamet.document.differences import Difference, differences
from gloamet.document.model import Document
from gloamet.document.parts import with_parts
from gloamet.errors import GloametError
from gloamet.output.keeping import (
    Kept,
    Moment,
    discard,
    keep,
    kept_document,
    kept_folder,
    kept_pictures,
    mark,
    moved,
)


class Keeper(QObject):
    """The kept pictures of a session; `chosen` are the names picked in the strip, the last one first in mind."""

    changed = Signal()  # the list, or what is chosen
    _done = Signal(object, str)  # a list of pictures or None, and a sentence

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.pictures: list[Kept] = []
        self.chosen: list[str] = []
        self._folder = kept_folder(session.path, session.title)
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="keep")
        self._done.connect(self._on_done)
        session.file_changed.connect(self._on_file_changed)
        self._run(lambda: None)

    @property
    def folder(self) -> Path:
        """Where they are."""
        return self._folder

    def close(self) -> None:
        """Wait until everything is written."""
        self._pool.shutdown()

    def _run(self, work: Callable[[], Any]) -> None:
        """Do something with the folder and read it anew, on the thread."""
        folder = self._folder

        def job() -> None:
            said = ""
            try:
                work()
            except GloametError as error:
                said = str(error)
            pictures, broken = kept_pictures(folder)
            self._done.emit(pictures, said or (broken[0] if broken else ""))

        self._pool.submit(job)

    def _on_done(self, pictures: list[Kept], said: str) -> None:
        self.pictures = pictures
        names = {kept.name for kept in pictures}
        self.chosen = [name for name in self.chosen if name in names]
        if said:
            self.session.noticed.emit(said, "warning")
        self.changed.emit()

    def _on_file_changed(self) -> None:
        before, self._folder = self._folder, kept_folder(self.session.path, self.session.title)
        if before == self._folder:
            return
        unsaved = kept_folder(None, "").parent
        if self.session.path is not None and before.parent == unsaved:
            self._run(lambda: moved(before, self._folder))  # a project that was given its first file
        else:
            self._run(lambda: None)

    # -- keeping

    def keep_now(self) -> bool:
        """Keep what is shown; whether there was something."""
        frame = self.session.frame
        if frame is None or frame.light is None or frame.document is None:
            self.session.noticed.emit("There is no picture to keep yet.", "note")
            return False
        moment = Moment(
            frame.document,
            frame.pixels,
            np.ascontiguousarray(frame.light),
            frame.samples,
            frame.seconds,
            frame.ev,
        )
        folder, when = self._folder, datetime.now()
        self._run(lambda: keep(folder, moment, when))
        self.session.noticed.emit("Kept: it stands in the strip under the picture.", "note")
        return True

    # -- what can be done with them

    def named(self, name: str) -> Kept | None:
        """A kept picture by its name."""
        return next((kept for kept in self.pictures if kept.name == name), None)

    @property
    def current(self) -> Kept | None:
        """The picture chosen last."""
        return self.named(self.chosen[-1]) if self.chosen else None

    def choose(self, name: str, more: bool = False) -> None:
        """Choose a picture, beside those chosen before or alone; again takes it out."""
        if more and name in self.chosen:
            self.chosen.remove(name)
        else:
            self.chosen = [*(self.chosen if more else []), name][-6:]
        self.changed.emit()

    def document(self, kept: Kept) -> Document | None:
        """The settings of a picture; None, with a sentence, where they cannot be read."""
        try:
            return kept_document(kept)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
            return None

    def open(self, kept: Kept, parts: tuple[str, ...] = ()) -> None:
        """Its settings return, all or the parts named, as one step."""
        document = self.document(kept)
        if document is not None:
            self.session.commit(with_parts(self.session.document, document, parts) if parts else document)

    def differences(self, kept: Kept) -> list[Difference]:
        """What differs between a picture's settings and those of now."""
        document = self.document(kept)
        return [] if document is None else differences(document, self.session.document)

    def mark(self, kept: Kept, star: bool | None = None, note: str | None = None) -> None:
        """Star or note it."""
        self._run(lambda: mark(kept, star, note))

    def discard(self, pictures: list[Kept]) -> None:
        """Take pictures off the disk."""
        self._run(lambda: discard(pictures))
