# SPDX-License-Identifier: Apache-2.0
"""Suggested lights for a view: plausible, clearly different, each with a reason and a real date where there is one.

A document and a laid-out `ThumbnailRenderer` enter; `Suggestion`s leave.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from datetime import datetime
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.develop.picture_difference import codes_to_lab, delta_e_2000
from gloamet.document.model import Document
from gloamet.meter.light_measures import LightMeasures, depth_of, measure_light, reason, spread_apart
from gloamet.preview.thumbnail_renderer import LitThumbnail, ThumbnailRenderer
from gloamet.sun.angles import azimuth_of
from gloamet.sun.nearest import angle_deg, instant_of_elevation, nearest_moments
from gloamet.sun.position import direction
from gloamet.sun.site import resolve_zone
from gloamet.translation.document_to_light import sun_from_document

TURNS_DEG = tuple(range(-165, 180, 30))  # of the sun from where the camera looks
HEIGHTS_DEG = (6.0, 16.0, 32.0, 52.0)
CLEAR, HAZY = 2.3, 5.0  # turbidities
HAZY_TURNS_DEG, HAZY_HEIGHTS_DEG = (-105, -15, 75, 165), (6.0, 32.0)
DUSK_DEG, CLOUD = -4.0, (-105.0, 32.0)  # height of a sun that is down; where it stands above cloud
REAL_DEG = 15.0  # from a real sun so near, that one is taken
SAME_DEG = 4.0  # two suns so near are one light
GRID = (8, 12)  # fields, down and across, by whose colours pictures are told apart
FAR_DELTA_E = 20.0  # colour difference that counts as much as a whole turn or height


class Candidate(NamedTuple):
    """A document in a light, and when that sun is real at its place; None where it never is."""

    document: Document
    real: datetime | None


class Suggestion(NamedTuple):
    """The document in a light, its look and reason, its small picture, when that sun is real, if it is, and the colour
    difference from the suggestion most like it."""

    document: Document
    look: LightMeasures
    reason: str
    picture: LitThumbnail
    real: datetime | None
    delta_e: float


def _real_sun(document: Document, azimuth_deg: float, elevation_deg: float) -> Candidate:
    """The document with the real sun next to a direction, or with one by hand where none comes near."""
    site, sun = document.site, document.sun
    zone, year = resolve_zone(site.timezone), sun.wall_time.year
    where = site.latitude_deg, site.longitude_deg
    found = nearest_moments(azimuth_deg, elevation_deg, year, *where, zone, most=1)
    if found and found[0].error_deg <= REAL_DEG:
        return _at(document, found[0].when)
    sun_by_hand = {"mode": "manual", "azimuth_deg": azimuth_deg, "elevation_deg": elevation_deg}
    return Candidate(document.change("sun", moon=False, **sun_by_hand), None)


def _at(document: Document, when: datetime) -> Candidate:
    lit = document.change("sun", mode="almanac", wall_time=when.replace(tzinfo=None, microsecond=0))
    return Candidate(lit.change("sun", moon=False), when)


def candidates(
    document: Document, camera_azimuth_deg: float, cancelled: Callable[[], bool] = lambda: False
) -> list[Candidate]:
    """Lights all around the camera at four heights in clear air, some in haze, with the sun down, and under cloud; none
    when it was cancelled."""
    base = document.change("air", sky_model="physical", haze_on=False, turbidity=CLEAR)
    north, site = document.sun.north_deg, document.site

    def placed(turn: float, height: float) -> Candidate:
        return _real_sun(base, (camera_azimuth_deg + turn - north) % 360.0, height)

    def with_air(lit: Candidate, **air: object) -> Candidate:
        return lit._replace(document=lit.document.change("air", **air))

    clear: dict[tuple[float, float], Candidate] = {}
    suns: list[NDArray[np.float64]] = []
    for height in HEIGHTS_DEG:
        for turn in TURNS_DEG:
            if cancelled():
                return []
            lit = placed(turn, height)
            sun = direction(*sun_from_document(lit.document))
            if all(angle_deg(sun, other) > SAME_DEG for other in suns):
                clear[turn, height] = lit
                suns.append(sun)
    hazy = [
        with_air(lit, turbidity=HAZY)
        for (turn, height), lit in clear.items()
        if turn in HAZY_TURNS_DEG and height in HAZY_HEIGHTS_DEG
    ]
    where = site.latitude_deg, site.longitude_deg, resolve_zone(site.timezone)
    day = document.sun.wall_time.date()
    dusks = [instant_of_elevation(day, DUSK_DEG, rising, *where) for rising in (True, False)]
    dark = [_at(base, when) for when in dusks if when is not None]
    return [*clear.values(), *hazy, *dark, with_air(placed(*CLOUD), sky_model="cie", cie_sky=1)]


def _colours(pixels: NDArray[np.uint8]) -> NDArray[np.float64]:
    """L*a*b* of the fields of a picture (H, W, 4), (GRID, 3)."""
    rows, columns = (
        np.linspace(0, n, k + 1).astype(int)[:-1] for n, k in zip(pixels.shape, GRID, strict=False)
    )
    lab = codes_to_lab(pixels[..., :3] / 255.0)
    sums = np.add.reduceat(np.add.reduceat(lab, rows, 0), columns, 1)
    counts = np.add.reduceat(np.add.reduceat(np.ones(lab.shape[:2]), rows, 0), columns, 1)
    return np.asarray(sums / counts[..., None])


def _look(
    table: ThumbnailRenderer, document: Document, camera_azimuth_deg: float
) -> tuple[LightMeasures, LitThumbnail] | None:
    picture = table.picture(document, with_sun=True)
    if picture is None or picture.sun is None:
        return None
    depth = depth_of(picture.seen, (picture.light.shape[0], picture.light.shape[1]))
    fraction, rim, middle, sky = measure_light(picture.light, picture.sun, depth, picture.ev)
    azimuth, elevation = sun_from_document(document)
    bearing = (azimuth - camera_azimuth_deg) % 360.0
    reading = picture.reading
    look = LightMeasures(
        bearing,
        elevation,
        fraction,
        rim,
        middle,
        sky,
        reading.sun_sky_stops,
        reading.light_cct_k,
    )
    return look, picture


def suggest(
    document: Document, table: ThumbnailRenderer, number: int, progress: Callable[[float], None]
) -> list[Suggestion]:
    """So many lights for the document's view, real ones while there are enough; fewer when it was cancelled."""
    eye, target = (np.array(p) for p in (document.stage.view.eye, document.stage.view.target))
    ahead = target - eye
    azimuth = azimuth_of(ahead)
    lights = candidates(document, azimuth, table.cancelled)
    real = [light for light in lights if light.real is not None]
    lights = real if len(real) >= number else lights
    looked = []
    for k, candidate in enumerate(lights):
        found = _look(table, candidate.document, azimuth)
        if found is None:
            break
        looked.append((candidate, *found))
        progress((k + 1) / len(lights))
    if not looked:
        return []
    colours = np.stack([_colours(picture.pixels) for _, _, picture in looked])
    # the length of a difference of these is the root mean square difference in colour, in units of FAR_DELTA_E
    seen = colours.reshape(len(looked), -1) / (FAR_DELTA_E * math.sqrt(math.prod(GRID)))
    chosen = spread_apart([look for _, look, _ in looked], number, seen)
    return [
        Suggestion(
            looked[k][0].document,
            looked[k][1],
            reason(looked[k][1]),
            looked[k][2],
            looked[k][0].real,
            min((_delta_e(colours[k], colours[j]) for j in chosen if j != k), default=math.nan),
        )
        for k in chosen
    ]


def _delta_e(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    return float(delta_e_2000(one, other).mean())
