# SPDX-License-Identifier: Apache-2.0
"""Draws preliminary pictures: sun by shadow rays, sky and indirect light from shipped planes, a shipped clear sky.

A request enters; the light of its moment, a picture and the round sky are reported. Nothing here needs a compiled
kernel; what is refined (bounces of a model of one's own, glass, textures, other sky models) comes with the renderer.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import colour_tuple
from gloamet.colour.spaces import luminance
from gloamet.develop.exact import exact_pixels
from gloamet.develop.masks import MaskPlanes
from gloamet.develop.settings import DevelopSettings
from gloamet.document.demo import demo_document
from gloamet.document.model import Document
from gloamet.document.stage import Stage
from gloamet.errors import GloametError
from gloamet.light_layers import Gains
from gloamet.memo import Memo
from gloamet.meter.light import illuminance_ev
from gloamet.meter.picture import SeenSurfaces
from gloamet.output.layers import StoredLayers
from gloamet.preview.events import DiscPainted, Event, Failed, Frame, Loading, PaletteSolved, SceneLoaded
from gloamet.preview.light_readout import light_solved
from gloamet.preview.preliminary.air import AirInFront, through_air
from gloamet.preview.preliminary.demo_light import LEAST_ALBEDO, demo_light, indirect_planes
from gloamet.preview.preliminary.surfaces import ShadowRays, VisibleSurfaces, view_directions
from gloamet.preview.requests import RenderRequest
from gloamet.preview.shipped_picture import demo_in_view, shipped_layers
from gloamet.preview.sky_image import disc_directions, disc_ev
from gloamet.sky.dome import SkyDome
from gloamet.sky.grading import graded_dome
from gloamet.sky.preliminary_sky import preliminary_dome, preliminary_palette, radiance_at, table_positions
from gloamet.stage.assembly import (
    StageEdits,
    apply_edits,
    camera_from_view,
    ground_from_stage,
    placement_from_stage,
)
from gloamet.stage.placing import to_world_scene
from gloamet.stage.readers import read_file
from gloamet.stage.readers.progress import Cancelled, ProgressToken
from gloamet.stage.scene import Scene
from gloamet.thread_pool import shared_pool
from gloamet.trace.quality import QUALITIES
from gloamet.translation.document_to_aerial import aerial_gain, aerial_settings
from gloamet.translation.document_to_light import SkyInputs, grade_from_document
from gloamet.translation.document_to_picture import (
    develop_settings,
    exposure_from_document,
    gains_from_document,
)

Floats = NDArray[np.float32]
SMALL, LARGE, RESTING = 43_000, 97_000, 388_000  # pixels of a picture while moving, and at rest
FRAME_SECONDS = 0.06  # of a picture while moving
INITIAL_SPEED = 0.8e6  # pixels a second until it is measured
DISC_SECONDS = 0.5  # between two pictures of the sky
LEAST_OVER_PI = np.float32(LEAST_ALBEDO / math.pi)
MOST_TRIANGLES = (
    4_000_000  # a larger model waits for the renderer: a preliminary picture would hold it in memory twice
)


class _Seen(NamedTuple):
    """Surfaces of a view, and the shipped layers of a demo of the same size where it is one."""

    surfaces: VisibleSurfaces
    layers: StoredLayers | None
    demo: str


def _thinned(layers: StoredLayers, step: int) -> StoredLayers:
    """Every so many pixels of layers."""
    every = np.s_[::step, ::step]
    lights = {name: light[every] for name, light in layers.lights.items()}
    return StoredLayers(lights, *(np.ascontiguousarray(plane[every]) for plane in layers[1:]))


@lru_cache(maxsize=3)
def _shipped_sky(demo: str) -> NDArray[np.float64]:
    """Horizontal irradiance of the sky under which the layers of a demo were traced."""
    sky = SkyInputs.of(demo_document(demo))
    return preliminary_dome(sky.air, sky.azimuth_deg, sky.elevation_deg, sky.diameter_deg).sky_horizontal


class PreliminaryRenderer:
    """Draws preliminary pictures until the renderer is ready; `superseded` tells of a newer request."""

    def __init__(
        self,
        report: Callable[[Event], None],
        superseded: Callable[[], bool],
        give_up: Callable[[], bool] = lambda: False,
    ) -> None:
        """`give_up` tells whether to stop reading a model."""
        self._report, self._superseded, self._give_up = report, superseded, give_up
        self._pool = shared_pool()
        self._file = Memo(self._read)
        self._placed, self._edited = Memo(to_world_scene), Memo(apply_edits)
        self._rays = Memo(lambda scene: ShadowRays(scene, self._pool))
        self._views = Memo(self._look, 3)
        self._lit: Memo[Floats] = Memo(self._direct_sun, 2)
        self._refused = ""
        self._loaded: Scene | None = None
        self._disc_at = 0.0
        self._speed = INITIAL_SPEED

    def show(self, request: RenderRequest, with_picture: bool = True) -> None:
        """Report the light of a request and its picture, small at first, then at full size unless superseded; without
        a picture only what the next one needs is made ready."""
        document = request.document
        sky = SkyInputs.of(document)
        nature = preliminary_dome(sky.air, sky.azimuth_deg, sky.elevation_deg, sky.diameter_deg)
        dome = graded_dome(nature, grade_from_document(document))
        self._report(light_solved(document, sky, (nature, dome), None, None))
        scene = self._scene(document)
        if scene is not None and not with_picture:
            self._rays(scene)
        elif scene is not None:
            began, pixels = time.monotonic(), LARGE if self._speed * FRAME_SECONDS >= LARGE else SMALL
            frame = self._frame(request, scene, dome, pixels)
            self._speed = frame.pixels.shape[0] * frame.pixels.shape[1] / (time.monotonic() - began)
            self._report(frame)
        if time.monotonic() - self._disc_at > DISC_SECONDS or not self._superseded():
            self._disc_at = time.monotonic()
            self._report(DiscPainted(_disc(dome, document.sun.north_deg)))
            self._report(PaletteSolved(preliminary_palette(sky.air)))
        if scene is not None and with_picture and not self._superseded():
            self._report(self._frame(request, scene, dome, RESTING))

    def close(self) -> None:
        """Release the model."""
        for node in (
            self._file,
            self._placed,
            self._edited,
            self._rays,
            self._views,
            self._lit,
        ):
            node.forget()
        self._loaded = None
        shipped_layers.cache_clear()

    # -- the stage

    def _read(self, path: str, outside: bool) -> Scene:
        name = Path(path).name
        told = ProgressToken(
            lambda fraction, word: self._report(Loading(fraction, f"{word} {name}")), self._give_up
        )
        return read_file(Path(path), told, outside)

    def _scene(self, document: Document) -> Scene | None:
        """The edited scene, reported when it is new; None without one that can be drawn."""
        stage = document.stage
        if not stage.scene_file or stage.scene_file == self._refused:
            return None
        try:
            file = self._file(stage.scene_file, stage.outside_files)
            placed = self._placed(file, placement_from_stage(stage, file.origin))
        except GloametError as error:
            self._refused = stage.scene_file
            self._report(Loading(1.0, ""))
            self._report(Failed(str(error), stage.scene_file))
            if isinstance(error, Cancelled):
                raise
            return None
        if placed is not self._loaded:
            self._loaded = placed
            self._report(SceneLoaded(placed, stage.scene_file, file))
            self._report(Loading(1.0, ""))
        scene = self._edited(placed, StageEdits.of(stage))
        return scene if sum(len(part.triangles) for part in scene.parts) <= MOST_TRIANGLES else None

    def _look(
        self, scene: Scene, stage: Stage, reflectance: float, demo: str, size: tuple[int, int]
    ) -> _Seen:
        """What the view of a stage shows at about a size; `demo` names the one whose layers show it."""
        camera = camera_from_view(stage.view)
        if demo:
            whole = shipped_layers(demo)
            layers = _thinned(whole, max(1, round(math.sqrt(whole.depth.size / (size[0] * size[1])))))
            eye, directions = view_directions(camera, layers.depth.shape[1], layers.depth.shape[0])
            return _Seen(VisibleSurfaces(*layers[1:], directions, eye), layers, demo)
        ground = ground_from_stage(stage.ground, stage.muted, reflectance, scene)
        return _Seen(self._rays(scene).surfaces(scene, ground, camera, size), None, "")

    # -- the picture

    def _direct_sun(
        self, rays: ShadowRays, surfaces: VisibleSurfaces, azimuth: float, elevation: float
    ) -> Floats:
        """Cosine of the sun's incidence where it comes through, (H, W)."""
        a, e = math.radians(azimuth), math.radians(elevation)
        direction = np.array([math.sin(a) * math.cos(e), math.cos(a) * math.cos(e), math.sin(e)])
        cosine = surfaces.normals @ direction.astype(np.float32)
        facing = np.flatnonzero(cosine > 0.0)
        out = np.zeros(surfaces.depth.size, np.float32)
        out[surfaces.solid[facing]] = cosine[facing] * rays.lit(surfaces.origins[facing], direction)
        return out.reshape(surfaces.depth.shape)

    def _light(self, seen: _Seen, scene: Scene, dome: SkyDome, gains: Gains, reflectance: float) -> Floats:
        """Light of every pixel, AP1 cd/m2, before the air in front."""
        surfaces = seen.surfaces
        out = np.zeros_like(surfaces.albedo)
        over_pi = surfaces.albedo / np.float32(math.pi)
        sun = dome.sun_irradiance * dome.sun_visible
        if sun.any():
            moment = dome.sun_azimuth_deg, max(dome.sun_elevation_deg, 0.05)
            facing = self._lit(self._rays(scene), surfaces, *moment)
            out += over_pi * facing[..., None] * (sun * gains.sun.direct).astype(np.float32)
        sky = dome.sky_horizontal * gains.sky.direct
        if seen.layers is None:
            up = 0.5 + 0.5 * surfaces.normal[..., 2:]
            ground = reflectance * (
                dome.sun_horizontal * gains.sun.indirect + dome.sky_horizontal * gains.sky.indirect
            )
            out += over_pi * (up * sky.astype(np.float32) + (1.0 - up) * ground.astype(np.float32))
        else:
            shape = surfaces.depth.shape
            indirect, factor = indirect_planes(demo_light(seen.demo), dome.sun_direction, shape)
            out += (
                np.maximum(over_pi, LEAST_OVER_PI) * indirect * (sun * gains.sun.indirect).astype(np.float32)
            )
            shipped = _shipped_sky(seen.demo)
            out += seen.layers.lights["sky"] * factor * (sky / shipped).astype(np.float32)
            if "lamps" in seen.layers.lights:
                out += seen.layers.lights["lamps"] * np.array(gains.lamps.direct, np.float32)
        if len(surfaces.sky):
            behind = radiance_at(dome, surfaces.sky_positions) * np.array(gains.sky.direct, np.float32)
            out.reshape(-1, 3)[surfaces.sky] = behind
        return out

    def _frame(self, request: RenderRequest, scene: Scene, dome: SkyDome, pixels: int) -> Frame:
        document = request.document
        aspect = document.output.width / document.output.height
        height = max(16, int(math.sqrt(pixels / aspect)))
        size, reflectance = (max(16, int(height * aspect)), height), document.air.ground_reflectance
        seen = self._views(scene, document.stage, reflectance, demo_in_view(document), size)
        gains = gains_from_document(document, colour_tuple(dome.sky_horizontal))
        picture = self._light(seen, scene, dome, gains, reflectance)
        settings = aerial_settings(document, gains, camera_from_view(document.stage.view))
        if settings is not None:
            front = AirInFront(SkyInputs.of(document).air, settings, aerial_gain(document, dome))
            picture = through_air(picture, seen.surfaces, dome, front)
        depth = seen.surfaces.depth
        surfaces = SeenSurfaces(seen.surfaces.albedo, depth)
        level = dome.sun_horizontal * gains.sun.direct + dome.sky_horizontal * gains.sky.direct
        incident = illuminance_ev(float(luminance(level)))
        exposure = exposure_from_document(document, picture, surfaces, lambda: incident, request.held_ev)
        shown = exact_pixels(picture, develop_settings(document, exposure.ev), MaskPlanes(depth))
        goal, samples = QUALITIES[document.stage.quality].noise, document.output.samples
        return Frame(
            shown, 0, samples, *exposure, False, 0.0, 0.0, goal=goal, document=document, light=picture
        )


def _disc(dome: SkyDome, north_deg: float) -> NDArray[np.uint8]:
    """The sky disc without a compiled kernel, (n, n, 4) uint8 RGBX."""
    directions = disc_directions(north_deg)
    light = radiance_at(dome, table_positions(directions.reshape(-1, 3))).reshape(directions.shape)
    return exact_pixels(light, DevelopSettings(disc_ev(light), 6000.0))
