# SPDX-License-Identifier: Apache-2.0
"""Specular chains: through alpha and panes and over mirrors to the first surface that scatters.

What a pane or a mirror-like surface reflects is returned as a second ray, so that a caller can trace it too,
or chosen at random. Stated limits: where nothing is chosen at random, further reflections are taken to be as bright as
what lies straight ahead; rough gloss is no business of this module. `scene` is a `render_scene.SceneArrays`.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, F
from gloamet.trace.geometry.rays import intersect
from gloamet.trace.geometry.records import Ray, Scalar, Surface, Triple
from gloamet.trace.geometry.sampler import next_pair
from gloamet.trace.geometry.vec import BLACK, UP, WHITE, add_scaled, dot, largest, mirror, mix, mul, scale
from gloamet.trace.surfaces.bsdf import (
    DIELECTRIC_F0,
    MIRROR_ALPHA,
    fresnel,
    schlick_weight,
    thin_glass_fresnel,
)
from gloamet.trace.surfaces.ground_plane import ground_distance
from gloamet.trace.surfaces.materials import COAT, COAT_IOR, GLASS, KIND, MATT, SPECULAR, TRANSMISSION
from gloamet.trace.surfaces.shading import evaluate_material, is_hole, resolve_hit
from gloamet.trace.surfaces.visibility import MAX_PASSES, T_MAX, ray_epsilon

MAX_MIRRORS = 3  # mirrors in a row before a chain is given up
ESCAPED, HIT, LOST = 0, 1, 2
AHEAD = np.uint64(0)  # state of a chain that chooses nothing at random


class Reflection(NamedTuple):
    """What is reflected first on the way: its weight, 0 for none, and its ray."""

    weight: Scalar
    ray: Ray


class ChainEnd(NamedTuple):
    """Where a chain ends: ESCAPED, HIT or LOST; `position` off the surface on the viewer's side, the face's normal
    turned to the viewer, the direction there, the weight per channel of what is seen; triangle -1 on the ground."""

    kind: int
    position: Triple
    normal: Triple
    direction: Triple
    weight: Triple
    material: int
    triangle: int
    surface: Surface
    reflection: Reflection


@njit(**INLINE_KERNEL_OPTIONS)
def _mirror_reflectance(materials, m, sharp, cosine):
    """Fraction of light that a smooth dielectric and a clear coat reflect."""
    reflected = F(0)
    if sharp:
        f0 = DIELECTRIC_F0 * materials[m, SPECULAR]
        reflected = f0 + (materials[m, SPECULAR] - f0) * schlick_weight(cosine)
    if materials[m, COAT] > F(0):
        reflected += (F(1) - reflected) * materials[m, COAT] * fresnel(cosine, F(COAT_IOR))
    return reflected


@njit(**INLINE_KERNEL_OPTIONS)
def _meet_pane(state, reflected, weight, reflection, indirect):
    """What a pane does to a chain: (state, whether it is reflected, the weight before tint, the first reflection)."""
    if state != AHEAD:
        state, u, _unused = next_pair(state)
        if u < reflected:
            return state, True, weight, reflection
        weight = scale(weight, F(1) / (F(1) - reflected))
    elif reflection.weight == F(0):
        reflection = Reflection(reflected * largest(weight), indirect)
    else:
        weight = scale(weight, F(1) / max(F(1) - reflected, F(0.05)))
    return state, False, weight, reflection


@njit(**INNER_KERNEL_OPTIONS)
def trace_specular_chain(scene, mask, state, ray):
    """Follow a ray to the first surface that scatters, a `ChainEnd`."""
    materials, weight, reflection = scene.materials, WHITE, Reflection(F(0), ray)
    position, normal, surface = ray.origin, UP, Surface(UP, BLACK, F(0), F(0))
    kind, m, triangle, mirrors, travelled = LOST, 0, -1, 0, F(0)
    for _ in range(MAX_PASSES):
        hit = intersect(scene.handle, ray, F(0), T_MAX, mask)
        ground = ground_distance(scene.plane, ray, hit.distance)
        if ground <= F(0) and hit.primitive < 0:
            kind, triangle = ESCAPED, -1
            break
        met = resolve_hit(scene, ground, hit, ray)
        m, triangle, normal = met.material, int(met.triangle), met.normal
        step = ray_epsilon(met.distance, met.position)
        travelled += met.distance
        if is_hole(scene, met):
            ray = Ray(add_scaled(met.position, ray.direction, step), ray.direction)
            continue
        position = add_scaled(met.position, normal, step)
        if materials[m, KIND] == F(GLASS) and materials[m, TRANSMISSION] >= F(0.5):
            reflected, tint = thin_glass_fresnel(materials, m, -dot(normal, ray.direction))
            indirect = Ray(position, mirror(ray.direction, normal))
            state, back, weight, reflection = _meet_pane(state, reflected, weight, reflection, indirect)
            if back:
                ray = indirect
                continue
            weight = mul(weight, tint)
            ray = Ray(add_scaled(met.position, normal, -step), ray.direction)
            continue
        surface = evaluate_material(scene, met, ray.direction, travelled)
        cosine = -dot(surface.normal, ray.direction)
        indirect = Ray(position, mirror(ray.direction, surface.normal))
        sharp = materials[m, KIND] != F(MATT) and surface.roughness * surface.roughness < MIRROR_ALPHA
        if sharp and surface.metalness > F(0.5) and mirrors < MAX_MIRRORS:
            mirrors, ray = mirrors + 1, indirect
            weight = mul(weight, mix(surface.albedo, WHITE, schlick_weight(cosine)))
            continue
        reflected = _mirror_reflectance(materials, m, sharp, cosine)
        if reflected > F(0) and state != AHEAD:
            state, u, _unused = next_pair(state)
            if u < reflected and mirrors < MAX_MIRRORS:
                mirrors, ray = mirrors + 1, indirect
                continue
        elif reflected > F(0) and reflection.weight == F(0):
            reflection = Reflection(reflected * largest(weight), indirect)
            weight = scale(weight, F(1) - reflected)
        kind = HIT
        break
    return ChainEnd(kind, position, normal, ray.direction, weight, m, triangle, surface, reflection)
