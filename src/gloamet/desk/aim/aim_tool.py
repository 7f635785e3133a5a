# SPDX-License-Identifier: Apache-2.0
"""Mouse tools of aiming in the picture and the plan: pins are dragged, the sun follows the pointer.

A view of the stage gives three functions (the point under a place, the sky direction there, where a world point
shows); the hand asks the session for changes and the aimer for outlines.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from gloamet.desk.actions import sun_actions
from gloamet.desk.aim.aim_controller import AimController
from gloamet.desk.state.session import Session
from gloamet.document.targets import AimPin

Array = NDArray[np.float64]
GRAB_PX = 9.0
TOOLS = ("shadow pin", "frame pin", "glint pin", "lead", "beam", "surface", "wall")
TOOL_HINTS = {
    "shadow pin": "Drag from the point that casts the shadow to where the shadow should fall.",
    "frame pin": "Click where the sun should be in the picture, in front of or behind objects.",
    "glint pin": "Click the pane or surface that should reflect the sun into the camera.",
    "lead": "Drag in the picture: the sun follows the pointer.",
    "beam": "Press on a point that casts a shadow and drag the shadow.",
    "surface": "Click the surface to measure.",
    "wall": "Click the wall whose azimuth you know.",
}
ONLY_SKY = "There is only sky at that point: start on an object that casts a shadow."
NOT_OPEN = "The model is still loading: try again in a moment."


@dataclass(frozen=True)
class ViewAdapter:
    """Points and directions under the pointer of a view; None for the sky, or where there is no direction."""

    point: Callable[[QPointF], Array | None]
    edge: Callable[[QPointF], Array | None]  # the same, but a thin or nearer thing a few pixels beside counts
    towards: Callable[[QPointF], Array | None]
    spot: Callable[[QPointF], tuple[float, float] | None]
    screen: Callable[[Array], QPointF | None]


class AimTool:
    """Presses, moves and releases of the aiming tools; each returns whether it was one."""

    def __init__(self, session: Session, aimer: AimController, look: ViewAdapter) -> None:
        self.session, self.aimer, self.look = session, aimer, look
        self.draft: tuple[Array, Array] | None = None  # a shadow pin being dragged: caster, receiver
        self._held: tuple[int, str] | None = None  # a pin's end being moved
        self._pivot: Array | None = None
        self._leading = False

    def press(self, at: QPointF) -> bool:
        """A press of the left button."""
        tool = self.session.state.tool
        if tool not in TOOLS:
            return self._grab(at)
        if tool in ("shadow pin", "beam"):
            point = self._need(at, self.look.edge)
            if point is not None and tool == "shadow pin":
                self.draft = (point, point)
            self._pivot = point if tool == "beam" else None
        elif tool in ("frame pin", "glint pin"):
            self._drop_spot(tool.split()[0], at)
        elif tool == "lead":
            self._leading = True
            self._lead(at)
        else:
            self._pick(tool, at)
        return True

    def move(self, at: QPointF) -> bool:
        """A move with the button down."""
        if self.draft is not None:
            point = self.look.point(at)
            if point is not None:
                self.draft = (self.draft[0], point)
                self._preview(self.draft[0] - point)
        elif self._pivot is not None:
            point = self.look.point(at)
            if point is not None and float(np.linalg.norm(self._pivot - point)) > 0.01:
                line = self._pivot - point
                sun_actions.set_sun_direction(self.session, line / np.linalg.norm(line), "sun.hand")
        elif self._leading:
            self._lead(at)
        elif self._held is not None:
            self._shift(at)
        else:
            return False
        return True

    def release(self, at: QPointF) -> bool:
        """The mouse button is released."""
        busy = self.draft is not None or self._pivot is not None or self._leading or self._held is not None
        if self.draft is not None:
            caster, receiver = self.draft
            self.draft = None
            if float(np.linalg.norm(caster - receiver)) > 0.01:
                pin = AimPin(caster=sun_actions.to_tuple(caster), receiver=sun_actions.to_tuple(receiver))
                sun_actions.add_pin(self.session, pin)
                self.session.state.use_tool("")
        self._pivot, self._held, self._leading = None, None, False
        if busy:
            self.session.end_undo_group()
        return busy

    # -- inside

    def _need(self, at: QPointF, find: Callable[[QPointF], Array | None]) -> Array | None:
        point = find(at)
        if point is None:
            opening = self.session.loaded.compiled is None
            self.session.noticed.emit(NOT_OPEN if opening else ONLY_SKY, "note")
        return point

    def _preview(self, line: Array) -> None:
        length = float(np.linalg.norm(line))
        if length > 0.01:
            self.aimer.show(line / length)

    def _lead(self, at: QPointF) -> None:
        towards = self.look.towards(at)
        if towards is not None:
            sun_actions.set_sun_direction(self.session, towards, "sun.hand")

    def _drop_spot(self, kind: str, at: QPointF) -> None:
        spot = self.look.spot(at)
        if spot is None:
            self.session.noticed.emit("That pin belongs in the picture, not in plan.", "note")
            return
        sun_actions.add_pin(self.session, AimPin(kind=kind, frame_position=spot))
        self.session.state.use_tool("")

    def _pick(self, tool: str, at: QPointF) -> None:
        from gloamet.trace.first_hits import probe

        point, compiled = self._need(at, self.look.point), self.session.loaded.compiled
        ray = self.look.towards(at)
        if point is None or compiled is None:
            return
        ray = np.array([0.0, 0.0, -1.0]) if ray is None else ray
        hit = probe(compiled, point - 0.05 * ray, ray)
        if hit is None or hit.part < 0:
            self.session.noticed.emit("That is the ground plane: click a part of the model.", "note")
            return
        outward = hit.normal if float(hit.normal @ ray) < 0.0 else -hit.normal
        if tool == "surface":
            name = str(compiled.scene.parts[hit.part].name)
            self.session.change(
                "aim",
                measured_part=name,
                face_direction=sun_actions.to_tuple(outward),
                face_point=sun_actions.to_tuple(hit.point),
            )
        elif abs(float(outward[2])) > 0.9:
            self.session.noticed.emit("That surface is horizontal and has no azimuth: click a wall.", "note")
            return
        else:
            self.session.state.pick_wall(outward)
        self.session.state.use_tool("")

    def _grab(self, at: QPointF) -> bool:
        """Take hold of a pin's end without any tool."""
        for index, pin in enumerate(self.session.document.aim.pins):
            for end in ("caster", "receiver") if pin.kind == "shadow" else ():
                position = self.look.screen(np.array(getattr(pin, end)))
                if position is not None and _near(position, at):
                    self._held = (index, end)
                    return True
            spot = self.look.spot(at)
            if (
                pin.kind != "shadow"
                and spot is not None
                and _near(self._on_screen(at, spot, pin.frame_position), at)
            ):
                self._held = (index, "spot")
                return True
        return False

    def _on_screen(self, at: QPointF, spot: tuple[float, float], wanted: tuple[float, float]) -> QPointF:
        """Where a spot stands, told from one whose place is known."""
        other = self.look.spot(at + QPointF(100.0, 100.0))
        assert other is not None
        per = (100.0 / (other[0] - spot[0]), 100.0 / (other[1] - spot[1]))
        return at + QPointF((wanted[0] - spot[0]) * per[0], (wanted[1] - spot[1]) * per[1])

    def _shift(self, at: QPointF) -> None:
        assert self._held is not None
        index, end = self._held
        if end == "spot":
            spot = self.look.spot(at)
            if spot is not None and min(spot) >= 0.0 and max(spot) <= 1.0:
                sun_actions.change_pin(self.session, index, f"pin {index}", spot=spot)
            return
        point = self.look.point(at)
        if point is not None:
            sun_actions.change_pin(self.session, index, f"pin {index}", **{end: sun_actions.to_tuple(point)})
            pin = self.session.document.aim.pins[index]
            self._preview(np.subtract(pin.caster, pin.receiver).astype(float))


def _near(a: QPointF, b: QPointF) -> bool:
    d = a - b
    return d.x() * d.x() + d.y() * d.y() < GRAB_PX * GRAB_PX
