# SPDX-License-Identifier: Apache-2.0
"""The surface interaction: the hit point, its material, and its BSDF.

One place for the exact and for the relit path. `scene` is a `render_scene.SceneArrays`, records are those of
`records`.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, F
from gloamet.trace.geometry.records import Bsdf, Surface, SurfaceInteraction
from gloamet.trace.geometry.sampler import next_pair
from gloamet.trace.geometry.vec import UP, WHITE, add_scaled, dot, mul, neg, normalize
from gloamet.trace.surfaces.bsdf import fresnel, matt_bsdf, specular_probability
from gloamet.trace.surfaces.ground_plane import WATER, water_normal
from gloamet.trace.surfaces.materials import (
    COAT,
    COAT_ALPHA,
    COAT_IOR,
    CUTOUT,
    KIND,
    MATT,
    NORMAL_TEXTURE,
    SPECULAR,
    TRANSLUCENCY,
)
from gloamet.trace.surfaces.texturing import (
    NORMAL_MATRIX,
    alpha_cutout,
    apply_normal_map,
    eval_textures,
    interpolate_uv,
    shading_normal,
    transform_vector,
    triangle_index,
    vertex_colour,
)


@njit(**INLINE_KERNEL_OPTIONS)
def resolve_hit(scene, ground, hit, ray):
    """What a ray meets: the ground plane where its distance `ground` is above 0, else the `Hit`."""
    if ground > F(0):
        position = add_scaled(ray.origin, ray.direction, ground)
        last = len(scene.materials) - 1
        return SurfaceInteraction(ground, position, UP, True, -1, -1, last, (F(0), F(0)), (F(0), F(0)))
    triangle = triangle_index(scene, hit)
    normal = normalize(transform_vector(scene, hit.instance, NORMAL_MATRIX, hit.normal))
    front = dot(normal, ray.direction) <= F(0)
    if not front:
        normal = neg(normal)
    return SurfaceInteraction(
        hit.distance,
        add_scaled(ray.origin, ray.direction, hit.distance),
        normal,
        front,
        triangle,
        np.int64(hit.instance),
        np.int64(scene.triangle_material[triangle]),
        hit.barycentric,
        interpolate_uv(scene, triangle, hit.barycentric),
    )


@njit(**INLINE_KERNEL_OPTIONS)
def is_hole(scene, met):
    """Whether a surface has a hole where it was met."""
    return scene.materials[met.material, CUTOUT] >= F(0) and alpha_cutout(scene, met.material, met.uv)


@njit(**INLINE_KERNEL_OPTIONS)
def evaluate_material(scene, met, direction, travelled):
    """The `Surface` at a point met along a direction; `travelled` metres decide how fine ripples are."""
    albedo, roughness, metalness = eval_textures(scene, met.material, met.uv)
    normal = met.normal
    if met.triangle >= 0:
        normal = shading_normal(scene, met, direction)
        if scene.materials[met.material, NORMAL_TEXTURE] >= 0:
            normal = apply_normal_map(scene, met, normal, direction)
        albedo = mul(albedo, vertex_colour(scene, met.triangle, met.barycentric))
    elif scene.plane[WATER] > 0:
        ripple = water_normal(scene.plane, met.position[0], met.position[1], travelled)
        if dot(ripple, direction) <= -0.02:
            normal = ripple
    return Surface(normal, albedo, roughness, metalness)


@njit(**INLINE_KERNEL_OPTIONS)
def make_bsdf(materials, m, surface, direction):
    """The reflection model of a surface seen along a direction."""
    alpha, probability, specular = F(1), F(0), materials[m, SPECULAR]
    if materials[m, KIND] != F(MATT):
        alpha = surface.roughness * surface.roughness
        nv = -dot(surface.normal, direction)
        probability = specular_probability(nv, surface.albedo, surface.metalness, specular)
    return Bsdf(
        surface.normal, neg(direction), surface.albedo, alpha, surface.metalness, specular, probability
    )


@njit(**INLINE_KERNEL_OPTIONS)
def select_layer(materials, m, state, bsdf, normal):
    """The clear coat, the body or, of a leaf, its other side, by random numbers: (state, BSDF, face normal)."""
    if materials[m, COAT] > F(0):
        state, u, _unused = next_pair(state)
        if u < materials[m, COAT] * fresnel(dot(bsdf.normal, bsdf.to_viewer), F(COAT_IOR)):
            # a full mirror of its own roughness
            bsdf = Bsdf(bsdf.normal, bsdf.to_viewer, WHITE, materials[m, COAT_ALPHA], F(1), F(1), F(1))
    if materials[m, TRANSLUCENCY] > F(0):
        state, u, _unused = next_pair(state)
        if u < materials[m, TRANSLUCENCY]:
            # light that goes through a leaf leaves its other side as off a matt surface
            normal = neg(normal)
            bsdf = matt_bsdf(neg(bsdf.normal), bsdf.colour)
    return state, bsdf, normal
