# SPDX-License-Identifier: Apache-2.0
"""Light of a document: air, dome, environment, and their combination for rendering and files.

The document's decisions become a Dome, a weighted picture, an exposure and a file.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.model import Document
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome
from gloamet.sky.grading import SkyGrade, graded_dome
from gloamet.sky.moonlight import with_moon
from gloamet.sky.sky_cache import SkyInterpolator
from gloamet.sky.sky_models import PHYSICAL, SkyModel, model_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.assembly import StageEdits, apply_edits, ground_from_stage
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Scene
from gloamet.sun.moment import Moment, moment_at
from gloamet.sun.moon import Moon, moon_at
from gloamet.sun.site import resolve_zone
from gloamet.trace.lights.environment import (
    Environment,
    before_backdrop,
    build_environment,
    panorama_environment,
)
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.trace.surfaces.materials import ground_tint
from gloamet.translation.document_to_panorama import PanoramaInputs, PanoramaLight, read_panorama

Floats = NDArray[np.float32]


def air_from_document(document: Document) -> Air:
    """Make the air of a document.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    Air
        The air.
    """
    a = document.air
    haze_visibility_km = a.haze_visibility_km if a.haze_on else None
    site = document.site
    return Air(
        turbidity=a.turbidity,
        haze_visibility_km=haze_visibility_km,
        ground_reflectance=a.ground_reflectance,
        altitude_m=site.altitude_m,
        ozone_du=a.ozone_du,
        haze_height_m=a.haze_height_m,
        particles=a.particles,
        ground_tint=tint_from_document(document),
    )


def grade_from_document(document: Document) -> SkyGrade:
    """Make the sky grading of a document.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    SkyGrade
        The grading.
    """
    sky = document.sky
    return SkyGrade(*(getattr(sky, name) for name in SkyGrade._fields))


def sky_model_from_document(document: Document) -> SkyModel:
    """Make the sky model of a document.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    SkyModel
        The sky model.
    """
    a = document.air
    return SkyModel(a.sky_model, a.cie_sky, a.sky_lx, a.sky_kelvin) if a.sky_model != "physical" else PHYSICAL


def sun_from_document(document: Document) -> tuple[float, float]:
    """Compute the sun of a document in the scene.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    tuple of float
        Azimuth and apparent elevation, degrees, with north applied.
    """
    sun = document.sun
    azimuth, elevation = sun.azimuth_deg, sun.elevation_deg
    if sun.mode == "almanac":
        moment = _moment(document)
        azimuth, elevation = moment.azimuth_deg, moment.elevation_deg
    return (azimuth + sun.north_deg) % 360.0, elevation


def _moment(document: Document) -> Moment:
    site = document.site
    zone = resolve_zone(site.timezone)
    return moment_at(document.sun.wall_time, site.latitude_deg, site.longitude_deg, zone)


def moon_from_document(document: Document) -> Moon:
    """The moon of the document's clock time; its azimuth is the sky's, north not turned in."""
    site = document.site
    return moon_at(_moment(document).instant.timestamp(), site.latitude_deg, site.longitude_deg)


class SkyInputs(NamedTuple):
    """What the sky of a moment is made of: degrees in the scene, north turned in; the moon if it shines."""

    model: SkyModel
    air: Air
    azimuth_deg: float
    elevation_deg: float
    diameter_deg: float
    moon: Moon | None
    moon_azimuth_deg: float

    @classmethod
    def of(cls, document: Document) -> SkyInputs:
        """Those of a document."""
        model = sky_model_from_document(document)
        moonlit = document.sun.moon and model.name == "physical"
        moon = moon_from_document(document) if moonlit else None
        turned = moon.azimuth_deg + document.sun.north_deg if moon else 0.0
        sun = sun_from_document(document)
        return cls(model, air_from_document(document), *sun, document.sun.diameter_deg, moon, turned)


def solve_sky(inputs: SkyInputs, solver: SkySolver | SkyInterpolator) -> SkyDome:
    """Solve the sky of a moment.

    Parameters
    ----------
    inputs : SkyInputs
        Inputs of the sky.
    solver : SkySolver or SkyInterpolator
        Solver of the sky.

    Returns
    -------
    SkyDome
        The dome, without grading.
    """
    sun = inputs.azimuth_deg, inputs.elevation_deg, inputs.diameter_deg
    dome = model_dome(inputs.model, inputs.air, *sun, solver)
    if inputs.moon is None:
        return dome
    return with_moon(dome, solver, inputs.air, inputs.moon, inputs.moon_azimuth_deg)


def dome_from_document(document: Document) -> SkyDome:
    """Solve the graded sky of a document.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    SkyDome
        The dome.
    """
    return graded_dome(solve_sky(SkyInputs.of(document), SkySolver()), grade_from_document(document))


def build_stage(document: Document, scene: Scene) -> RenderScene:
    """Build the render scene of a document.

    Parameters
    ----------
    document : Document
        The document.
    scene : Scene
        The placed scene.

    Returns
    -------
    RenderScene
        The render scene.
    """
    stage = document.stage
    ground = ground_from_stage(stage.ground, stage.muted, document.air.ground_reflectance, scene)
    return build_render_scene(apply_edits(scene, StageEdits.of(stage)), ground)


@lru_cache(maxsize=8)
def _tint(colour: tuple[float, float, float], water: bool) -> tuple[float, float, float]:
    """Asked for several times a picture while dragging."""
    r, g, b = ground_tint(GroundPlane(reflectance=1.0, colour=colour, water=water)).tolist()
    return r, g, b


def tint_from_document(document: Document) -> tuple[float, float, float]:
    """Return the hue of a document's ground.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    tuple of float
        AP1 of luminance 1.
    """
    ground = document.stage.ground
    return _tint(ground.colour, ground.water)


def join_lights(
    dome: SkyDome, panorama: PanoramaLight | None, tint: tuple[float, ...], backdrop: bool
) -> Environment:
    """Join sky and panorama into one environment.

    Parameters
    ----------
    dome : SkyDome
        The sky.
    panorama : PanoramaLight or None
        The panorama; None without one.
    tint : tuple of float
        Hue of the ground below the horizon, AP1.
    backdrop : bool
        Whether a backdrop replaces the visible sky.

    Returns
    -------
    Environment
        Sky and panorama for the kernels.
    """
    below = np.asarray(tint, np.float32)
    second = None
    if panorama is not None:
        second = panorama_environment(panorama.dome, panorama.picture, panorama.lights, below)
    lights = replace(build_environment(dome, below), panorama=second)
    return before_backdrop(lights) if backdrop else lights


def panorama_from_document(document: Document, dome: SkyDome) -> PanoramaLight | None:
    """Read the panorama of a document.

    Parameters
    ----------
    document : Document
        The document.
    dome : SkyDome
        The sky.

    Returns
    -------
    PanoramaLight or None
        The panorama; None without one.

    Raises
    ------
    GloametError
        The panorama cannot be read.
    """
    inputs = PanoramaInputs.of(document, dome, sun_from_document(document)[0])
    return None if inputs is None else read_panorama(inputs)


def environment_from_document(
    document: Document, dome: SkyDome, panorama: PanoramaLight | None
) -> Environment:
    """Make the environment of a document.

    Parameters
    ----------
    document : Document
        The document.
    dome : SkyDome
        The sky.
    panorama : PanoramaLight or None
        The panorama; None without one.

    Returns
    -------
    Environment
        Sky and panorama for the kernels.
    """
    return join_lights(dome, panorama, tint_from_document(document), document.sky.backdrop != "sky")
