# SPDX-License-Identifier: Apache-2.0
"""State of the interface beside the document: selection, tool, and choices that are not saved."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, Signal


class InterfaceState(QObject):
    """What is selected and what the next click does; widgets learn of changes by the signals."""

    selected = Signal(str)  # name of a part, "" for none
    tool_changed = Signal(str)  # what the next click in the picture does, "" for orbiting
    wall_picked = Signal()  # `wall` is another one
    beside_changed = Signal()  # whether the picture is shown under another light too

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.selection = ""  # name of the marked part
        self.tool = ""  # what the next click in the picture does, "" for orbiting
        self.keep_elevation = False  # whether another date keeps the sun's elevation instead of the clock
        self.compares = False  # whether the picture is shown under another light too
        self.mask = -1  # index of the mask that is worked on, -1 for none
        self.brush = 0.1  # width of a dab of paint, in picture heights
        self.automatic_metering = "scene"  # the last one before a manual exposure
        self.wall: Any = None  # outward normal of the wall whose azimuth is shown

    def select(self, name: str) -> None:
        """Mark a part, or none."""
        if name != self.selection:
            self.selection = name
            self.selected.emit(name)

    def use_tool(self, tool: str) -> None:
        """What the next press in the picture or plan does: "focus", "place 3", a tool of `aim_tool`, "" to orbit."""
        self.tool = tool
        self.tool_changed.emit(tool)

    def pick_wall(self, normal: Any) -> None:
        """Keep the outward normal of the wall that was clicked, None for no wall."""
        self.wall = normal
        self.wall_picked.emit()

    def compare(self, on: bool) -> None:
        """Whether the picture is shown under another light too."""
        self.compares = on
        self.beside_changed.emit()
