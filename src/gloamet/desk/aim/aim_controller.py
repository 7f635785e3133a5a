# SPDX-License-Identifier: Apache-2.0
"""Results of the Sun step, computed in a thread: the sun of the pins, its dates, and sunlight on a surface.

It listens to the session; answers are attributes, each with a signal that says it is new. A newer question of the
same kind replaces an older one.
"""

from __future__ import annotations

import threading
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from gloamet.desk.actions import sun_actions
from gloamet.desk.aim.sun_mask_worker import SunMaskWorker
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.preview.latest import LatestWorker
from gloamet.sun.nearest import RealMoment, nearest_moments
from gloamet.sun.position import direction

if TYPE_CHECKING:
    from gloamet.aim.pins import AimedSun, Pin
    from gloamet.aim.sun_windows import SunlitSpan, YearScan
    from gloamet.trace.render_scene import RenderScene

SETTLED_MS = 120
RESTED_MS = 600  # outlines that stay so long leave the rays to the picture again


@dataclass(frozen=True)
class AimResult:
    """What the pins ask of the sun, and the real moments that come nearest."""

    aimed: AimedSun | None
    moments: tuple[RealMoment, ...] = ()
    problem: str = ""

    def same_sun(self, other: AimResult) -> bool:
        """Whether both ask for the same direction."""
        if self.aimed is None or other.aimed is None:
            return False
        return bool(np.allclose(self.aimed.towards, other.aimed.towards, atol=1e-4))


@dataclass(frozen=True)
class SunReachResult:
    """When the sun reaches a surface: the scan, its spans, the best moment and the gap it comes through then."""

    scan: YearScan
    spans: tuple[SunlitSpan, ...]
    best: datetime | None
    gap: str


class Question(NamedTuple):
    """Something to compute off the interface: of which kind, under which key, and how; all it needs it has."""

    kind: str
    key: Any
    work: Callable[[], Any]


def _aimed(document: Document, compiled: RenderScene | None) -> tuple[AimedSun, list[Pin]]:
    """Where the pins of a document put the sun of a stage, and the lines that they stand for. Raises GloametError when
    no sun fits."""
    from gloamet.aim.pins import AimedSun, Pin, aim_frame, aim_glint, aim_shadows

    camera = camera_from_document(document)
    aspect = document.output.width / document.output.height
    lines, remarks = [], []
    for pin in document.aim.pins:
        if not pin.on:
            continue
        if pin.kind == "shadow":
            lines.append(Pin(pin.caster, pin.receiver))
            continue
        if pin.kind == "frame":
            aimed = aim_frame(camera, *pin.frame_position, aspect, compiled)
        elif compiled is not None:
            aimed = aim_glint(camera, *pin.frame_position, aspect, compiled)
        else:
            continue
        lines.append(Pin(sun_actions.to_tuple(aimed.towards), (0.0, 0.0, 0.0)))
        remarks += list(aimed.remarks)
    shadows = all(pin.kind == "shadow" for pin in document.aim.pins if pin.on)
    aimed = aim_shadows(lines, compiled if shadows else None)
    words = tuple(dict.fromkeys((*aimed.remarks, *remarks)))
    return AimedSun(aimed.towards, aimed.misses_deg, words), lines


def _solve(document: Document, compiled: RenderScene | None) -> AimResult:
    """Where the pins of a document put the sun of a stage, and when it is there."""
    from gloamet.aim.moments import moments_for_pins

    try:
        aimed, lines = _aimed(document, compiled)
    except GloametError as error:
        return AimResult(None, (), str(error))
    moments = moments_for_pins(
        lines, sun_actions.site_from_document(document), sun_actions.time_window_from_document(document)
    )
    return AimResult(aimed, tuple(moments))


def _direction(document: Document, compiled: RenderScene | None) -> NDArray[np.float64] | None:
    """The direction alone, while a pin is dragged; None when no sun fits."""
    try:
        return np.asarray(_aimed(document, compiled)[0].towards)
    except GloametError:
        return None


class AimController(QObject):
    """Questions and answers of one session."""

    answered = Signal()
    scanned = Signal()
    placed = Signal()  # `nearest`, the real moment of a free sun
    _done = Signal(str, object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.answer: AimResult | None = None
        self.reach: SunReachResult | None = None
        self.nearest: RealMoment | None = None
        self.scanning = False
        self.outlines = SunMaskWorker()
        self.size = (960, 540)
        self.preview: NDArray[np.float64] | None = None
        self.previews = False  # whether a new answer is drawn by itself
        self.outlined = (
            False  # whether a preview is drawn as outlines of sun and shade, not as a relit picture
        )
        self._keys: dict[str, Any] = {}
        self._stop_scan = threading.Event()
        self._workers: dict[str, LatestWorker[Question]] = {
            kind: LatestWorker(kind, self._work) for kind in ("direction", "answer", "nearest", "scan")
        }
        self._done.connect(self._on_answer)
        self._soon = QTimer(self, interval=SETTLED_MS, singleShot=True)
        self._soon.timeout.connect(self._ask_all)
        session.document_changed.connect(self._on_document_changed)
        self._sun = session.document.sun
        self._pins: tuple[object, ...] = ()
        session.loaded.scene_loaded.connect(lambda _: self._soon.start())
        session.results.frame_ready.connect(self._on_frame_ready)
        self._stage: Any = None
        self._rest = QTimer(self, interval=RESTED_MS, singleShot=True)
        self._rest.timeout.connect(lambda: session.render.pause(False))

    def _on_document_changed(self, document: Document) -> None:
        if document.sun != self._sun:  # the real light has moved: a preview beside it would mislead
            self._sun, self.nearest = document.sun, None
            self.show(None)
        elif self.session.render.previewing:
            self.show(self.preview)  # of the document as it is now
        pins = tuple(pin for pin in document.aim.pins if pin.on)
        if self.previews and pins and pins != self._pins:
            compiled = self.session.loaded.compiled
            self._ask(
                "direction", (pins, document.stage.view, compiled), lambda: _direction(document, compiled)
            )
        self._pins = pins
        self._soon.start()

    def _on_frame_ready(self, _frame: object) -> None:
        """A render scene compiled again (a part muted, a prop moved) repeats every computation."""
        if self.session.loaded.compiled is not self._stage:
            self._stage = self.session.loaded.compiled
            self._soon.start()

    def close(self) -> None:
        """End the threads."""
        self._soon.stop()
        self._rest.stop()
        self._stop_scan.set()
        for worker in self._workers.values():
            worker.close()
        self._keys.clear()  # they hold the stage
        self._stage = self.answer = self.reach = None
        self.outlines.close()

    # -- previews

    def show(self, towards: NDArray[np.float64] | None) -> None:
        """Show the picture under another sun, or where it would fall, without moving it; None ends that."""
        self.preview = towards
        compiled, render = self.session.loaded.compiled, self.session.render
        if towards is None or compiled is None or not self.outlined:
            render.pause(False)
            self.outlines.clear()
            document = self.session.document
            if towards is None or compiled is None:
                render.preview(None)
            else:
                render.preview(document.change("sun", **sun_actions.fields_of_direction(document, towards)))
            return
        render.preview(None)
        self.session.render.pause(True)
        self._rest.start()
        self.outlines.request(compiled, camera_from_document(self.session.document), self.size, towards)

    def use_outlines(self, on: bool) -> None:
        """Draw previews as outlines of sun and shade from now on, or as relit pictures."""
        self.outlined = on
        self.show(self.preview)

    def show_moment(self, moment: RealMoment) -> None:
        """Draw where the sun of a moment would fall."""
        north = self.session.document.sun.north_deg
        self.show(direction(moment.azimuth_deg + north, moment.elevation_deg))

    # -- questions

    def _ask(self, kind: str, key: Any, work: Callable[[], Any]) -> None:
        if self._keys.get(kind) != key:
            self._keys[kind] = key
            self._workers[kind].request(Question(kind, key, work))

    def _work(self, question: Question) -> None:
        try:
            result = question.work()
        except Exception as error:  # the desk must live on; the details go to the terminal
            traceback.print_exc()
            result = error
        self._done.emit(question.kind, question.key, result)

    def _ask_all(self) -> None:
        document = self.session.document
        site, window = (
            sun_actions.site_from_document(document),
            sun_actions.time_window_from_document(document),
        )
        pins = tuple(pin for pin in document.aim.pins if pin.on)
        looks = document.stage.view if any(pin.kind != "shadow" for pin in pins) else None
        if pins:
            compiled = self.session.loaded.compiled
            key: Any = (pins, site, window, looks, compiled)
            self._ask("answer", key, lambda: _solve(document, compiled))
        elif self.answer is not None:
            self.answer, self._keys["answer"] = None, None
            self.answered.emit()
        sun = document.sun
        if sun.mode != "almanac":
            year_and_site = (site.year, site.latitude_deg, site.longitude_deg, site.tz)
            key = (sun.azimuth_deg, sun.elevation_deg, year_and_site)
            self._ask(
                "nearest",
                key,
                lambda: nearest_moments(sun.azimuth_deg, sun.elevation_deg, *year_and_site, most=1),
            )
        if document.aim.measured_part:
            self._ask_scan(document)
        elif self.reach is not None:
            self.reach, self._keys["scan"] = None, None
            self.scanned.emit()

    # -- sun windows

    def _ask_scan(self, document: Document) -> None:
        compiled = self.session.loaded.compiled
        if compiled is None:
            return
        aim, site, window = (
            document.aim,
            sun_actions.site_from_document(document),
            sun_actions.time_window_from_document(document),
        )
        key = (aim.measured_part, aim.face_direction, aim.face_point, site, window, compiled.geometry)
        if self._keys.get("scan") == key:
            return
        self._stop_scan.set()
        stop = self._stop_scan = threading.Event()
        self.scanning = True
        self.scanned.emit()

        def work() -> SunReachResult | str:
            from gloamet.aim.sun_windows import (
                best_moment,
                gap_in_front,
                scan_year,
                sunlit_spans,
                target_from_part,
            )
            from gloamet.sun.position import sun_position

            side, near = (None if v is None else np.array(v) for v in (aim.face_direction, aim.face_point))
            try:
                target = target_from_part(compiled, aim.measured_part, side, near)
            except GloametError as error:
                return str(error)
            scan = scan_year(compiled, target, site, window, cancelled=stop.is_set)
            best, gap = best_moment(scan, site), ""
            if best is not None:
                sun = sun_position(best.timestamp(), site.latitude_deg, site.longitude_deg)
                towards = direction(float(sun.azimuth_deg) + site.north_deg, float(sun.elevation_deg))
                gap = gap_in_front(compiled, target, towards)
            return SunReachResult(scan, tuple(sunlit_spans(scan, site)), best, gap)

        self._ask("scan", key, work)

    def _on_answer(self, kind: str, key: Any, result: Any) -> None:
        if self._keys.get(kind) != key:
            return
        if isinstance(result, Exception):
            self._keys[kind] = None
            self.scanning = self.scanning and kind != "scan"
            sentence = f"Something went wrong while aiming ({result}). Change anything to try again."
            self.session.noticed.emit(sentence, "warning")
        elif kind == "answer":
            fresh = self.answer is None or not result.same_sun(self.answer)
            self.answer = result
            if fresh and result.aimed is not None and self.previews:
                self.show(result.aimed.towards)
            self.answered.emit()
        elif kind == "direction":
            if result is not None and self.previews:
                self.show(result)
        elif kind == "nearest":
            self.nearest = result[0] if result else None
            self.placed.emit()
        else:
            self.scanning = False
            self.reach = None if isinstance(result, str) else result
            if isinstance(result, str):
                self.session.noticed.emit(result, "warning")
            self.scanned.emit()
