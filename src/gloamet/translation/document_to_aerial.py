# SPDX-License-Identifier: Apache-2.0
"""Aerial perspective of a document: solved for its sun and eye, composited over finished light.

A document, its dome and a solver enter; an `AerialPerspective` leaves. Under skies by other models, and where sun and
moon both light it, in twilight, the air is lit as the horizon is.
"""

from __future__ import annotations

import math
from concurrent.futures import Executor
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import colour_tuple, tint_gain
from gloamet.colour.spaces import luminance
from gloamet.document.model import Document
from gloamet.light_layers import Gains
from gloamet.sky.aerial import AerialTable, lit_by_horizon, rotated_to, rows_between, solve_aerial, with_gain
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome
from gloamet.sky.moonlight import moon_fraction
from gloamet.sky.sky_cache import SkyInterpolator
from gloamet.sky.sky_models import SkyModel
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.sun.moon import MOON_TINT
from gloamet.thread_pool import shared_pool
from gloamet.trace.aerial_perspective import AerialSettings, composite_aerial_perspective
from gloamet.trace.film import Film
from gloamet.trace.pixel_distances import FarParts, far_parts
from gloamet.translation.document_to_light import SkyInputs, air_from_document, panorama_from_document
from gloamet.translation.document_to_picture import gains_from_document
from gloamet.translation.finished_light import FinishedLight

Floats = NDArray[np.float32]
AERIAL = "aerial"  # the part of finished light that the air adds
QUICK_STEP_DEG, LOW_QUICK_STEP_DEG, LOW_SUN_DEG = (
    2.0,
    0.5,
    8.0,
)  # between elevations of the sun while dragging
BRIGHT_CD_M2 = 1e7  # beside which what the air adds is little: their difference keeps its figures
DARK_DEG = -10.0  # elevation of the sun below which a moon lights the air alone
EYE_STEP_M = 1.0  # of the eye's height, so that a walk on horizontal ground solves nothing again


def light_source_direction(sky: SkyInputs) -> tuple[tuple[float, float], float]:
    """Return the direction of what lights the air.

    Parameters
    ----------
    sky : SkyInputs
        Inputs of the sky.

    Returns
    -------
    tuple of tuple of float and float
        Azimuth and elevation of sun or moon, degrees, and the moon's fraction of sunlight, 0 for the sun.
    """
    fraction = 0.0 if sky.moon is None else moon_fraction(sky.moon, sky.elevation_deg)
    if sky.moon is None or fraction == 0.0:
        return (sky.azimuth_deg, sky.elevation_deg), 0.0
    return (sky.moon_azimuth_deg, sky.moon.elevation_deg), fraction


@lru_cache(maxsize=8)
def _elevations_in_view(camera: Camera, aspect: float) -> tuple[float, float]:
    """Lowest and highest elevation that a camera sees, to 5 degrees; asked for with every picture while dragging."""
    sines = [camera.ray(x, y, aspect)[2] for x in (0.0, 0.5, 1.0) for y in (0.0, 0.5, 1.0)]
    low, high = (math.degrees(math.asin(min(1.0, max(-1.0, z)))) for z in (min(sines), max(sines)))
    return 5.0 * math.floor(low / 5.0), 5.0 * math.ceil(high / 5.0)


def quick_elevation_deg(elevation_deg: float) -> float:
    """Round a sun elevation for use while dragging.

    Parameters
    ----------
    elevation_deg : float
        Apparent elevation, degrees, −90 to 90.

    Returns
    -------
    float
        Degrees; several pictures of a drag share it.
    """
    step = QUICK_STEP_DEG if elevation_deg > LOW_SUN_DEG else LOW_QUICK_STEP_DEG
    return step * round(elevation_deg / step)


class AerialInputs(NamedTuple):
    """What the air in front is solved from: the model of the sky, its air, the height of what lights it, sun or moon,
    and the fraction of sunlight that this sends, whether both light it, the eye's height, the elevations in view
    (degrees). Where they stand round about is no matter of it."""

    model: SkyModel
    air: Air
    elevation_deg: float
    fraction: float
    by_both: bool
    eye_height_m: float
    lowest_deg: float
    highest_deg: float

    @property
    def by_horizon(self) -> bool:
        """Whether the air is lit as the horizon is."""
        return self.model.name != "physical" or self.by_both

    @classmethod
    def of(cls, sky: SkyInputs, camera: Camera, aspect: float, quick: bool = False) -> AerialInputs:
        """Those of a sky seen by a camera whose picture is so many times wider than high; `quick` takes a height of the
        sun near its own."""
        eye = EYE_STEP_M * round(float(camera.eye[2]) / EYE_STEP_M)
        (_azimuth, elevation), by_moon = light_source_direction(sky)
        elevation = quick_elevation_deg(elevation) if quick else elevation
        mixed = by_moon > 0.0 and sky.elevation_deg > DARK_DEG
        return cls(
            sky.model, sky.air, elevation, by_moon or 1.0, mixed, eye, *_elevations_in_view(camera, aspect)
        )


@dataclass(frozen=True, eq=False)
class AerialPerspective:
    """The air between a camera and what it sees."""

    table: AerialTable
    settings: AerialSettings
    camera: Camera
    least_lost: float = 0.0  # fraction of light that it must take to be shown

    def over(self, picture: Floats, parts: FarParts, pool: Executor) -> Floats:
        """A picture (H, W, 3) through it, by what of each pixel is far, and how far."""
        return composite_aerial_perspective(
            self.table, self.settings, self.camera, picture, parts, pool, self.least_lost
        )


def panorama_fraction(dome: SkyDome, panorama: SkyDome | None) -> float:
    """Compute the illuminance of a panorama over that of sun and sky.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    panorama : SkyDome or None
        Dome of the panorama; None without one.

    Returns
    -------
    float
        Ratio of horizontal illuminances before gains.
    """
    if panorama is None:
        return 0.0
    nature = float(luminance(dome.sun_horizontal + dome.sky_horizontal))
    return float(luminance(panorama.sun_horizontal + panorama.sky_horizontal)) / max(nature, 1e-12)


def aerial_settings(
    document: Document, gains: Gains, camera: Camera, by_panorama: float = 0.0
) -> AerialSettings | None:
    """Make the settings of the aerial perspective.

    Parameters
    ----------
    document : Document
        The document.
    gains : Gains
        Gains of the lights.
    camera : Camera
        The camera.
    by_panorama : float, optional
        Result of `panorama_fraction`: the panorama lights the air as much more as it lights the ground.

    Returns
    -------
    AerialSettings or None
        The settings; None when it is off, or for a parallel camera.
    """
    air = document.air
    if not air.aerial_perspective or air.aerial_strength == 0.0 or camera.parallel_m > 0.0:
        return None
    dims = float(air.aerial_on_sky and document.sky.backdrop == "sky")
    more = by_panorama * np.array(gains.panorama.direct)
    lit = colour_tuple(gains.sun.direct + more), colour_tuple(gains.sky.direct + more)
    return AerialSettings(_density(document), air.aerial_strength, air.aerial_start_m, *lit, dims)


def aerial_gain(document: Document, dome: SkyDome) -> NDArray[np.float64]:
    """Compute the gain of the light that the air adds.

    Parameters
    ----------
    document : Document
        The document.
    dome : SkyDome
        The sky.

    Returns
    -------
    ndarray
        Gain of each AP1 channel, (3,): sky grading at the horizon and the tint.
    """
    air = document.air
    return np.asarray(dome.horizon_gain * tint_gain(air.aerial_tint, air.aerial_tint_strength))


def _density(document: Document) -> float:
    """How many times denser the air is made by a visibility of its own."""
    wanted = document.air.aerial_visibility_km
    return air_from_document(document).visibility_km / wanted if wanted > 0.0 else 1.0


def solve_aerial_perspective(
    inputs: AerialInputs, dome: SkyDome | None, solver: SkySolver, ahead: SkyInterpolator | None = None
) -> AerialTable:
    """Solve the aerial perspective of a sky.

    Parameters
    ----------
    inputs : AerialInputs
        Sky, sun elevation, eye height and elevations in view.
    dome : SkyDome or None
        Dome whose horizon lights the air where needed.
    solver : SkySolver
        Solver of the sky.
    ahead : SkyInterpolator or None, optional
        Interpolator that gives the light on horizontal ground; None computes it.

    Returns
    -------
    AerialTable
        The table, for a sun or moon in the north.
    """
    rows = rows_between(inputs.lowest_deg, inputs.highest_deg)
    level = None if ahead is None else ahead.level(inputs.air, inputs.elevation_deg)
    sun = 0.0, inputs.elevation_deg
    table = solve_aerial(solver, inputs.air, sun, inputs.eye_height_m, rows, level)
    if inputs.fraction < 1.0:
        table = with_gain(table, inputs.fraction * MOON_TINT)
    return table if dome is None or not inputs.by_horizon else lit_by_horizon(table, dome.natural_horizon)


def apply_aerial_perspective(
    document: Document, dome: SkyDome, camera: Camera, light: FinishedLight, film: Film
) -> FinishedLight:
    """Finished light through the air in front of it, whose own light is one more part, `aerial`."""
    panorama = panorama_from_document(document, dome)
    fraction = panorama_fraction(dome, None if panorama is None else panorama.lighting)
    gains = gains_from_document(document, colour_tuple(dome.sky_horizontal))
    settings, (height, width) = aerial_settings(document, gains, camera, fraction), light.whole.shape[:2]
    if settings is None:
        return light
    sky = SkyInputs.of(document)
    inputs = AerialInputs.of(sky, camera, width / height)
    table = with_gain(solve_aerial_perspective(inputs, dome, SkySolver()), aerial_gain(document, dome))
    front = AerialPerspective(rotated_to(table, *light_source_direction(sky)[0]), settings, camera)
    distances = far_parts(film.mean("depth"), film.mean("near"))
    pool = shared_pool()
    added = front.over(np.zeros_like(light.whole), distances, pool)
    bright = np.full_like(light.whole, BRIGHT_CD_M2)
    passing = (front.over(bright, distances, pool) - added) / np.float32(BRIGHT_CD_M2)
    return light.through(passing, added, AERIAL)
