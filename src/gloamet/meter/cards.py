# SPDX-License-Identifier: Apache-2.0
"""Incident cards: the light on a small white card in the scene, per source, direct and indirect.

A compiled scene, lights and places with the way they face enter; illuminances in lx per AP1 channel leave. A card is
the first vertex of paths as `trace.path_tracer` makes them, with next-event estimation and MIS; it casts no shadow
itself.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from concurrent.futures import Executor
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.light_layers import LIGHT_LAYERS, SHARED_PATH_LAYERS
from gloamet.meter.card_light import CardLight
from gloamet.trace.geometry.records import Bsdf, PathStart, Ray, Sampler, Vertex
from gloamet.trace.geometry.sampler import MIX2, PIXEL_HASH_MULTIPLIER, next_2d, pixel_id
from gloamet.trace.geometry.vec import WHITE, accumulate, add, dot, scale, triple
from gloamet.trace.lights.environment import Environment
from gloamet.trace.path_tracer import next_event_estimation, trace_path, trace_sample
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.surfaces.bsdf import sample_cosine_hemisphere

Floats = NDArray[np.float32]
CARD_BOUNCES = 8
CARDS_A_JOB = 8
_CARD_SEED = 0x5A5A
# rows of the lights in the outs, per pass of the kernel: those that share paths, and the panorama for each of these
SHARED_ROWS = tuple(LIGHT_LAYERS.index(name) for name in SHARED_PATH_LAYERS)
PANORAMA_ROWS = (LIGHT_LAYERS.index("panorama"),) * len(SHARED_ROWS)


class Cards(NamedTuple):
    """Places (n, 3) in metres and the way cards there face (n, 3), and paths for each."""

    positions: Floats
    facing: Floats
    samples: int
    max_bounces: int


@njit(**INLINE_KERNEL_OPTIONS)
def _one_sample(scene, env, sampler, position, normal, max_bounces):
    """Radiance that a white card would reflect, by one sample: (`BySource` sampled at the card, light by patches of
    the sun, `PathResult` of a path from it)."""
    bsdf = Bsdf(normal, normal, WHITE, F(1), F(0), F(0), F(0))
    at = Vertex(bsdf, position, normal)
    state, light, patches, _rays = next_event_estimation(scene, env, sampler, 1, at, F(1), True, False)
    state, u, v = next_2d(state, sampler.pixel, sampler.sample, 4)
    direction = sample_cosine_hemisphere(normal, u, v)
    pdf = max(dot(direction, normal), F(1e-6)) / F(math.pi)
    start = PathStart(Ray(position, direction), WHITE, pdf, 1, False, False)
    numbers = Sampler(state, sampler.pixel, sampler.sample)
    _state, found, _candidate, _candidates = trace_path(scene, env, numbers, start, max_bounces)
    return light, patches, found


@njit(**KERNEL_OPTIONS)
def _measure(scene, env, cards, first, last, rows, whole, indirect):
    """Add samples to cards first..last; rows are those of sun, sky and lamps in the out arrays."""
    fraction = F(math.pi) / F(cards.samples)
    for k in range(first, last):
        position, normal = triple(cards.positions, k, 0), triple(cards.facing, k, 0)
        pixel = pixel_id(k, rows[0], np.uint64(_CARD_SEED))
        for s in range(cards.samples):
            number = np.uint64(s)
            state = pixel * PIXEL_HASH_MULTIPLIER + number * MIX2 + np.uint64(4711)
            light, patches, found = _one_sample(
                scene, env, Sampler(state, pixel, number), position, normal, cards.max_bounces
            )
            accumulate(whole, k, rows[0], scale(add(light.sun, found.light.sun), fraction))
            accumulate(whole, k, rows[1], scale(add(light.sky, found.light.sky), fraction))
            accumulate(whole, k, rows[2], scale(add(light.lamps, found.light.lamps), fraction))
            accumulate(indirect, k, rows[0], scale(add(patches, found.indirect.sun), fraction))
            accumulate(indirect, k, rows[1], scale(found.indirect.sky, fraction))
            accumulate(indirect, k, rows[2], scale(found.indirect.lamps, fraction))


def _run(
    kernel: Callable[..., None],
    scene: RenderScene,
    lights: Environment,
    cards: Cards,
    pool: Executor,
    outs: tuple[Floats, ...],
) -> None:
    """Let a kernel fill its outs for all cards: rows of sun, sky and lamps, and that of a panorama."""
    jobs = [(scene.arrays(), lights.arrays(), SHARED_ROWS)]
    if lights.panorama is not None:
        jobs.append((scene.arrays_without_lamps(), lights.panorama.arrays(), PANORAMA_ROWS))
    count = len(cards.positions)

    def work(first: int) -> None:
        """Some cards under all lights."""
        for arrays, env, rows in jobs:
            kernel(arrays, env, cards, first, min(count, first + CARDS_A_JOB), rows, *outs)

    list(pool.map(work, range(0, count, CARDS_A_JOB)))


def measure_cards(
    scene: RenderScene,
    lights: Environment,
    positions: NDArray[np.floating],
    normals: NDArray[np.floating],
    samples: int,
    pool: Executor,
    max_bounces: int = CARD_BOUNCES,
) -> CardLight:
    """Measure the illuminance on incident cards by path tracing.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    lights : Environment
        Environment: sun, sky and panorama.
    positions : ndarray
        Positions of the cards, metres, (n, 3).
    normals : ndarray
        Normals of the cards, (n, 3).
    samples : int
        Number of paths.
    pool : Executor
        Threads that run the kernels.
    max_bounces : int, optional
        Largest number of bounces.

    Returns
    -------
    CardLight
        Illuminance by source, total and indirect.
    """
    count = len(positions)
    whole, indirect = (np.zeros((count, len(LIGHT_LAYERS), 3), np.float32) for _ in range(2))
    where, facing = (np.ascontiguousarray(a, np.float32) for a in (positions, normals))
    cards = Cards(where, facing, samples, max_bounces)
    _run(_measure, scene, lights, cards, pool, (whole, indirect))
    return CardLight(whole, indirect)


@njit(**KERNEL_OPTIONS)
def _look(scene, env, rays, first, last, rows, out):
    """Add samples of what rays first..last see; rays are `Cards` that face along them."""
    fraction = F(1) / F(rays.samples)
    for k in range(first, last):
        ray = Ray(triple(rays.positions, k, 0), triple(rays.facing, k, 0))
        pixel = pixel_id(k, rows[0], np.uint64(_CARD_SEED + 1))
        for s in range(rays.samples):
            number = np.uint64(s)
            state = pixel * PIXEL_HASH_MULTIPLIER + number * MIX2 + np.uint64(815)
            found = trace_sample(scene, env, Sampler(state, pixel, number), ray, rays.max_bounces)
            accumulate(out, k, rows[0], scale(found.light.sun, fraction))
            accumulate(out, k, rows[1], scale(found.light.sky, fraction))
            accumulate(out, k, rows[2], scale(found.light.lamps, fraction))


def radiance_along(
    scene: RenderScene,
    lights: Environment,
    positions: NDArray[np.floating],
    directions: NDArray[np.floating],
    samples: int,
    pool: Executor,
    max_bounces: int = CARD_BOUNCES,
) -> Floats:
    """Measure the radiance along rays by path tracing.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    lights : Environment
        Environment: sun, sky and panorama.
    positions : ndarray
        Origins of the rays, metres, (n, 3).
    directions : ndarray
        Unit directions, (n, 3).
    samples : int
        Number of paths.
    pool : Executor
        Threads that run the kernels.
    max_bounces : int, optional
        Largest number of bounces.

    Returns
    -------
    ndarray
        AP1 cd/m², (n, light layers, 3).
    """
    count = len(positions)
    out = np.zeros((count, len(LIGHT_LAYERS), 3), np.float32)
    where, along = (np.ascontiguousarray(a, np.float32) for a in (positions, directions))
    rays = Cards(where, along, samples, max_bounces)
    _run(_look, scene, lights, rays, pool, (out,))
    return out
