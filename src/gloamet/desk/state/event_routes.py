# SPDX-License-Identifier: Apache-2.0
"""Worker events that a session keeps, and the signals that pass them on."""

from __future__ import annotations

from gloamet.preview.events import (
    BesideFrame,
    DiscPainted,
    Frame,
    LightSolved,
    MeterRead,
    PlanFrame,
    SourcePictures,
    Thumbnail,
)

KEPT = {Frame: "frame", LightSolved: "light", MeterRead: "read", SourcePictures: "sources"}
PASSED_ON = {
    Frame: "frame_ready",
    LightSolved: "light_solved",
    Thumbnail: "thumbnail_ready",
    SourcePictures: "source_pictures",
    MeterRead: "meter_read",
    DiscPainted: "disc_painted",
    PlanFrame: "plan_ready",
    BesideFrame: "beside_ready",
}
