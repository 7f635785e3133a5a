# SPDX-License-Identifier: Apache-2.0
"""Light shafts: single scattering of sun and sky in a bounded medium, sampled along camera rays.

A compiled scene, lights, a camera and a `ParticipatingMedium` enter; a `LightShaftFilm` leaves: what the dust adds,
by sun and by sky (cd/m2, AP1), and what it lets through of the light behind it. Distances are drawn in proportion to
what still passes (free flight; Pharr, Jakob & Humphreys, Physically Based Rendering, ch. 15), the sun over its whole
disc, the sky as paths do, through portals too. Stated limits: light that is scattered twice is left out, surfaces get
as much light as without dust, panoramas and lamps do not light it, and a mirror shows none.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.light_layers import EVEN, Colour
from gloamet.sky.atmosphere import henyey_greenstein
from gloamet.sky.dome import sky_radiance
from gloamet.stage.camera import Camera
from gloamet.trace.film import Renderer
from gloamet.trace.geometry.camera_rays import camera_ray, sample_pixel_filter
from gloamet.trace.geometry.embree import CAMERA_MASK
from gloamet.trace.geometry.rays import intersect
from gloamet.trace.geometry.records import Ray, Scalar, Triple
from gloamet.trace.geometry.sampler import MIX2, PIXEL_HASH_MULTIPLIER, next_pair, pixel_id, sobol_pair
from gloamet.trace.geometry.vec import BLACK, WHITE, accumulate, add_scaled, dot, mul, scale, total
from gloamet.trace.lights.direct_lighting import sample_sky_direction, sky_pdf
from gloamet.trace.lights.environment import Environment, sun_direction
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.surfaces.bsdf import thin_glass_fresnel
from gloamet.trace.surfaces.ground_plane import ground_distance
from gloamet.trace.surfaces.shading import is_hole, resolve_hit
from gloamet.trace.surfaces.visibility import MAX_PASSES, T_MAX, ray_epsilon, shadow_transmittance

Floats = NDArray[np.float32]
TILE_ROWS = 8
FLIGHT_PAIR, SUN_PAIR, SKY_PAIR = (
    2,
    3,
    4,
)  # of even numbers, after the place in the pixel and the one on the lens
_CAMERA = np.int32(CAMERA_MASK)


class ParticipatingMedium(NamedTuple):
    """Corners of the box it hangs in (metres), its extinction (1/m), the fraction of light that it throws on per AP1
    channel, and the mean cosine of the direction it throws that to (-1..1, 0 all round)."""

    low: Triple
    high: Triple
    extinction: Scalar
    colour: Triple
    forward_g: Scalar


class LightShaftArrays(NamedTuple):
    """Sums over samples: sun and sky (H, W, 3), through and counts (H, W)."""

    sun: Floats
    sky: Floats
    through: Floats
    counts: Floats


@njit(**INLINE_KERNEL_OPTIONS)
def box_span(medium, ray, far):
    """Where a ray of length far goes into the dust and out of it; twice the same for one that misses."""
    near = F(0)
    for k in range(3):
        d = ray.direction[k]
        if abs(d) < F(1e-9):
            if ray.origin[k] < medium.low[k] or ray.origin[k] > medium.high[k]:
                return F(0), F(0)
            continue
        a, b = (medium.low[k] - ray.origin[k]) / d, (medium.high[k] - ray.origin[k]) / d
        near, far = max(near, min(a, b)), min(far, max(a, b))
    return near, max(near, far)


@njit(**INLINE_KERNEL_OPTIONS)
def _sight(scene, ray, far):
    """Along a camera's ray, through panes and holes and no farther than far: (where it ends, what panes leave)."""
    through, start, t = WHITE, ray, F(0)
    for _ in range(MAX_PASSES):
        hit = intersect(scene.handle, start, F(0), T_MAX, _CAMERA)
        ground = ground_distance(scene.plane, start, hit.distance)
        if ground <= F(0) and hit.primitive < 0:
            return far, through
        step = ground if ground > F(0) else hit.distance
        if t + step >= far:
            return far, through
        t += step
        if ground > F(0):
            return t, through
        met = resolve_hit(scene, ground, hit, start)
        onward = ray_epsilon(met.distance, met.position)
        if not is_hole(scene, met):
            cosine = abs(dot(met.normal, ray.direction))
            _reflected, passed = thin_glass_fresnel(scene.materials, met.material, cosine)
            if total(passed) <= F(0):
                return t, through
            through = mul(through, passed)
        start, t = Ray(add_scaled(met.position, ray.direction, onward), ray.direction), t + onward
    return t, through


@njit(**INLINE_KERNEL_OPTIONS)
def _arriving(scene, medium, point, towards):
    """What reaches a point in the dust of the light from a direction, per channel."""
    way = Ray(point, towards)
    _near, out = box_span(medium, way, T_MAX)
    return scale(shadow_transmittance(scene, way, T_MAX), math.exp(-medium.extinction * out))


@njit(**INLINE_KERNEL_OPTIONS)
def _by_sun(scene, env, medium, point, direction, u, v):
    """Sunlight that a point reflects along a ray, over how much it scatters."""
    towards = sun_direction(env.sun, u, v)
    if towards[2] <= F(0):
        return BLACK
    fraction = F(henyey_greenstein(dot(towards, direction), medium.forward_g))
    return scale(mul(_arriving(scene, medium, point, towards), env.sun.irradiance), fraction)


@njit(**INLINE_KERNEL_OPTIONS)
def _by_sky(scene, env, medium, point, direction, state, u, v):
    """Light of the sky that a point reflects along a ray, over how much it scatters."""
    count, towards, position = sample_sky_direction(u, v, state, scene, env, point)
    if towards[2] <= F(0):
        return BLACK
    fraction = F(henyey_greenstein(dot(towards, direction), medium.forward_g))
    light = mul(_arriving(scene, medium, point, towards), sky_radiance(env.table, position[0], position[1]))
    return scale(light, fraction / sky_pdf(env, scene.portals, count, point, towards, position))


@njit(**INLINE_KERNEL_OPTIONS)
def _sample(scene, env, medium, sampler, ray):
    """What one ray finds: light by the sun, by the sky, and the share of the light behind the dust that it lets by."""
    state, pixel, number = sampler
    near, out = box_span(medium, ray, T_MAX)
    if out <= near:
        return BLACK, BLACK, F(1)
    out, _panes = _sight(scene, ray, out)
    if out <= near:
        return BLACK, BLACK, F(1)
    through = math.exp(-medium.extinction * (out - near))
    lost = F(1) - through
    u, _unused = sobol_pair(pixel, number, FLIGHT_PAIR)
    flight = -math.log(F(1) - u * lost) / medium.extinction
    distance = near + flight
    point = add_scaled(ray.origin, ray.direction, distance)
    panes = _sight(scene, ray, distance)[1] if scene.transmissive else WHITE
    weight = scale(mul(medium.colour, panes), lost)
    u, v = sobol_pair(pixel, number, SUN_PAIR)
    sun = sky = BLACK
    if total(env.sun.irradiance) > F(0):
        sun = mul(weight, _by_sun(scene, env, medium, point, ray.direction, u, v))
    if env.density[0, 0] > F(0):
        u, v = sobol_pair(pixel, number, SKY_PAIR)
        sky = mul(weight, _by_sky(scene, env, medium, point, ray.direction, state, u, v))
    return sun, sky, through


@njit(**KERNEL_OPTIONS)
def _trace_rows(scene, env, medium, camera, samples, seed, y0, y1, film):
    """Add samples to the pixels of rows y0..y1. The same seed and number give the same result whatever the tiling."""
    height, width = film.counts.shape
    for y in range(y0, y1):
        for x in range(width):
            done = int(film.counts[y, x])
            for sample in range(done, done + samples):
                pixel, number = pixel_id(x, y, seed), np.uint64(sample)
                state = pixel * PIXEL_HASH_MULTIPLIER + number * MIX2 + np.uint64(54321)
                state, _u, _v = next_pair(state)
                u, v = sobol_pair(pixel, number, 0)
                offset = (sample_pixel_filter(u), sample_pixel_filter(v))
                ray = camera_ray(camera, (x, y), (width, height), offset, sobol_pair(pixel, number, 1))
                sun, sky, through = _sample(scene, env, medium, (state, pixel, number), ray)
                accumulate(film.sun, y, x, sun)
                accumulate(film.sky, y, x, sky)
                film.through[y, x] += through
            film.counts[y, x] += F(samples)


@dataclass(eq=False)
class LightShaftFilm:
    """Sums over samples of what a volume of dust adds to a picture and takes from it."""

    width: int
    height: int
    seed: int = 0
    layers: LightShaftArrays = field(init=False)

    def __post_init__(self) -> None:
        shape = (self.height, self.width)
        sun, sky = np.zeros((*shape, 3), np.float32), np.zeros((*shape, 3), np.float32)
        self.layers = LightShaftArrays(sun, sky, np.zeros(shape, np.float32), np.zeros(shape, np.float32))

    @property
    def samples(self) -> int:
        """Samples of the pixel that has fewest."""
        return int(self.layers.counts.min())

    def accumulate(
        self,
        renderer: Renderer,
        scene: RenderScene,
        lights: Environment,
        camera: Camera,
        medium: ParticipatingMedium,
        samples: int,
        cancelled: Callable[[], bool] = lambda: False,
    ) -> bool:
        """Add so many samples to every pixel; False when it was cancelled, and rows then have theirs or not."""
        arguments = (scene.arrays(), lights.arrays(), medium, camera.packed(self.width, self.height), samples)

        def rows(y: int) -> bool:
            if cancelled():
                return False
            _trace_rows(*arguments, np.uint64(self.seed), y, min(self.height, y + TILE_ROWS), self.layers)
            return True

        return all(list(renderer.pool.map(rows, range(0, self.height, TILE_ROWS))))

    def _fraction(self) -> Floats:
        return np.reciprocal(np.maximum(self.layers.counts, np.float32(1.0)))

    def light(self, sun_gain: Colour = EVEN, sky_gain: Colour = EVEN) -> Floats:
        """What the dust adds, (H, W, 3) in cd/m2, under the gains per channel of sun and sky."""
        gains = np.array(sun_gain, np.float32), np.array(sky_gain, np.float32)
        both = gains[0] * self.layers.sun + gains[1] * self.layers.sky
        return np.asarray(both * self._fraction()[..., None], np.float32)

    def through(self) -> Floats:
        """The fraction (H, W) of the light behind the dust that it lets by, 1 where nothing was sampled yet."""
        return np.where(self.layers.counts > 0.0, self.layers.through * self._fraction(), np.float32(1.0))
