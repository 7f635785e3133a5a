"""Sunlit patches in rooms: light that comes in by a window along the sun's direction and goes on from where it lands.

A path in a room meets the small bright patch on the floor only by chance. Here a point of the window is drawn, the
sun's ray through it is followed to the first opaque face inside, and that place lights the point asked for. Both
ways are weighted against each other by the density with which either finds the place (Veach 1997, power heuristic),
so that none counts twice. Arrays are those of `compiled`, portals those of `portals`.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.bsdf import eval_bsdf
from gloamet.trace.direct_lighting import sample_sun_light
from gloamet.trace.materials import COAT, GLASS, KIND, TRANSLUCENCY
from gloamet.trace.portals import AREA, CORNER, EDGE_A, EDGE_B, INWARD, portal_visible_from
from gloamet.trace.rays import intersect
from gloamet.trace.sampler import GOLDEN, random_pair
from gloamet.trace.shading import evaluate_material, make_bsdf, resolve_hit
from gloamet.trace.visibility import OPAQUE_ONLY, T_MAX, ray_epsilon, shadow_transmittance

F = np.float32
LEAST_COSINE = F(0.02)  # of the sun on a window: a glancing one lets nothing in


@njit(inline="always", **KERNEL_OPTIONS)
def _portal_cosine(portals, k, sun):
    """Cosine of the sun on a window from outside, negative from inside."""
    return -(sun[0] * portals[k, INWARD] + sun[1] * portals[k, INWARD + 1] + sun[2] * portals[k, INWARD + 2])


@njit(**KERNEL_OPTIONS)
def count_sunlit_portals(portals, sun, x, y, z):
    """How many windows of a point's room the sun can come in by."""
    count = 0
    for k in range(len(portals)):
        if _portal_cosine(portals, k, sun) > LEAST_COSINE and portal_visible_from(portals, k, x, y, z):
            count += 1
    return count


@njit(inline="always", **KERNEL_OPTIONS)
def supports_patch_sampling(materials, m):
    """Whether patches on a material are looked for: those of one lobe that is not a mirror's neighbour."""
    return (
        materials[m, KIND] != F(GLASS) and materials[m, COAT] <= F(0) and materials[m, TRANSLUCENCY] <= F(0)
    )


@njit(**KERNEL_OPTIONS)
def patch_pdf_area(portals, sun, x, y, z, px, py, pz, cosine):
    """Per m2, how densely `sample_sun_patch` finds (px, py, pz), where the sun falls by a cosine, from (x, y, z)."""
    count, found = 0, F(0)
    for k in range(len(portals)):
        entering = _portal_cosine(portals, k, sun)
        if entering <= LEAST_COSINE or not portal_visible_from(portals, k, x, y, z):
            continue
        count += 1
        cx, cy, cz = portals[k, CORNER] - px, portals[k, CORNER + 1] - py, portals[k, CORNER + 2] - pz
        t = -(cx * portals[k, INWARD] + cy * portals[k, INWARD + 1] + cz * portals[k, INWARD + 2]) / entering
        if t <= F(0):
            continue
        qx, qy, qz = sun[0] * t - cx, sun[1] * t - cy, sun[2] * t - cz
        aa = bb = pa = pb = F(0)
        for i in range(3):
            ea, eb = portals[k, EDGE_A + i], portals[k, EDGE_B + i]
            q = qx if i == 0 else (qy if i == 1 else qz)
            aa, bb, pa, pb = aa + ea * ea, bb + eb * eb, pa + q * ea, pb + q * eb
        if F(0) <= pa <= aa and F(0) <= pb <= bb:
            found += cosine / (entering * portals[k, AREA])
    return found / F(max(1, count))


@njit(inline="always", **KERNEL_OPTIONS)
def bsdf_mis_weight(portals, sun, begun, place, normal, direction, chosen):
    """Weight of a patch's light that a path found by itself from `begun`, drawn with density chosen."""
    x, y, z = begun
    px, py, pz = place
    cosine = normal[0] * sun[0] + normal[1] * sun[1] + normal[2] * sun[2]
    if cosine <= F(0):
        return F(1)
    q = patch_pdf_area(portals, sun, x, y, z, px, py, pz, cosine)
    if q <= F(0):
        return F(1)
    square = (px - x) * (px - x) + (py - y) * (py - y) + (pz - z) * (pz - z)
    out = -(normal[0] * direction[0] + normal[1] * direction[1] + normal[2] * direction[2])
    p = chosen * max(F(0), out) / max(square, F(1e-8))
    return p * p / (p * p + q * q)


@njit(inline="always", **KERNEL_OPTIONS)
def _nth_sunlit_portal(portals, wanted, sun, x, y, z):
    """The window of that number among those `count_sunlit_portals` counts, -1 for none."""
    for k in range(len(portals)):
        if _portal_cosine(portals, k, sun) > LEAST_COSINE and portal_visible_from(portals, k, x, y, z):
            if wanted == 0:
                return k
            wanted -= 1
    return -1


@njit(**KERNEL_OPTIONS)
def sample_sun_patch(u, v, pick, count, scene, pervious, arrays, sun, surface, origin, normal):
    """Light of the sun that a place inside sends here, by three uniform numbers; count from `count_sunlit_portals`.

    Returns three channels and the rays it took; origin lies off the face of that normal.
    """
    materials, portals = arrays.materials, arrays.portals
    x, y, z = origin
    k = _nth_sunlit_portal(portals, min(int(pick * F(count)), count - 1), sun, x, y, z)
    if k < 0:
        return F(0), F(0), F(0), 0
    wx = portals[k, CORNER] + u * portals[k, EDGE_A] + v * portals[k, EDGE_B]
    wy = portals[k, CORNER + 1] + u * portals[k, EDGE_A + 1] + v * portals[k, EDGE_B + 1]
    wz = portals[k, CORNER + 2] + u * portals[k, EDGE_A + 2] + v * portals[k, EDGE_B + 2]
    hit = intersect(scene, wx, wy, wz, F(0), -sun[0], -sun[1], -sun[2], T_MAX, OPAQUE_ONLY)
    if hit[6] < 0:
        return F(0), F(0), F(0), 1
    t, prim, instance, m, nx, ny, nz, _front, tu, tv = resolve_hit(
        arrays, F(0), hit, -sun[0], -sun[1], -sun[2]
    )
    if not supports_patch_sampling(materials, m):
        return F(0), F(0), F(0), 1
    px, py, pz = wx - sun[0] * t, wy - sun[1] * t, wz - sun[2] * t
    step = ray_epsilon(t, px, py, pz)
    px, py, pz = px + nx * step, py + ny * step, pz + nz * step
    dx, dy, dz = px - x, py - y, pz - z
    square = dx * dx + dy * dy + dz * dz
    r = math.sqrt(max(square, F(1e-8)))
    dx, dy, dz = dx / r, dy / r, dz / r
    out = -(dx * nx + dy * ny + dz * nz)
    if out <= F(0) or dx * normal[0] + dy * normal[1] + dz * normal[2] <= F(0):
        return F(0), F(0), F(0), 1
    fr, fg, fb, p = eval_bsdf(surface, dx, dy, dz)
    if fr + fg + fb <= F(0):
        return F(0), F(0), F(0), 1
    looked = evaluate_material(
        arrays, m, prim, instance, (hit[4], hit[5]), (tu, tv), (px, py, pz), (nx, ny, nz), (dx, dy, dz), r
    )
    a, b, c, _p = eval_bsdf(make_bsdf(materials, m, looked, (dx, dy, dz)), sun[0], sun[1], sun[2])
    cosine = nx * sun[0] + ny * sun[1] + nz * sun[2]
    q = cosine / (_portal_cosine(portals, k, sun) * portals[k, AREA] * F(count))
    if a + b + c <= F(0) or q <= F(0):
        return F(0), F(0), F(0), 1
    hr, hg, hb = shadow_transmittance(scene, pervious, arrays, x, y, z, dx, dy, dz, r * F(0.9999) - F(1e-4))
    if hr + hg + hb <= F(0):
        return F(0), F(0), F(0), 2
    lr, lg, lb = shadow_transmittance(scene, pervious, arrays, px, py, pz, sun[0], sun[1], sun[2], T_MAX)
    path = p * out / (r * r)
    weight = q / (q * q + path * path) * out / (r * r)
    return (
        weight * fr * hr * a * lr * sun[3], weight * fg * hg * b * lg * sun[4], weight * fb * hb * c * lb * sun[5], 3,
    )  # fmt: skip


@njit(inline="always", **KERNEL_OPTIONS)
def sample_sun(u, v, state, scene, pervious, arrays, sun, surface, origin, normal, found_share, goes_on):
    """Light of the sun, and in a room of the patches it makes there, reflected here: (state, three channels, rays).

    Patches are asked for where the path goes on. found_share is what the sun counts here, where this place is a patch
    that the path has found by itself.
    """
    x, y, z = origin
    nx, ny, nz = normal
    a, b, c, rays = sample_sun_light(u, v, scene, pervious, arrays, sun, surface, x, y, z, nx, ny, nz)
    a, b, c = a * found_share, b * found_share, c * found_share
    count = count_sunlit_portals(arrays.portals, sun, x, y, z) if goes_on else 0
    if count > 0:
        state += GOLDEN
        u, v = random_pair(state)
        state += GOLDEN
        pick, _unused = random_pair(state)
        d, e, f, n = sample_sun_patch(
            u, v, pick, count, scene, pervious, arrays, sun, surface, origin, normal
        )
        a, b, c, rays = a + d, b + e, c + f, rays + n
    return state, a, b, c, rays
