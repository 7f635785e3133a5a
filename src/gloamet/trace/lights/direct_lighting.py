# SPDX-License-Identifier: Apache-2.0
"""Direct lighting: next-event estimation of sun, sky and lamps, and emission that a path hits.

Sky and lamps are sampled by their light and weighted against the BSDF by the power heuristic (Veach 1997); the sun's
disc by itself alone. `scene` is a `render_scene.SceneArrays`, `env` an `environment.EnvironmentArrays`; `origin` lies
off the face of that normal.
"""

from __future__ import annotations

import math

from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, F
from gloamet.sky.dome import dome_coordinates, sky_radiance
from gloamet.trace.geometry.records import BySource, LightSample, Ray
from gloamet.trace.geometry.sampler import next_pair, random_pair
from gloamet.trace.geometry.vec import (
    BLACK,
    add_scaled,
    cross,
    dot,
    mul,
    power_heuristic,
    scale,
    sub,
    total,
    triple,
)
from gloamet.trace.lights.environment import (
    pdf_solid_angle,
    sample_sky,
    seen_radiance,
    sun_direction,
    sun_disc_radiance,
)
from gloamet.trace.lights.portals import PORTAL_SAMPLE_FRACTION, count_portals, portal_pdf, sample_portal
from gloamet.trace.surfaces.bsdf import eval_bsdf
from gloamet.trace.surfaces.ground_plane import horizon_fade
from gloamet.trace.surfaces.materials import (
    COS_FULL,
    COS_OUTER,
    EMISSION,
    EMISSION_TEXTURE,
    EMITTER_PDF,
    LAMP_CDF,
    LAMP_EDGE_U,
    LAMP_EDGE_V,
    LAMP_KIND,
    LAMP_ORIGIN,
    LAMP_PDF,
    LAMP_RADIANCE,
    TRIANGLE_LAMP,
    TWO_SIDED_EMISSION,
)
from gloamet.trace.surfaces.texturing import sample_texture, texture_to_ap1
from gloamet.trace.surfaces.visibility import T_MAX, shadow_transmittance

NO_LIGHT = LightSample(BLACK, 0)
BLOCKED = LightSample(BLACK, 1)


@njit(**INLINE_KERNEL_OPTIONS)
def sky_pdf(env, portals, count, point, direction, position):
    """Probability per steradian with which the sky is sampled from a point for a direction; place (u, v) is that on
    the dome, count how many portals light the point."""
    cos_elevation = math.sqrt(max(F(0), F(1) - direction[2] * direction[2]))
    p = pdf_solid_angle(env.density, position[0], position[1], cos_elevation)
    if count == 0:
        return p
    through = portal_pdf(portals, count, point, direction)
    return (F(1) - PORTAL_SAMPLE_FRACTION) * p + PORTAL_SAMPLE_FRACTION * through


@njit(**INLINE_KERNEL_OPTIONS)
def sky_emission_mis(env, portals, ray, specular, bsdf_pdf):
    """Sky radiance along a path's ray, weighted against having sampled the sky at its origin."""
    u, v = dome_coordinates(ray.direction[0], ray.direction[1], ray.direction[2])
    radiance = sky_radiance(env.table, u, v)
    if specular:
        return radiance
    p = sky_pdf(env, portals, count_portals(portals, ray.origin), ray.origin, ray.direction, (u, v))
    return scale(radiance, power_heuristic(bsdf_pdf, p))


@njit(**INLINE_KERNEL_OPTIONS)
def miss_radiance(env, scene, ray, specular, scattered, bsdf_pdf, ahead):
    """What a path meets outside the scene, a `BySource`; `ahead` says that it has come straight
    from the camera, which may see another sky than what lights the scene.

    The camera sees the ground melt into the sky at the horizon; light does not.
    """
    direct_view = specular and not scattered
    fraction = F(1) if ray.direction[2] < F(0) else F(0)
    if direct_view:
        fraction = horizon_fade(scene.plane, ray.direction[2])
    disc = env.seen.disc if ahead else env.seen.reflected_disc
    if ahead:
        fraction *= env.seen.ground
    sun, sky = scale(env.ground_sun, fraction), scale(env.ground_sky, fraction)
    if fraction < F(1):
        rest = F(1) - fraction
        up = (ray.direction[0], ray.direction[1], max(ray.direction[2], F(0)))
        if direct_view:
            seen = seen_radiance(env, up, dome_coordinates(up[0], up[1], up[2]), ahead)
        else:
            seen = sky_emission_mis(env, scene.portals, Ray(ray.origin, up), specular, bsdf_pdf)
        sky = add_scaled(sky, seen, rest)
        if direct_view and ray.direction[2] > F(0):
            sun = add_scaled(sun, env.sun.radiance, disc * rest * sun_disc_radiance(env.sun, ray.direction))
    return BySource(sun, sky, BLACK)


@njit(**INLINE_KERNEL_OPTIONS)
def sample_sun_light(u, v, scene, sun, bsdf, origin, normal):
    """Light of the sun's disc reflected here."""
    to_light = sun_direction(sun, u, v)
    if to_light[2] > F(0) and dot(to_light, normal) > F(0):
        f = eval_bsdf(bsdf, to_light)
        if total(f.value) > F(0):
            through = shadow_transmittance(scene, Ray(origin, to_light), T_MAX)
            return LightSample(mul(mul(f.value, through), sun.irradiance), 1)
    return NO_LIGHT


@njit(**INLINE_KERNEL_OPTIONS)
def sample_sky_direction(u, v, state, scene, env, origin):
    """A direction of the sky from a point, where it is bright or through the room's portals: (how many of these light
    the point, the direction, which does not rise when a portal shows no sky, its place on the dome)."""
    count = count_portals(scene.portals, origin)
    if count > 0 and u < PORTAL_SAMPLE_FRACTION:
        a, b = random_pair(state)
        to_light = sample_portal(scene.portals, count, v, a, b, origin)
        return count, to_light, dome_coordinates(to_light[0], to_light[1], to_light[2])
    if count > 0:
        u = (u - PORTAL_SAMPLE_FRACTION) / (F(1) - PORTAL_SAMPLE_FRACTION)
    to_light, position = sample_sky(env, u, v)
    return count, to_light, position


@njit(**INLINE_KERNEL_OPTIONS)
def sample_sky_light(u, v, state, scene, env, bsdf, origin, normal):
    """Light of the sky reflected here, sampled where it comes from or through the room's portals."""
    count, to_light, position = sample_sky_direction(u, v, state, scene, env, origin)
    if to_light[2] <= F(0) or dot(to_light, normal) <= F(0):
        return NO_LIGHT
    f = eval_bsdf(bsdf, to_light)
    if total(f.value) <= F(0):
        return NO_LIGHT
    through = shadow_transmittance(scene, Ray(origin, to_light), T_MAX)
    if total(through) <= F(0):
        return BLOCKED
    p = sky_pdf(env, scene.portals, count, origin, to_light, position)
    weight = p / (p * p + f.pdf * f.pdf)  # the power heuristic over p
    radiance = mul(mul(f.value, through), sky_radiance(env.table, position[0], position[1]))
    return LightSample(scale(radiance, weight), 1)


@njit(**INNER_KERNEL_OPTIONS)
def _pick_lamp(lamps, pick):
    """The lamp whose fraction of all light a uniform number falls on."""
    low, high = 0, len(lamps) - 1
    while low < high:
        middle = (low + high) >> 1
        if lamps[middle, LAMP_CDF] <= pick:
            low = middle + 1
        else:
            high = middle
    return low


@njit(**INLINE_KERNEL_OPTIONS)
def _triangle_weight(lamps, k, to_light, squared, bsdf_pdf):
    """Weight of a point of a glowing triangle: the power heuristic over its density per steradian."""
    area = cross(triple(lamps, k, LAMP_EDGE_U), triple(lamps, k, LAMP_EDGE_V))
    twice = math.sqrt(dot(area, area))
    cosine = -dot(area, to_light) / twice
    if lamps[k, COS_FULL] > F(0):  # gives light to both sides
        cosine = abs(cosine)
    if cosine <= F(1e-6):
        return F(0)
    p = lamps[k, LAMP_PDF] * F(2) / twice * squared / cosine
    return p / (p * p + bsdf_pdf * bsdf_pdf)


@njit(**INLINE_KERNEL_OPTIONS)
def _point_weight(lamps, k, to_light, squared):
    """Weight of a point or spot lamp: its cone's fall-off and the inverse square."""
    along = -dot(to_light, triple(lamps, k, LAMP_EDGE_U))
    x = (along - lamps[k, COS_OUTER]) / max(F(1e-5), lamps[k, COS_FULL] - lamps[k, COS_OUTER])
    x = min(F(1), max(F(0), x))
    return x * x / (squared * lamps[k, LAMP_PDF])


@njit(**INNER_KERNEL_OPTIONS)
def sample_area_light(state, scene, bsdf, origin, normal):
    """Light of one lamp, picked by its power, reflected here."""
    lamps = scene.lamps
    pick, _unused = random_pair(state)
    k = _pick_lamp(lamps, pick)
    glowing = lamps[k, LAMP_KIND] == F(TRIANGLE_LAMP)
    point = triple(lamps, k, LAMP_ORIGIN)
    if glowing:
        _state, p, q = next_pair(state)
        p = math.sqrt(p)
        point = add_scaled(point, triple(lamps, k, LAMP_EDGE_U), p * (F(1) - q))
        point = add_scaled(point, triple(lamps, k, LAMP_EDGE_V), p * q)
    offset = sub(point, origin)
    squared = dot(offset, offset)
    distance = math.sqrt(squared)
    if distance < F(1e-6):
        return NO_LIGHT
    to_light = scale(offset, F(1) / distance)
    if dot(to_light, normal) <= F(0):
        return NO_LIGHT
    f = eval_bsdf(bsdf, to_light)
    if total(f.value) <= F(0):
        return NO_LIGHT
    if glowing:
        weight = _triangle_weight(lamps, k, to_light, squared, f.pdf)
    else:
        weight = _point_weight(lamps, k, to_light, squared)
    if weight <= F(0):
        return NO_LIGHT
    through = shadow_transmittance(scene, Ray(origin, to_light), distance * F(0.9999) - F(1e-4))
    radiance = mul(mul(f.value, through), triple(lamps, k, LAMP_RADIANCE))
    return LightSample(scale(radiance, weight), 1)


@njit(**INLINE_KERNEL_OPTIONS)
def emitted_radiance_mis(scene, met, cosine, distance, specular, bsdf_pdf):
    """Light a surface gives of its own (AP1), weighted against having sampled its lamp."""
    materials, m = scene.materials, met.material
    if not met.front and materials[m, TWO_SIDED_EMISSION] == F(0):
        return BLACK
    radiance = triple(materials, m, EMISSION)
    if materials[m, EMISSION_TEXTURE] >= F(0):
        texture, _raw, _alpha = sample_texture(
            scene.texels, scene.textures, int(materials[m, EMISSION_TEXTURE]), met.uv
        )
        radiance = mul(radiance, texture_to_ap1(texture))
    if specular:
        return radiance
    p = materials[m, EMITTER_PDF] * distance * distance / max(cosine, F(1e-6))
    return scale(radiance, power_heuristic(bsdf_pdf, p))
