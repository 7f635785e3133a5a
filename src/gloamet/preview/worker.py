"""The worker behind a document: one thread that always works on the newest request.

A `RenderRequest` enters; events leave through one callback, called on the worker's thread. It knows nothing of Qt.
What it computes and keeps is in `pipeline`.
"""

from __future__ import annotations

import threading
import traceback
from collections.abc import Callable
from typing import Any

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.preview.events import Busy, Failed
from gloamet.preview.latest import LatestWorker, Numbered
from gloamet.preview.pipeline import RenderPipeline
from gloamet.preview.requests import PlanRequest, RenderRequest
from gloamet.stage.readers.progress import Cancelled


class RenderWorker:
    """One worker thread for one open document."""

    def __init__(self, report: Callable[[Any], None]) -> None:
        self._report = report
        self._give_up = threading.Event()
        self._worker: LatestWorker[RenderRequest] = LatestWorker("render", self._work, _warm_up, self._prefer)
        self.pipeline = RenderPipeline(
            report, self._worker.superseded, self._give_up.is_set, self._worker.newer
        )
        self._worker.start()

    def request(
        self,
        document: Document,
        width: int,
        height: int,
        stopped: bool = False,
        plan: PlanRequest | None = None,
        reload_count: int = 0,
    ) -> None:
        """Ask for this document at this size; it replaces the request before. A new reload_count reads the model
        again."""
        size = max(16, width), max(16, height)
        self._worker.request(RenderRequest(document, *size, stopped, plan, reload_count))

    def stop_loading(self) -> None:
        """Give up the model that is being opened."""
        self._give_up.set()

    def close(self) -> None:
        """Stop the worker and wait for it."""
        self._give_up.set()
        if self._worker.close():
            self.pipeline.forget()

    def _prefer(self) -> Numbered[RenderRequest] | None:
        return self.pipeline.pop_prepared()

    def _work(self, request: RenderRequest) -> None:
        try:
            self.pipeline.work(request)
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
        if not self._worker.superseded():
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
