"""Plausible lights for a view, spread far apart in looks, each with a reason and, where there are, real dates.

A document and a laid-out `LightTable` enter; `Suggestion`s leave.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import datetime
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.model import Document
from gloamet.meter.light_looks import LightLook, depth_of, measure_light, reason, spread_apart
from gloamet.preview.light_table import LightTable
from gloamet.sun.nearest import TimeWindow, nearest_moments
from gloamet.sun.place import resolve_zone

TURNS_DEG = tuple(range(-165, 180, 30))  # of the sun from where the camera looks
HEIGHTS_DEG = (6.0, 16.0, 32.0, 52.0)
CLEAR, HAZY = 2.3, 5.0  # turbidities
HAZY_TURNS_DEG = (-105, -15, 75, 165)
ANY_HEIGHT = TimeWindow(lowest_deg=-18.0)
REAL_DEG = 1.0  # a real sun so near is the suggested one


class Suggestion(NamedTuple):
    """The document in a light, its look and reason, a small picture (H, W, 4), and when that sun is real, if it is."""

    document: Document
    look: LightLook
    reason: str
    pixels: NDArray[np.uint8]
    real: datetime | None


def candidates(document: Document, camera_azimuth_deg: float) -> list[Document]:
    """Lights all round the camera at four heights in clear air, some in haze, after sunset, and under cloud."""
    base = document.change("air", model="physical", haze_on=False, turbidity=CLEAR)
    north = document.sun.north_deg

    def placed(turn: float, height: float, turbidity: float) -> Document:
        azimuth = (camera_azimuth_deg + turn - north) % 360.0
        lit = base.change("sun", mode="hand", azimuth_deg=azimuth, elevation_deg=height, moon=False)
        return lit.change("air", turbidity=turbidity)

    out = [placed(turn, height, CLEAR) for height in HEIGHTS_DEG for turn in TURNS_DEG]
    out += [placed(turn, height, HAZY) for height in HEIGHTS_DEG[:3:2] for turn in HAZY_TURNS_DEG]
    out += [placed(turn, -4.0, CLEAR) for turn in (-15.0, 165.0)]
    return [*out, placed(-105.0, 35.0, CLEAR).change("air", model="cie", cie_sky=1)]


def _look(
    table: LightTable, document: Document, camera_azimuth_deg: float
) -> tuple[LightLook, NDArray[np.uint8]] | None:
    picture = table.picture(document)
    sun = table.sun_alone(document)
    if picture is None or sun is None:
        return None
    depth = depth_of(picture.seen, (picture.light.shape[0], picture.light.shape[1]))
    share, rim, middle, sky = measure_light(picture.light, sun, depth, picture.ev)
    bearing = (document.sun.azimuth_deg + document.sun.north_deg - camera_azimuth_deg) % 360.0
    reading = picture.reading
    look = LightLook(
        bearing,
        document.sun.elevation_deg,
        share,
        rim,
        middle,
        sky,
        reading.sun_sky_stops,
        reading.light_cct_k,
    )
    return look, picture.pixels


def _real(document: Document) -> datetime | None:
    """When the real sun stands where a document's does, the first such moment of its year."""
    site, sun = document.site, document.sun
    zone, year = resolve_zone(site.timezone), sun.wall_time.year
    found = nearest_moments(
        sun.azimuth_deg, sun.elevation_deg, year, site.latitude_deg, site.longitude_deg, zone, ANY_HEIGHT, 1
    )
    return found[0].when if found and found[0].error_deg <= REAL_DEG else None


def suggest(
    document: Document, table: LightTable, number: int, progress: Callable[[float], None]
) -> list[Suggestion]:
    """So many lights for the document's view; fewer when it was cancelled."""
    eye, target = (np.array(p) for p in (document.stage.view.eye, document.stage.view.target))
    ahead = target - eye
    azimuth = math.degrees(math.atan2(float(ahead[0]), float(ahead[1]))) % 360.0
    lights = candidates(document, azimuth)
    looked = []
    for k, candidate in enumerate(lights):
        found = _look(table, candidate, azimuth)
        if found is None:
            break
        looked.append((candidate, *found))
        progress((k + 1) / len(lights))
    if not looked:
        return []
    chosen = spread_apart([look for _, look, _ in looked], number)
    return [
        Suggestion(looked[k][0], looked[k][1], reason(looked[k][1]), looked[k][2], _real(looked[k][0]))
        for k in chosen
    ]
