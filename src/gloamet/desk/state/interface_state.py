# SPDX-License-Identifier: Apache-2.0
"""State of the interface beside the document: selection, tool, and choices that are not saved."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass
class InterfaceState:
    """Kept by the session; widgets learn of changes by its signals."""

    selection: str = ""  # name of the marked part
    tool: str = ""  # what the next click in the picture does, "" for looking round
    keep_elevation: bool = False  # whether another date keeps the sun's elevation instead of the clock
    compares: bool = False  # whether the picture is shown under another light too
    mask: int = -1  # index of the mask that is worked on, -1 for none
    brush: float = 0.1  # width of a dab of paint, in picture heights
    wall: Any = None  # outward normal of the wall whose bearing is being told
