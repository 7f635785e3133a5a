# SPDX-License-Identifier: Apache-2.0
"""Light of a document: air, dome, environment, and their combination for rendering and files.

The document's decisions become a Dome, a weighted picture, an exposure and a file.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache, partial
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import apply_gain, colour_tuple
from gloamet.develop.backdrop import NOTHING, over_backdrop, unpremultiplied
from gloamet.develop.exact import develop_exact
from gloamet.develop.masks import NO_PLANES, MaskPlanes
from gloamet.develop.settings import SATURATION
from gloamet.document.model import Document
from gloamet.light_layers import EVEN, LIGHTS, Gain
from gloamet.meter.light import read_light
from gloamet.meter.picture import SeenSurfaces
from gloamet.output.images import check_ending, save_display, save_light
from gloamet.sky.air import Air
from gloamet.sky.dome import SkyDome, SkySolver
from gloamet.sky.grading import SkyGrade, graded_dome
from gloamet.sky.irradiance import open_sky
from gloamet.sky.moonlight import with_moon
from gloamet.sky.sky_cache import SkyInterpolator
from gloamet.sky.sky_models import PHYSICAL, SkyModel, model_dome
from gloamet.stage.assembly import StageEdits, apply_edits, ground_from_stage
from gloamet.stage.camera import Camera
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Scene
from gloamet.sun.moment import Moment, moment_at
from gloamet.sun.moon import Moon, moon_at
from gloamet.sun.place import resolve_zone
from gloamet.thread_pool import shared_pool
from gloamet.trace.contact_shadow import contact_shadow_loss
from gloamet.trace.contours import MAP_SCALE, composite_lines, contours
from gloamet.trace.denoise import denoise_prefiltered, match_mean_luminance
from gloamet.trace.film import Film
from gloamet.trace.first_hits import SOLID, first_hits
from gloamet.trace.lights.environment import (
    Environment,
    before_backdrop,
    build_environment,
    panorama_environment,
)
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.trace.surfaces.materials import ground_tint
from gloamet.translation.document_to_panorama import PanoramaInputs, PanoramaLight, read_panorama
from gloamet.translation.document_to_picture import (
    backdrop_from_document,
    develop_settings,
    exposure_from_document,
    gains_from_document,
)
from gloamet.translation.final_render import StopCriterion

ALWAYS_SAVED = ("sun", "sky")  # dark or not: what composites a picture counts on them
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


@dataclass(frozen=True)
class FinishedLight:
    """The finished light of a film, AP1 cd/m2 (H, W, 3): the whole, its parts by name, which add up to it, and what of
    these has bounced."""

    whole: Floats
    parts: dict[str, Floats]
    indirect: dict[str, Floats] = field(default_factory=dict)

    def through(self, fraction: Floats, added: Floats, name: str) -> FinishedLight:
        """The light through something that lets a share of it by and adds light of its own, one more part."""
        parts = {key: part * fraction for key, part in self.parts.items()}
        indirect = {key: part * fraction for key, part in self.indirect.items()}
        return FinishedLight(self.whole * fraction + added, {**parts, name: added}, indirect)


def stop_criterion(document: Document) -> StopCriterion:
    """Make the stop criterion of a saved picture.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    StopCriterion
        Samples, noise and gains.
    """
    out = document.output
    return StopCriterion(out.samples, out.noise / 100.0 or None, gains=gains_from_document(document))


def finished_light(
    document: Document, film: Film, clean: bool, lights: Environment | None = None
) -> FinishedLight:
    """The film under the document's gains, each part without noise when asked. `lights` are those it was exposed to:
    without them the sky's saturation and contact shadow are left out."""
    gains = gains_from_document(document, EVEN if lights is None else lights.sky_colour)._asdict()
    shining = [light for light in LIGHTS if film.layers[light.name].any()]
    parts: dict[str, Floats] = {light.name: film.mean(light.name) for light in LIGHTS}
    indirect_parts = {light.indirect: film.mean(light.indirect) for light in shining}
    if clean:
        noisy = [parts[light.name] - indirect_parts[light.indirect] for light in shining] + list(
            indirect_parts.values()
        )
        cleaned = denoise_prefiltered(noisy, film)
        assert cleaned is not None  # nobody cancels
        for k, light in enumerate(shining):
            direct, indirect = cleaned[k], cleaned[k + len(shining)]
            if light.sparse:
                indirect = match_mean_luminance(indirect, noisy[k + len(shining)])
                direct = match_mean_luminance(direct, noisy[k])
            parts[light.name], indirect_parts[light.indirect] = direct + indirect, indirect
    if lights is not None and document.fill.contact_shadow > 0.0:
        _subtract_contact_shadow(document.fill.contact_shadow, film, lights, parts, indirect_parts)
    for light in shining:
        gain: Gain = gains[light.name]
        indirect = indirect_parts[light.indirect]
        parts[light.name] = apply_gain(parts[light.name], indirect, *gain)
        indirect_parts[light.indirect] = indirect * np.array(gain.indirect, np.float32)
    whole = np.zeros_like(parts[LIGHTS[0].name])
    for part in parts.values():
        whole += part
    return FinishedLight(whole, parts, indirect_parts)


def _subtract_contact_shadow(
    fraction: float,
    film: Film,
    lights: Environment,
    parts: dict[str, Floats],
    indirect_parts: dict[str, Floats],
) -> None:
    """Take contact shadow off the direct light of sky and panorama."""
    albedo, normal = film.mean("albedo"), film.mean("normal")
    for light, env in (("sky", lights), ("panorama", lights.panorama)):
        if env is not None and f"{light}_indirect" in indirect_parts:
            direct = parts[light] - indirect_parts[f"{light}_indirect"]
            parts[light] = parts[light] - contact_shadow_loss(
                direct, albedo, normal, open_sky(env.table), fraction
            )


def with_contours(
    document: Document, compiled: RenderScene, camera: Camera, light: FinishedLight
) -> FinishedLight:
    """The whole under ink contours, when the document's plaster wants them; the layers stay plain."""
    plaster = document.stage.plaster
    if not (plaster.on and plaster.contours):
        return light
    height, width = light.whole.shape[:2]
    finer = MAP_SCALE if height <= 2200 else 1
    pool = shared_pool()
    maps = first_hits(compiled, camera, finer * width, finer * height, pool, SOLID)
    cover = contours(maps, plaster.contour_px, finer)
    return replace(light, whole=composite_lines(light.whole, cover))


def incident_ev_from_document(document: Document) -> float:
    """EV100 that a meter on horizontal ground reads in the document's light; -inf in the dark."""
    dome = dome_from_document(document)
    panorama = panorama_from_document(document, dome)
    gains = gains_from_document(document, colour_tuple(dome.sky_horizontal))
    return read_light(dome, gains, None if panorama is None else panorama.lighting).incident_ev


def surfaces_of_film(film: Film) -> SeenSurfaces:
    """Return the surfaces that the scene meter reads.

    Parameters
    ----------
    film : Film
        The film.

    Returns
    -------
    SeenSurfaces
        Albedo and distances.
    """
    return SeenSurfaces(film.mean("albedo"), film.mean("depth"))


def save_picture(
    path: Path,
    document: Document,
    film: Film,
    light: FinishedLight,
    exposed: bool = False,
    sixteen_bit: bool = False,
    planes: MaskPlanes = NO_PLANES,
) -> float:
    """Save a finished picture in the format of the file's ending.

    .exr holds linear light with its layers, other formats the developed picture. With a backdrop, light is that of
    the objects alone with an alpha channel.

    Parameters
    ----------
    path : Path
        The file.
    document : Document
        The document.
    film : Film
        The film.
    light : FinishedLight
        Its finished light.
    exposed : bool, optional
        Whether to scale an .exr by the exposure.
    sixteen_bit : bool, optional
        Whether to write 16-bit PNG.
    planes : MaskPlanes, optional
        What the masks ask for.

    Returns
    -------
    float
        EV at ISO 100 that was used.

    Raises
    ------
    GloametError
        The file cannot be written.
    """
    backdrop = backdrop_from_document(document)
    alpha = None if backdrop is None else np.clip(1.0 - film.mean("transparency"), 0.0, 1.0)
    incident = partial(incident_ev_from_document, document)
    ev = exposure_from_document(document, light.whole, surfaces_of_film(film), incident).ev
    if check_ending(path) == ".exr":
        white = SATURATION * 2.0**ev if exposed else 1.0
        scale = np.float32(1.0 / white)
        layers = {
            name: part * scale
            for name, part in (light.parts | light.indirect).items()
            if name in ALWAYS_SAVED or part.any()
        }
        layers |= {name: film.mean(name) for name in ("albedo", "normal", "depth")}
        save_light(path, light.whole * scale, layers, white, alpha)
        return ev
    codes = developed_codes(document, film, light, ev, planes)
    save_display(path, codes, sixteen_bit, alpha if backdrop == NOTHING else None)
    return ev


def developed_codes(
    document: Document, film: Film, light: FinishedLight, ev: float, planes: MaskPlanes = NO_PLANES
) -> Floats:
    """The picture developed at an EV, codes 0..1 (H, W, 3), over the document's backdrop; of the things alone where
    that is nothing."""
    backdrop, transparency = backdrop_from_document(document), film.mean("transparency")
    picture = light.whole if backdrop is None else unpremultiplied(light.whole, transparency)
    codes = develop_exact(picture, develop_settings(document, ev), planes)
    return codes if backdrop is None or backdrop == NOTHING else over_backdrop(codes, transparency, backdrop)
