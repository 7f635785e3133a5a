# SPDX-License-Identifier: Apache-2.0
"""The worker behind a document: one thread that always works on the newest request.

A `RenderRequest` enters; events leave through one callback, called on the worker's thread. It knows nothing of Qt.
What it computes and keeps is in `pipeline`, which is imported on the thread: the window does not wait for it.
"""

from __future__ import annotations

import threading
import time
import traceback
from collections.abc import Callable
from typing import TYPE_CHECKING

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.preview.events import Busy, Event, Failed, Frame, Preparing
from gloamet.preview.latest import LatestWorker, Numbered
from gloamet.preview.preparation import KernelPreparation
from gloamet.preview.requests import PlanRequest, RenderRequest
from gloamet.stage.readers.progress import Cancelled

if TYPE_CHECKING:
    from gloamet.preview.pipeline import RenderPipeline
    from gloamet.preview.preliminary.renderer import PreliminaryRenderer

PREPARING_LOOK_S = 0.2  # between two looks at whether the kernels are compiled
REQUEST_LOOK_S = 0.005  # between two looks at whether there is a newer request


class RenderWorker:
    """One worker thread per open document; `preparation` compiles kernels in parallel."""

    def __init__(self, report: Callable[[Event], None], preparation: KernelPreparation | None = None) -> None:
        self._report = report
        self._preparation = preparation
        self._give_up = threading.Event()
        self._worker: LatestWorker[RenderRequest] = LatestWorker("render", self._work, prefer=self._prefer)
        self._pipeline: RenderPipeline | None = None
        self._preliminary: PreliminaryRenderer | None = None
        self._refined_model: str | None = None  # the model of which something better than a preview was shown

    @property
    def pipeline(self) -> RenderPipeline:
        """What was computed; made with the first request that is worked on."""
        if self._pipeline is None:
            from gloamet.preview.pipeline import RenderPipeline

            _warm_up()
            self._pipeline = RenderPipeline(
                self._pass_on, self._worker.superseded, self._give_up.is_set, self._worker.newer
            )
        return self._pipeline

    def request(
        self,
        document: Document,
        width: int,
        height: int,
        stopped: bool = False,
        plan: PlanRequest | None = None,
        reload_count: int = 0,
        beside: Document | None = None,
        held_ev: float | None = None,
        inspect: str = "",
    ) -> None:
        """Ask for this document at this size; it replaces the request before. A new reload_count reads the model
        again. See `RenderRequest`."""
        size = max(16, width), max(16, height)
        request = RenderRequest(document, *size, stopped, plan, reload_count, beside, held_ev, inspect)
        self._worker.request(request)

    def stop_loading(self) -> None:
        """Give up the model that is being opened."""
        self._give_up.set()

    def close(self) -> None:
        """Stop the worker and wait for it; what it still says goes nowhere."""
        self._give_up.set()
        self._report = _ignored
        if self._worker.close() and self._pipeline is not None:
            from gloamet.translation.memory import give_back

            self._pipeline.forget()
            give_back()

    def _prefer(self) -> Numbered[RenderRequest] | None:
        return self._pipeline.pop_prepared() if self._pipeline is not None else None

    def _pass_on(self, event: Event) -> None:
        if (
            isinstance(event, Frame)
            and event.document is not None
            and (event.exact or event.relight_state[0])
        ):
            self._refined_model = event.document.stage.scene_file
        self._report(event)

    def _show_shipped(self, request: RenderRequest) -> bool:
        """Show the picture that ships with a demo until there is one of this machine; whether that is so."""
        from gloamet.preview.shipped_picture import shipped_frame

        if self._refined_model == request.document.stage.scene_file:
            return False
        try:
            frame = shipped_frame(request)
        except GloametError as error:  # the demo is only dark a little longer
            self._refined_model = request.document.stage.scene_file
            self._report(Failed(str(error)))
            return False
        if frame is not None:
            self._report(frame)
        return frame is not None

    def _await_kernels(self, request: RenderRequest, shown: bool) -> bool:
        """Wait until every kernel is compiled, with preliminary light meanwhile, and the meter's exact reading as soon
        as that can be; False when a newer request came first. `shown` says that a better picture is shown already."""
        preparation, drawn, measured = self._preparation, False, False
        if preparation is None:
            return True
        preparation.start()
        while not preparation.ready():
            self._report(Preparing(*preparation.state()))
            if not drawn:
                self._show_preliminary(request, shown)
                drawn = True
            elif not measured and preparation.ready("sky"):
                self.pipeline.show_light(request.document)
                measured = True
            looked = time.monotonic()
            while time.monotonic() - looked < PREPARING_LOOK_S:
                if self._worker.superseded():
                    return False
                time.sleep(REQUEST_LOOK_S)
        self._preparation = None
        if self._preliminary is not None:
            self._preliminary.close()
            self._preliminary = None
        self._report(Preparing(1.0, 0.0))
        return True

    def _show_preliminary(self, request: RenderRequest, shown: bool) -> None:
        """Light and picture of a request without compiled kernels."""
        if self._preliminary is None:
            from gloamet.preview.preliminary.renderer import PreliminaryRenderer

            self._preliminary = PreliminaryRenderer(
                self._report, self._worker.superseded, self._give_up.is_set
            )
        try:
            self._preliminary.show(request, with_picture=not shown)
        except Cancelled:
            raise
        except GloametError as error:
            self._report(Failed(str(error)))
        except Exception:  # the renderer must be prepared all the same; the details go to the terminal
            traceback.print_exc()

    def _work(self, request: RenderRequest) -> None:
        try:
            shown = self._show_shipped(request)
            if not self._await_kernels(request, shown):
                return
            self.pipeline.work(request, shown)
        except Cancelled:
            self._give_up.clear()
        except GloametError as error:
            self._report(Failed(str(error)))
        except MemoryError:
            self._report(Failed("Memory is full: close other programs or open a smaller model."))
        except Exception as error:  # the desk must live on; the details go to the terminal
            traceback.print_exc()
            self._report(Failed(f"Rendering failed ({error}). Change any setting to try again."))
        if not self._worker.superseded():
            self._report(Busy(""))


def _ignored(event: Event) -> None:
    """A report after the desk was closed."""


def _warm_up() -> None:
    """Load what every picture needs, on the worker's thread."""
    import pyoidn  # noqa: F401

    import gloamet.trace.path_tracer  # noqa: F401
    from gloamet.sky.air import Air
    from gloamet.sky.scatter import sun_paths

    sun_paths(Air().haze_height_km)
