# SPDX-License-Identifier: Apache-2.0
"""What the worker has computed of the light: its last results, and a signal for each kind.

Events of `preview.events` enter `take`; widgets read the values and connect to the signals.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from gloamet.document.stage import CameraView
from gloamet.preview.events import (
    BesideFrame,
    DiscPainted,
    Frame,
    LightSolved,
    MeterRead,
    PaletteSolved,
    PlanFrame,
    SourcePictures,
    Thumbnail,
)

if TYPE_CHECKING:
    from gloamet.sky.sky_palette import SkyPalette

KEPT = {Frame: "frame", LightSolved: "light", MeterRead: "read", SourcePictures: "sources"}
SIGNALS = {
    Frame: "frame_ready",
    LightSolved: "light_solved",
    PaletteSolved: "colours_solved",
    Thumbnail: "thumbnail_ready",
    SourcePictures: "source_pictures",
    MeterRead: "meter_read",
    DiscPainted: "disc_painted",
    PlanFrame: "plan_ready",
    BesideFrame: "beside_ready",
}


class LightResults(QObject):
    """The last result of each kind, None before there is one; every signal carries its event."""

    frame_ready = Signal(object)
    light_solved = Signal(object)
    colours_solved = Signal(object)
    disc_painted = Signal(object)
    plan_ready = Signal(object)
    source_pictures = Signal(object)
    meter_read = Signal(object)
    beside_ready = Signal(object)  # the picture under the other light
    thumbnail_ready = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.frame: Frame | None = None
        self.light: LightSolved | None = None
        self.read: MeterRead | None = None  # the meter in the scene
        self.sources: SourcePictures | None = None
        self.colours: SkyPalette | None = None
        self.thumbnails: dict[CameraView, Any] = {}

    @property
    def relight_state(self) -> tuple[bool, bool]:
        """Whether the picture can be relit, and whether its relight cache is complete."""
        return self.frame.relight_state if self.frame is not None else (False, False)

    def take(self, event: Any) -> None:
        """Keep an event of the worker and emit its signal; events of other kinds are ignored."""
        kind = type(event)
        if kind in KEPT:
            setattr(self, KEPT[kind], event)
        if isinstance(event, Thumbnail):
            self.thumbnails[event.view] = event.pixels
        elif isinstance(event, PaletteSolved):
            self.colours = event.colours
        if kind in SIGNALS:
            getattr(self, SIGNALS[kind]).emit(event)

    def clear(self) -> None:
        """Release the pictures."""
        self.frame = None
        self.thumbnails.clear()
