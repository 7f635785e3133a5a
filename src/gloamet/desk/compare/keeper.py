# SPDX-License-Identifier: Apache-2.0
"""Keeping pictures of a session beside its project, written in a thread.

A session enters; the list of its kept pictures follows, and what could not be done as sentences.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import IO, Any

import numpy as np
from PySide6.QtCore import QObject, QSize, Signal
from PySide6.QtGui import QImage

from gloamet.desk.state.file_lock import locked
from gloamet.desk.state.session import Session
from gloamet.document.differences import DocumentDifference, differences
from gloamet.document.model import Document
from gloamet.document.parts import with_parts
from gloamet.errors import GloametError
from gloamet.output.keeping import (
    Kept,
    Snapshot,
    add_layers,
    discard,
    kept_document,
    kept_folder,
    kept_pictures,
    mark,
    moved,
    replace_picture,
)
from gloamet.output.keeping import keep as write_kept
from gloamet.thread_pool import new_pool

SMALL = QSize(168, 112)
MOST_WINDOWS = 20


def _decoded(path: str) -> QImage:
    """A picture's file as large as the strip shows it, or a little larger; an empty image where it is damaged.

    By Pillow: it lets the window's thread go on meanwhile, which Qt's reader does not.
    """
    from PIL import Image

    try:
        with Image.open(path) as picture:
            factor = max(1, min(picture.width // SMALL.width(), picture.height // SMALL.height()))
            small = picture.convert("RGBX").reduce(factor)
    except (OSError, ValueError):
        return QImage()
    return QImage(small.tobytes(), *small.size, 4 * small.width, QImage.Format.Format_RGBX8888).copy()


class Keeper(QObject):
    """The kept pictures of a session; `chosen` are the names picked in the strip, the last one first in mind."""

    changed = Signal()  # the list, or what is chosen
    _done = Signal(object, str)  # a list of pictures or None, and a sentence

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.pictures: list[Kept] = []
        self.chosen: list[str] = []
        self.stars_first = False
        self.images: dict[str, QImage] = {}  # small ones, by name
        self._documents: dict[Kept, Document] = {}
        self._decoded: dict[tuple[str, int], QImage] = {}  # by file and when it was written; the thread's own
        self._lock: IO[str] | None = None
        self._folder = self._claimed()
        self._pool = new_pool("keep", 1)
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
        if self._lock is not None:
            self._lock.close()

    def _run(self, work: Callable[[], Any]) -> None:
        """Do something with the folder and read it again, on the thread."""
        folder = self._folder

        def job() -> None:
            message = ""
            try:
                work()
            except GloametError as error:
                message = str(error)
            pictures, broken = kept_pictures(folder)
            images = self._small_images(pictures)
            self._done.emit((pictures, images), message or (broken[0] if broken else ""))

        self._pool.submit(job)

    def _small_images(self, pictures: list[Kept]) -> dict[str, QImage]:
        """The small image of each picture by name, decoded once; an empty one where its file is gone."""
        images, decoded = {}, {}
        for kept in pictures:
            image = QImage()
            with contextlib.suppress(OSError):
                key = (str(kept.picture), kept.picture.stat().st_mtime_ns)
                image = decoded[key] = self._decoded[key] if key in self._decoded else _decoded(key[0])
            images[kept.name] = image
        self._decoded = decoded
        return images

    def _on_done(self, found: tuple[list[Kept], dict[str, QImage]], message: str) -> None:
        self.pictures, self.images = found
        pictures = self.pictures
        self._documents = {kept: self._documents[kept] for kept in pictures if kept in self._documents}
        names = {kept.name for kept in pictures}
        self.chosen = [name for name in self.chosen if name in names]
        if message:
            self.session.noticed.emit(message, "warning")
        self.changed.emit()

    def _claimed(self) -> Path:
        """Where pictures are kept now. Two windows with an unsaved project of one title each have a folder of their
        own."""
        if self._lock is not None:
            self._lock.close()
            self._lock = None
        session = self.session
        folder = kept_folder(session.path, session.title)
        if session.path is not None:
            return folder
        with contextlib.suppress(OSError):
            folder.parent.mkdir(parents=True, exist_ok=True)
        for number in range(1, MOST_WINDOWS):
            named = session.title if number == 1 else f"{session.title} {number}"
            folder = kept_folder(None, named)
            self._lock = locked(folder.with_suffix(".lock"))
            if self._lock is not None:
                break
        return folder

    def _on_file_changed(self) -> None:
        before, self._folder = self._folder, self._claimed()
        if before == self._folder:
            return
        unsaved = kept_folder(None, "").parent
        if self.session.path is not None and before.parent == unsaved:
            self._run(lambda: moved(before, self._folder))  # a project that was given its first file
        else:
            self._run(lambda: None)

    @property
    def in_order(self) -> list[Kept]:
        """The pictures as the strip shows them: oldest first, or those with a star before the others."""
        return sorted(self.pictures, key=lambda kept: self.stars_first and not kept.star)

    def sort(self, stars_first: bool) -> None:
        """By star, or by time."""
        self.stars_first = stars_first
        self.changed.emit()

    # -- keeping

    def keep_now(self) -> bool:
        """Keep the present picture; returns whether there was one."""
        frame = self.session.results.frame
        if frame is None or frame.light is None or frame.document is None:
            self.session.noticed.emit("There is no picture to keep yet.", "note")
            return False
        snapshot = Snapshot(
            frame.document,
            frame.pixels,
            np.ascontiguousarray(frame.light),
            frame.samples,
            frame.seconds,
            frame.ev,
            frame.layers,
        )
        self.keep(snapshot)
        return True

    def keep(self, snapshot: Snapshot) -> None:
        """Keep a picture that was made already.

        No word of it: the strip shows it, and a message would make the picture smaller and begin it again.
        """
        folder, when = self._folder, datetime.now()
        kept: list[Kept] = []
        self._run(lambda: kept.append(write_kept(folder, snapshot, when)))
        if (
            layers := snapshot.layers
        ) is not None:  # they take longest, and the picture is whole without them
            self._run(lambda: [add_layers(one, layers) for one in kept])

    def take_finer(self, kept: Kept, finer: Snapshot) -> None:
        """Put a finer picture in the place of a kept one, unless it was taken away meanwhile."""

        def work() -> None:
            if kept.path.is_file():
                again = replace_picture(kept, finer)
                if finer.layers is not None:
                    add_layers(again, finer.layers)

        self._run(work)

    # -- what can be done with them

    def named(self, name: str) -> Kept | None:
        """A kept picture by its name."""
        return next((kept for kept in self.pictures if kept.name == name), None)

    @property
    def current(self) -> Kept | None:
        """The picture chosen last."""
        return self.named(self.chosen[-1]) if self.chosen else None

    def choose(self, name: str, more: bool = False) -> None:
        """Select a picture, alone or in addition to others; a second click deselects it."""
        if more and name in self.chosen:
            self.chosen.remove(name)
        else:
            self.chosen = [*(self.chosen if more else []), name][-6:]
        self.changed.emit()

    def document(self, kept: Kept) -> Document | None:
        """The settings of a picture; None, with a sentence, where they cannot be read."""
        if kept not in self._documents:
            try:
                self._documents[kept] = kept_document(kept)
            except GloametError as error:
                self.session.noticed.emit(str(error), "warning")
                return None
        return self._documents[kept]

    def open(self, kept: Kept, parts: tuple[str, ...] = ()) -> None:
        """Its settings return, all or the parts named, as one step."""
        document = self.document(kept)
        if document is None:
            return
        self.session.commit(with_parts(self.session.document, document, parts) if parts else document)
        if document.expose.automatic and (not parts or "expose" in parts):
            self.session.render.hold_ev(kept.ev)  # as it was seen when it was kept

    def differences(self, kept: Kept, other: Kept | None = None) -> list[DocumentDifference]:
        """What differs between a picture's settings and another's, or those of now."""
        before = self.document(kept)
        after = self.session.document if other is None else self.document(other)
        return [] if before is None or after is None else differences(before, after)

    def mark(self, kept: Kept, star: bool | None = None, note: str | None = None) -> None:
        """Star or note it."""
        self._run(lambda: mark(kept, star, note))

    def discard(self, pictures: list[Kept]) -> None:
        """Take pictures off the disk."""
        self._run(lambda: discard(pictures))
