# SPDX-License-Identifier: Apache-2.0
"""Relight the shipped demos for some suns, for `gloamet.preview.preliminary.demo_light`.

Run it with `python tools/demo/make_demo_light.py [NAME …]` after `make_demo_pictures.py`; a minute for each.
"""

from __future__ import annotations

import sys

import numpy as np

from gloamet.document.demo import FOLDER, TITLES, demo_document
from gloamet.output.layers import read_layers
from gloamet.preview.preliminary.air import extinction_per_km
from gloamet.preview.preliminary.demo_light import LEAST_ALBEDO, DemoLight, light_file
from gloamet.preview.preliminary.surfaces import view_directions
from gloamet.sky.dome import SkyDome
from gloamet.sky.preliminary_sky import radiance_at, table_positions
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.camera import Camera
from gloamet.stage.readers import read_file
from gloamet.trace.film import Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.relight.points import SourceGains
from gloamet.translation.document_to_light import air_from_document, build_stage, sun_from_document

ELEVATIONS_DEG = (2.0, 10.0, 22.0, 50.0)
AZIMUTHS_DEG = range(0, 360, 24)
BLOCK = 12  # pixels of the small planes, of a picture half as wide as the shipped one
NONE, ALL = (np.float32(0),) * 3, (np.float32(1),) * 3
SUN_INDIRECT, SKY = SourceGains(NONE, NONE, ALL, NONE), SourceGains(NONE, ALL, NONE, ALL)


def blocks(plane: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """Weighted means of blocks of a plane (H, W, 3)."""
    h, w = plane.shape[0] // BLOCK, plane.shape[1] // BLOCK
    cut = np.s_[: h * BLOCK, : w * BLOCK]
    total, weights = (
        p[cut].reshape(h, BLOCK, w, BLOCK, -1).sum((1, 3))
        for p in (plane * weight[..., None], weight[..., None])
    )
    whole = (plane * weight[..., None]).sum((0, 1)) / weight.sum()
    return np.where(weights > 0.0, total / np.maximum(weights, 1e-6), whole)


def _horizon(dome: SkyDome, camera: Camera) -> np.ndarray:
    """Mean of the horizon behind a view."""
    _eye, directions = view_directions(camera, 16, 1)
    level = directions.reshape(-1, 3) * np.array([1.0, 1.0, 0.0])
    level /= np.linalg.norm(level, axis=1, keepdims=True)
    return radiance_at(dome, table_positions(level)).mean(0)


def main() -> None:
    """Write the planes of every demo, or of those named."""
    for name in sys.argv[1:] or TITLES:
        document, solver, renderer = demo_document(name), SkySolver(), Renderer()
        layers = read_layers(FOLDER / f"{name}.exr")
        height, width = (side // 2 for side in layers.depth.shape)
        scene = place_in_world(read_file(str(document.stage.scene_file)), document.stage)
        compiled, air = build_stage(document, scene), air_from_document(document)
        camera = camera_from_view(document.stage.view)
        cache = RelightCache(compiled, camera, width, height, renderer.pool, renderer.threads)
        own = solver.dome(air, *sun_from_document(document))
        while not cache.full:
            cache.improve(build_environment(own))
        every = np.s_[: 2 * height : 2, : 2 * width : 2]
        albedo, solid = layers.albedo[every], (layers.depth[every] > 0.0).astype(float)
        shipped_sky = cache.relit(build_environment(own), SKY, at_rest=True)
        suns, sun_planes, sky_planes = [], [], []
        for elevation in ELEVATIONS_DEG:
            for azimuth in AZIMUTHS_DEG:
                dome = solver.dome(air, float(azimuth), elevation)
                lights = build_environment(dome)
                cache.relit(lights, SUN_INDIRECT, at_rest=True)
                light = cache.relit(lights, SUN_INDIRECT, at_rest=True)
                irradiance = np.pi * light / np.maximum(albedo, LEAST_ALBEDO)
                sun_planes.append(blocks(irradiance, solid) / (dome.sun_irradiance * dome.sun_visible))
                sky = cache.relit(lights, SKY, at_rest=True)
                per_level = blocks(sky, solid) / dome.sky_horizontal
                sky_planes.append(per_level / (blocks(shipped_sky, solid) / own.sky_horizontal))
                suns.append(dome.sun_direction)
        stored = DemoLight(
            np.array(suns, np.float32),
            np.array(sun_planes, np.float16),
            np.array(sky_planes, np.float16),
            extinction_per_km(air).astype(np.float32),
            _horizon(own, camera),
        )
        path = light_file(name)
        np.savez_compressed(path, **stored._asdict())
        print(name, stored.sun.shape, path.stat().st_size)


if __name__ == "__main__":
    main()
