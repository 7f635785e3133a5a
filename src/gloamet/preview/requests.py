# SPDX-License-Identifier: Apache-2.0
"""Requests from the window to the worker: plain records without Qt."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

from gloamet.document.model import Document
from gloamet.stage.camera import Camera


@dataclass(frozen=True)
class PlanRequest:
    """A plan to draw: its parallel camera and size in pixels."""

    camera: Camera
    width: int
    height: int


@dataclass
class RenderRequest:
    """What the desk wants to see; `beside` is another document whose light is shown for comparison when the hand
    rests. An automatic exposure stays at `held_ev` where there is one; `inspect` is "", "false colour", "clipping",
    "mask " and the index of a mask, or "proof " and the name of one."""

    document: Document
    width: int
    height: int
    stopped: bool = False
    plan: PlanRequest | None = None
    reload_count: int = 0
    beside: Document | None = None
    held_ev: float | None = None
    inspect: str = ""
    requested_at: float = field(default_factory=time.monotonic)
