# SPDX-License-Identifier: Apache-2.0
"""Making the displays of a relight cache: what the camera sees at one size, ready to be lit, and its outlines.

A camera, scene arrays and the g-buffers of the cache's pixels enter; `Display`s, outlines and plain features leave.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.stage.camera import Camera
from gloamet.trace.relight.antialias import SUBSAMPLES, find_edge_coverage
from gloamet.trace.relight.composite import pack_diffuse, pack_specular
from gloamet.trace.relight.frame import OutlineArrays
from gloamet.trace.relight.gbuffer import LIGHT_STRICTNESS, fill_gbuffer, find_upsample_taps
from gloamet.trace.relight.points import (
    ALBEDO,
    ON_GROUND,
    PATH_WEIGHT,
    PIXEL_KIND,
    POINT_NORMAL,
    POINT_POSITION,
    SKY_PIXEL,
    SKY_U,
)
from gloamet.trace.relight.relit_layer import Display, Floats, GBuffer
from gloamet.trace.relight.sun_rays import mark_coplanar_neighbours, mark_interpolable
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.upsample import FeatureBuffers
from gloamet.trace.worker_pool import WorkerPool

NO_OUTLINES = OutlineArrays(
    np.zeros(0, np.int32), np.zeros((0, SUBSAMPLES), np.int32), np.zeros((0, 3), np.float32)
)


def fill(
    workers: WorkerPool,
    scene: RenderScene,
    camera: Camera,
    ahead: GBuffer,
    reflected: GBuffer,
    cancelled: Callable[[], bool],
) -> bool:
    """Look through every pixel of the g-buffers of both layers; False when cancelled."""
    before = (scene.arrays(), camera.packed(ahead.width, ahead.height))
    return workers.run(
        fill_gbuffer, before, ahead.height, (ahead.arrays(), reflected.arrays()), cancelled, 16
    )


def prepare(workers: WorkerPool, display: Display, small: GBuffer, cancelled: Callable[[], bool]) -> bool:
    """Find what a display takes of the cache's pixels, and what its neighbours have in common; False when cancelled."""
    big = display.big
    sizes, flat = (small.arrays(), big.arrays()), (big.arrays(),)
    taps = (display.taps, display.fractions, LIGHT_STRICTNESS)
    if not workers.run(find_upsample_taps, sizes, big.height, taps, cancelled, 16):
        return False
    workers.run(mark_interpolable, flat, big.height, (display.interpolable,))
    workers.run(mark_coplanar_neighbours, flat, big.height, (display.coplanar,))
    pack(workers, display)
    return True


def pack(workers: WorkerPool, display: Display) -> None:
    """Shorten what shading reads of a display's pixels."""
    big = display.big
    before, n = (big.points, big.shading), len(big.points)
    workers.run(pack_diffuse, before, n, (display.diffuse,))
    if display.glossy:
        workers.run(pack_specular, before, n, (display.specular,))


def find_outlines(
    workers: WorkerPool, scene: RenderScene, camera: Camera, display: Display, cancelled: Callable[[], bool]
) -> OutlineArrays | None:
    """Find the pixels on outlines and what they are mixed from, and average fine textures; None when cancelled."""
    big = display.big
    covers, albedo = (
        np.empty((len(big.points), SUBSAMPLES), np.int32),
        np.empty((len(big.points), 3), np.float32),
    )
    before = (scene.arrays(), camera.packed(big.width, big.height), big.arrays())
    if not workers.run(find_edge_coverage, before, big.height, (covers, albedo), cancelled, 32):
        return None
    big.shading[:, ALBEDO : ALBEDO + 3] = albedo
    pack(workers, display)
    edges = np.flatnonzero((covers != np.arange(len(covers))[:, None]).any(1)).astype(np.int32)
    return OutlineArrays(edges, covers[edges], np.empty((len(edges), 3), np.float32))


def recolour_ground(big: GBuffer, colour: NDArray[np.float32]) -> None:
    """Give the ground in a g-buffer another AP1 albedo (3,)."""
    big.shading[big.shading[:, ON_GROUND] > 0.0, ALBEDO : ALBEDO + 3] = colour


def features(camera: Camera, big: GBuffer) -> FeatureBuffers:
    """What the camera sees straight ahead, without light."""
    away = big.points[:, POINT_POSITION : POINT_POSITION + 3] - np.array(
        camera.packed(big.width, big.height)[0]
    )
    sky = big.shading[:, PIXEL_KIND] == SKY_PIXEL
    depth = np.where(sky, 0.0, np.sqrt((away * away).sum(1)))
    albedo = np.where(sky[:, None], 1.0, big.shading[:, ALBEDO : ALBEDO + 3])
    normal = big.points[:, POINT_NORMAL : POINT_NORMAL + 3]
    planes = [p.astype(np.float32).reshape(big.height, big.width, -1) for p in (albedo, normal, depth)]
    return FeatureBuffers(planes[0], planes[1], planes[2][..., 0])


def transparency(buffers: Sequence[GBuffer]) -> Floats:
    """The fraction of each pixel, (H, W), that sees past all objects, straight and through panes."""
    fraction = np.zeros(len(buffers[0].points), np.float32)
    for big in buffers:
        seen = (big.shading[:, PIXEL_KIND] == SKY_PIXEL) & (big.points[:, SKY_U] >= 0.0)
        fraction += np.where(seen, big.shading[:, PATH_WEIGHT : PATH_WEIGHT + 3] @ AP1_LUMINANCE, 0.0)
    return np.minimum(fraction, 1.0).reshape(buffers[0].height, buffers[0].width)


def with_outlines(picture: Floats, outlines: OutlineArrays) -> Floats:
    """A picture (H, W, n) whose pixels on outlines are mixed from what they border on."""
    out = picture.reshape(-1, picture.shape[2]).copy()
    out[outlines.edges] = out[outlines.covers].mean(1)
    return out.reshape(picture.shape)
