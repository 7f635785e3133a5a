"""The worker behind a document: one thread that always works on the newest wish.

A document and a picture size enter through `request`; events leave through one callback, called on the
worker's thread. It knows nothing of Qt. What it computes and keeps is in `pipeline`.
"""

from __future__ import annotations

import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.preview.events import Busy, Failed, PlanRequest
from gloamet.preview.pipeline import RenderPipeline
from gloamet.stage.readers.progress import Cancelled


@dataclass
class RenderRequest:
    """What the desk wants to see."""

    document: Document
    width: int
    height: int
    stopped: bool = False
    plan: PlanRequest | None = None
    reload_count: int = 0
    requested_at: float = field(default_factory=time.monotonic)


class RenderWorker:
    """One worker thread for one open document."""

    def __init__(self, report: Callable[[Any], None]) -> None:
        self._report = report
        self._lock = threading.Condition()
        self._wish: RenderRequest | None = None
        self._serial = 0
        self._closing = False
        self._give_up = threading.Event()
        self.pipeline = RenderPipeline(report, self._superseded, self._give_up.is_set, self._newest)
        self._thread = threading.Thread(target=self._run, name="engine", daemon=True)
        self._thread.start()

    def request(
        self,
        document: Document,
        width: int,
        height: int,
        stopped: bool = False,
        plan: PlanRequest | None = None,
        stamp: int = 0,
    ) -> None:
        """Ask for this document at this size; replaces the wish before. A new stamp reads the model again."""
        with self._lock:
            self._wish = RenderRequest(document, max(16, width), max(16, height), stopped, plan, stamp)
            self._serial += 1
            self._lock.notify()

    def stop_loading(self) -> None:
        """Give up the model that is being opened."""
        self._give_up.set()

    def close(self) -> None:
        """Stop the worker and wait for it."""
        with self._lock:
            self._closing = True
            self._give_up.set()
            self._serial += 1
            self._lock.notify()
        self._thread.join(timeout=10)
        if not self._thread.is_alive():
            self.pipeline.viewport.forget()

    def _superseded(self) -> bool:
        """Whether the wish being worked on has been replaced."""
        return self._serial != self.pipeline.serial

    def _newest(self) -> tuple[RenderRequest, int] | None:
        """The newest wish and its number, if it is not the one being worked on."""
        with self._lock:
            return (self._wish, self._serial) if self._wish is not None and self._superseded() else None

    def _run(self) -> None:
        _warm_up()
        while True:
            with self._lock:
                while not self._closing and not self._superseded():
                    self._lock.wait()
                if self._closing:
                    return
                wish, self.pipeline.serial = self.pipeline.pop_prepared() or (self._wish, self._serial)
            if wish is None:
                continue
            try:
                self.pipeline.work(wish)
            except Cancelled:
                self._give_up.clear()
            except GloametError as error:
                self._report(Failed(str(error)))
            except MemoryError:
                self._report(Failed("Memory is full: close other programs or open a smaller model."))
            except Exception as error:  # the desk must live on; the details go to the terminal
                traceback.print_exc()
                self._report(
                    Failed(f"Something went wrong while rendering ({error}). Change anything to try again.")
                )
            if not self._superseded():
                self._report(Busy(""))


def _warm_up() -> None:
    """Load what every picture needs while the window is still being laid out."""
    import pyoidn  # noqa: F401

    import gloamet.trace.path_tracer  # noqa: F401
    from gloamet.colour.views import DEFAULT_VIEW
    from gloamet.develop.display import screen_cube
    from gloamet.sky.scatter import sun_paths

    sun_paths()
    screen_cube(DEFAULT_VIEW)
