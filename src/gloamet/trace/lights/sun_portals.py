# SPDX-License-Identifier: Apache-2.0
"""Sun patches in rooms as light sources, sampled through the windows that the sun enters by.

A path in a room meets the small bright patch on the floor only by chance. Here a point of a window (portal) is drawn,
the sun's ray through it is followed to the first opaque face inside, and that point lights the one asked for. Both
strategies are weighted against each other by their densities per area (Veach 1997, power heuristic). `scene` is a
`render_scene.SceneArrays`, portals those of `portals`.
"""

from __future__ import annotations

import math

from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, F
from gloamet.trace.geometry.rays import intersect
from gloamet.trace.geometry.records import LightSample, Ray
from gloamet.trace.geometry.sampler import next_pair
from gloamet.trace.geometry.vec import (
    BLACK,
    add_scaled,
    dot,
    mul,
    neg,
    power_heuristic,
    scale,
    sub,
    total,
    triple,
)
from gloamet.trace.lights.direct_lighting import BLOCKED, NO_LIGHT, sample_sun_light
from gloamet.trace.lights.portals import (
    AREA,
    CORNER,
    INWARD,
    inside_portal,
    portal_point,
    portal_visible_from,
)
from gloamet.trace.surfaces.bsdf import eval_bsdf
from gloamet.trace.surfaces.materials import COAT, GLASS, KIND, TRANSLUCENCY
from gloamet.trace.surfaces.shading import evaluate_material, make_bsdf, resolve_hit
from gloamet.trace.surfaces.visibility import OPAQUE_ONLY, T_MAX, ray_epsilon, shadow_transmittance

LEAST_COSINE = F(0.02)  # of the sun on a window: a glancing one lets nothing in


@njit(**INLINE_KERNEL_OPTIONS)
def _portal_cosine(portals, k, sun):
    """Cosine of the sun on a window from outside, negative from inside."""
    return -dot(sun.direction, triple(portals, k, INWARD))


@njit(**INLINE_KERNEL_OPTIONS)
def _is_sunlit(portals, k, sun, point):
    """Whether a window lights a point and the sun comes in by it."""
    return _portal_cosine(portals, k, sun) > LEAST_COSINE and portal_visible_from(portals, k, point)


@njit(**INNER_KERNEL_OPTIONS)
def count_sunlit_portals(portals, sun, point):
    """How many windows of a point's room the sun comes in by."""
    count = 0
    for k in range(len(portals)):
        if _is_sunlit(portals, k, sun, point):
            count += 1
    return count


@njit(**INLINE_KERNEL_OPTIONS)
def supports_patch_sampling(materials, m):
    """Whether patches on a material are sampled: those of one lobe that is not a mirror's neighbour."""
    return (
        materials[m, KIND] != F(GLASS) and materials[m, COAT] <= F(0) and materials[m, TRANSLUCENCY] <= F(0)
    )


@njit(**INNER_KERNEL_OPTIONS)
def patch_pdf_area(portals, sun, point, patch, cosine):
    """Per m², how densely `sample_sun_patch` draws a patch, where the sun falls by a cosine, from a point."""
    count, found = 0, F(0)
    for k in range(len(portals)):
        if not _is_sunlit(portals, k, sun, point):
            continue
        count += 1
        entering, to_corner = _portal_cosine(portals, k, sun), sub(triple(portals, k, CORNER), patch)
        t = -dot(to_corner, triple(portals, k, INWARD)) / entering
        if t > F(0) and inside_portal(portals, k, sub(scale(sun.direction, t), to_corner)):
            found += cosine / (entering * portals[k, AREA])
    return found / F(max(1, count))


@njit(**INLINE_KERNEL_OPTIONS)
def bsdf_mis_weight(portals, sun, ray, met, bsdf_pdf):
    """Weight of a patch's light where the BSDF's sampling found it along a ray, with that density."""
    cosine = dot(met.normal, sun.direction)
    if cosine <= F(0):
        return F(1)
    q = patch_pdf_area(portals, sun, ray.origin, met.position, cosine)
    if q <= F(0):
        return F(1)
    offset = sub(met.position, ray.origin)
    facing = max(F(0), -dot(met.normal, ray.direction))
    return power_heuristic(bsdf_pdf * facing / max(dot(offset, offset), F(1e-8)), q)


@njit(**INLINE_KERNEL_OPTIONS)
def _nth_sunlit_portal(portals, wanted, sun, point):
    """The window of that number among those `count_sunlit_portals` counts, -1 for none."""
    for k in range(len(portals)):
        if _is_sunlit(portals, k, sun, point):
            if wanted == 0:
                return k
            wanted -= 1
    return -1


@njit(**INNER_KERNEL_OPTIONS)
def sample_sun_patch(numbers, count, scene, sun, bsdf, origin, normal):
    """Light of the sun that a sunlit patch inside sends here, by three uniform numbers; count is that of
    `count_sunlit_portals`."""
    portals, (u, v, pick) = scene.portals, numbers
    k = _nth_sunlit_portal(portals, min(int(pick * F(count)), count - 1), sun, origin)
    if k < 0:
        return NO_LIGHT
    entering = Ray(portal_point(portals, k, u, v), neg(sun.direction))
    hit = intersect(scene.handle, entering, F(0), T_MAX, OPAQUE_ONLY)
    if hit.primitive < 0:
        return BLOCKED
    met = resolve_hit(scene, F(0), hit, entering)
    if not supports_patch_sampling(scene.materials, met.material):
        return BLOCKED
    patch = add_scaled(met.position, met.normal, ray_epsilon(met.distance, met.position))
    offset = sub(patch, origin)
    distance = math.sqrt(max(dot(offset, offset), F(1e-8)))
    to_patch = scale(offset, F(1) / distance)
    facing = -dot(to_patch, met.normal)
    if facing <= F(0) or dot(to_patch, normal) <= F(0):
        return BLOCKED
    here = eval_bsdf(bsdf, to_patch)
    if total(here.value) <= F(0):
        return BLOCKED
    surface = evaluate_material(scene, met, to_patch, distance)
    there = eval_bsdf(make_bsdf(scene.materials, met.material, surface, to_patch), sun.direction)
    patch_pdf = dot(met.normal, sun.direction) / (
        _portal_cosine(portals, k, sun) * portals[k, AREA] * F(count)
    )
    if total(there.value) <= F(0) or patch_pdf <= F(0):
        return BLOCKED
    between = shadow_transmittance(scene, Ray(origin, to_patch), distance * F(0.9999) - F(1e-4))
    if total(between) <= F(0):
        return LightSample(BLACK, 2)
    through = shadow_transmittance(scene, Ray(patch, sun.direction), T_MAX)
    geometry = facing / (distance * distance)
    bsdf_pdf = here.pdf * geometry
    weight = patch_pdf / (patch_pdf * patch_pdf + bsdf_pdf * bsdf_pdf) * geometry
    arriving = mul(mul(there.value, through), sun.irradiance)
    return LightSample(scale(mul(mul(here.value, between), arriving), weight), 3)


@njit(**INLINE_KERNEL_OPTIONS)
def sample_sun(pair, state, scene, sun, bsdf, origin, normal, found_weight, goes_on):
    """Light of the sun, and in a room of the patches it makes there, reflected here: (state, `LightSample` of the sun
    with the rays of both, radiance by its patches).

    Patches are sampled where the path goes on. found_weight is what the sun counts here, where this point is a patch
    that the path has found by itself.
    """
    direct = sample_sun_light(pair[0], pair[1], scene, sun, bsdf, origin, normal)
    radiance, patch = scale(direct.radiance, found_weight), NO_LIGHT
    count = count_sunlit_portals(scene.portals, sun, origin) if goes_on else 0
    if count > 0:
        state, u, v = next_pair(state)
        state, pick, _unused = next_pair(state)
        patch = sample_sun_patch((u, v, pick), count, scene, sun, bsdf, origin, normal)
    return state, LightSample(radiance, direct.rays + patch.rays), patch.radiance
