# SPDX-License-Identifier: Apache-2.0
"""Kept pictures rendered to final quality in the background, one after the other.

Kept pictures enter; finer ones go to the keeper. One quiet thread traces, so that the hand keeps its speed.
"""

from __future__ import annotations

import os
import threading
from functools import partial

from PySide6.QtCore import QObject, Signal

from gloamet.desk.compare.keeper import Keeper
from gloamet.errors import GloametError
from gloamet.output.keeping import Kept, Snapshot
from gloamet.thread_pool import new_pool

NICENESS = 10  # of the thread: what the hand asks for comes first


class RefineJob(QObject):
    """A line of kept pictures that wait for more samples."""

    changed = Signal()  # what is being refined, or how far it is
    _told = Signal(object, float)  # stop of its batch, fraction of the one that is traced
    _done = Signal(object, object, object, str)  # stop of its batch, kept, a Snapshot or None, a sentence

    def __init__(self, keeper: Keeper) -> None:
        super().__init__(keeper)
        self.keeper = keeper
        self.waiting: list[str] = []
        self.fraction = 0.0
        self._stop = threading.Event()
        self._pool = new_pool("refine", 1)
        self._told.connect(self._on_told)
        self._done.connect(self._on_done)

    def refine(self, pictures: list[Kept]) -> None:
        """Put pictures at the end of the line."""
        for kept in pictures:
            if kept.name not in self.waiting:
                self.waiting.append(kept.name)
                # one of a sheet is small
                size = None if kept.samples else self.keeper.session.render.size
                self._pool.submit(self._work, kept, size, self._stop)
        self.changed.emit()

    def stop(self) -> None:
        """Stop, and clear the queue; pictures are not changed."""
        self._stop.set()
        self._stop = threading.Event()  # of what is asked for from now on
        self.waiting.clear()
        self.fraction = 0.0
        self.changed.emit()

    def close(self) -> None:
        """Stop, and wait for it."""
        self._stop.set()
        self._pool.shutdown()

    def _work(self, kept: Kept, size: tuple[int, int] | None, stop: threading.Event) -> None:
        finer, message = None, ""
        try:
            if not stop.is_set():
                from gloamet.trace.film import Renderer
                from gloamet.translation.refining import refined

                os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), NICENESS)
                renderer = Renderer(1)  # its thread takes this one's priority
                with renderer.pool:
                    told = partial(self._told.emit, stop)
                    finer = refined(kept, renderer, size, lambda p: told(p.fraction), stop.is_set)
        except GloametError as error:
            message = str(error)
        except Exception as error:  # the desk must live on
            message = f"{kept.name} was not refined ({error}): it stays as it was."
        self._done.emit(stop, kept, finer, message)

    def _on_told(self, batch: object, fraction: float) -> None:
        if batch is self._stop:
            self.fraction = fraction
            self.changed.emit()

    def _on_done(self, batch: object, kept: Kept, finer: Snapshot | None, message: str) -> None:
        if batch is not self._stop:
            return
        self.waiting.remove(kept.name)
        self.fraction = 0.0
        if finer is not None:
            self.keeper.take_finer(kept, finer)
        if message:
            self.keeper.session.noticed.emit(message, "warning")
        self.changed.emit()
