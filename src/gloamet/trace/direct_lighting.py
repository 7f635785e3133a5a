"""Light met by a path: sampled from the sun, the sky and lamps, or found by leaving the scene or hitting a lamp.

Arrays are a `compiled.SceneArrays`, lights a `lights.LightArrays`.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.sky.dome import dome_coordinates, sky_radiance
from gloamet.trace.bsdf import eval_bsdf, orthonormal_basis, sample_texture
from gloamet.trace.environment import LIMB_DARKENING_EXPONENT, pdf_solid_angle, sample_sky
from gloamet.trace.ground_plane import horizon_fade
from gloamet.trace.materials import (
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
    TEXTURE_TO_AP1,
    TRIANGLE_LAMP,
    TWO_SIDED_EMISSION,
)
from gloamet.trace.portals import PORTAL_SAMPLE_FRACTION, count_portals, portal_pdf, sample_portal
from gloamet.trace.sampler import GOLDEN, random_pair
from gloamet.trace.visibility import T_MAX, shadow_transmittance

F = np.float32


@njit(inline="always", **KERNEL_OPTIONS)
def sun_direction(sun, u, v):
    """A direction inside the disc, by the light of its limb-darkened face: no weight is left."""
    s2 = (F(1) - (F(1) - u) ** F(1 / (1 + LIMB_DARKENING_EXPONENT / 2))) * sun[11]
    c, s, phi = math.sqrt(F(1) - s2), math.sqrt(s2), F(2 * math.pi) * v
    x, y = s * math.cos(phi), s * math.sin(phi)
    a, b, d, e, g, h = orthonormal_basis(sun[0], sun[1], sun[2])
    return a * x + e * y + sun[0] * c, b * x + g * y + sun[1] * c, d * x + h * y + sun[2] * c


@njit(inline="always", **KERNEL_OPTIONS)
def sky_pdf(density, portals, count, u, v, x, y, z, dx, dy, dz):
    """Probability per steradian with which the sky is asked from a point for a direction."""
    p = pdf_solid_angle(density, u, v, math.sqrt(max(F(0), F(1) - dz * dz)))
    if count == 0:
        return p
    return (F(1) - PORTAL_SAMPLE_FRACTION) * p + PORTAL_SAMPLE_FRACTION * portal_pdf(
        portals, count, x, y, z, dx, dy, dz
    )


@njit(inline="always", **KERNEL_OPTIONS)
def sky_emission_mis(table, density, portals, begun, dx, dy, dz, direct, bsdf_density):
    """Sky radiance a path begun at a point meets, weighted against having asked the sky there (power heuristic)."""
    u, v = dome_coordinates(dx, dy, dz)
    r, g, b = sky_radiance(table, u, v)
    if direct:
        return r, g, b
    x, y, z = begun
    p = sky_pdf(density, portals, count_portals(portals, x, y, z), u, v, x, y, z, dx, dy, dz)
    w = bsdf_density * bsdf_density / (bsdf_density * bsdf_density + p * p)
    return r * w, g * w, b * w


@njit(inline="always", **KERNEL_OPTIONS)
def sun_disc_radiance(sun, dx, dy, dz):
    """Radiance of the sun's disc in a direction, 0 outside it."""
    cx, cy, cz = dy * sun[2] - dz * sun[1], dz * sun[0] - dx * sun[2], dx * sun[1] - dy * sun[0]
    s2 = cx * cx + cy * cy + cz * cz
    if s2 >= sun[11] or dx * sun[0] + dy * sun[1] + dz * sun[2] <= F(0):
        return F(0)
    return F(1 + LIMB_DARKENING_EXPONENT / 2) * math.sqrt(math.sqrt(F(1) - s2 / sun[11]))


@njit(inline="always", **KERNEL_OPTIONS)
def miss_radiance(lights, plane, portals, begun, dx, dy, dz, direct, scattered, chosen):
    """What a path meets outside the scene: three channels from the sun, three from the sky.

    The camera sees the ground melt into the sky at the horizon; light does not.
    """
    sun, ground, seen = lights.sun, lights.ground, direct and not scattered
    share = F(1) if dz < F(0) else F(0)
    if seen:
        share = horizon_fade(plane, dz)
    a = b = c = d = e = f = F(0)
    if share > F(0):
        a, b, c = share * ground[0], share * ground[1], share * ground[2]
        d, e, f = share * ground[3], share * ground[4], share * ground[5]
    if share < F(1):
        rest = F(1) - share
        r, g, h = sky_emission_mis(
            lights.table, lights.density, portals, begun, dx, dy, max(dz, F(0)), direct, chosen
        )
        d, e, f = d + rest * r, e + rest * g, f + rest * h
        if seen and dz > F(0):
            rest *= sun_disc_radiance(sun, dx, dy, dz)
            a, b, c = a + rest * sun[7], b + rest * sun[8], c + rest * sun[9]
    return a, b, c, d, e, f


@njit(inline="always", **KERNEL_OPTIONS)
def sample_sun_light(u, v, scene, pervious, arrays, sun, surface, ox, oy, oz, nx, ny, nz):
    """Light of the sun's disc reflected here, and the rays it took; (ox, oy, oz) lies off the face."""
    lx, ly, lz = sun_direction(sun, u, v)
    if lz > F(0) and lx * nx + ly * ny + lz * nz > F(0):
        fr, fg, fb, _p = eval_bsdf(surface, lx, ly, lz)
        if fr + fg + fb > F(0):
            ur, ug, ub = shadow_transmittance(scene, pervious, arrays, ox, oy, oz, lx, ly, lz, T_MAX)
            return fr * ur * sun[3], fg * ug * sun[4], fb * ub * sun[5], 1
    return F(0), F(0), F(0), 0


@njit(inline="always", **KERNEL_OPTIONS)
def sample_sky_light(u, v, state, scene, pervious, arrays, lights, surface, ox, oy, oz, nx, ny, nz):
    """Light of the sky reflected here, asked where it comes from or through the room's portals, and rays."""
    portals = arrays.portals
    count = count_portals(portals, ox, oy, oz)
    if count > 0 and u < PORTAL_SAMPLE_FRACTION:
        a, b = random_pair(state)
        lx, ly, lz = sample_portal(portals, count, v, a, b, ox, oy, oz)
        if lz <= F(0):
            return F(0), F(0), F(0), 0
        u, v = dome_coordinates(lx, ly, lz)
    else:
        if count > 0:
            u = (u - PORTAL_SAMPLE_FRACTION) / (F(1) - PORTAL_SAMPLE_FRACTION)
        lx, ly, lz, u, v = sample_sky(lights.row_cdf, lights.cell_cdf, u, v)
    if lx * nx + ly * ny + lz * nz > F(0):
        fr, fg, fb, p = eval_bsdf(surface, lx, ly, lz)
        if fr + fg + fb > F(0):
            ur, ug, ub = shadow_transmittance(scene, pervious, arrays, ox, oy, oz, lx, ly, lz, T_MAX)
            if ur + ug + ub > F(0):
                q = sky_pdf(lights.density, portals, count, u, v, ox, oy, oz, lx, ly, lz)
                w = q / (q * q + p * p)
                r, g, b = sky_radiance(lights.table, u, v)
                return fr * ur * w * r, fg * ug * w * g, fb * ub * w * b, 1
            return F(0), F(0), F(0), 1
    return F(0), F(0), F(0), 0


@njit(**KERNEL_OPTIONS)
def sample_area_light(state, scene, pervious, arrays, surface, ox, oy, oz, nx, ny, nz):
    """Light of one lamp, picked by its power, reflected here, and the rays it took."""
    lamps = arrays.lamps
    pick, _unused = random_pair(state)
    low, high = 0, len(lamps) - 1
    while low < high:
        mid = (low + high) >> 1
        if lamps[mid, LAMP_CDF] <= pick:
            low = mid + 1
        else:
            high = mid
    k, u, v = low, F(0), F(0)
    if lamps[k, LAMP_KIND] == F(TRIANGLE_LAMP):
        p, q = random_pair(state + GOLDEN)
        p = math.sqrt(p)
        u, v = p * (F(1) - q), p * q
    lx = lamps[k, LAMP_ORIGIN] + u * lamps[k, LAMP_EDGE_U] + v * lamps[k, LAMP_EDGE_V] - ox
    ly = lamps[k, LAMP_ORIGIN + 1] + u * lamps[k, LAMP_EDGE_U + 1] + v * lamps[k, LAMP_EDGE_V + 1] - oy
    lz = lamps[k, LAMP_ORIGIN + 2] + u * lamps[k, LAMP_EDGE_U + 2] + v * lamps[k, LAMP_EDGE_V + 2] - oz
    d2 = lx * lx + ly * ly + lz * lz
    far = math.sqrt(d2)
    if far < F(1e-6):
        return F(0), F(0), F(0), 0
    lx, ly, lz = lx / far, ly / far, lz / far
    if lx * nx + ly * ny + lz * nz <= F(0):
        return F(0), F(0), F(0), 0
    fr, fg, fb, p = eval_bsdf(surface, lx, ly, lz)
    if fr + fg + fb <= F(0):
        return F(0), F(0), F(0), 0
    if lamps[k, LAMP_KIND] == F(TRIANGLE_LAMP):
        ax = (
            lamps[k, LAMP_EDGE_U + 1] * lamps[k, LAMP_EDGE_V + 2]
            - lamps[k, LAMP_EDGE_U + 2] * lamps[k, LAMP_EDGE_V + 1]
        )
        ay = (
            lamps[k, LAMP_EDGE_U + 2] * lamps[k, LAMP_EDGE_V]
            - lamps[k, LAMP_EDGE_U] * lamps[k, LAMP_EDGE_V + 2]
        )
        az = (
            lamps[k, LAMP_EDGE_U] * lamps[k, LAMP_EDGE_V + 1]
            - lamps[k, LAMP_EDGE_U + 1] * lamps[k, LAMP_EDGE_V]
        )
        twice = math.sqrt(ax * ax + ay * ay + az * az)
        cosine = -(ax * lx + ay * ly + az * lz) / twice
        if lamps[k, COS_FULL] > F(0):  # gives light to both sides
            cosine = abs(cosine)
        if cosine <= F(1e-6):
            return F(0), F(0), F(0), 0
        density = lamps[k, LAMP_PDF] * F(2) / twice * d2 / cosine
        weight = density / (density * density + p * p)
    else:
        along = -(
            lx * lamps[k, LAMP_EDGE_U] + ly * lamps[k, LAMP_EDGE_U + 1] + lz * lamps[k, LAMP_EDGE_U + 2]
        )
        x = (along - lamps[k, COS_OUTER]) / max(F(1e-5), lamps[k, COS_FULL] - lamps[k, COS_OUTER])
        x = min(F(1), max(F(0), x))
        weight = x * x / (d2 * lamps[k, LAMP_PDF])
    if weight <= F(0):
        return F(0), F(0), F(0), 0
    ur, ug, ub = shadow_transmittance(
        scene, pervious, arrays, ox, oy, oz, lx, ly, lz, far * F(0.9999) - F(1e-4)
    )
    return (
        fr * ur * weight * lamps[k, LAMP_RADIANCE],
        fg * ug * weight * lamps[k, LAMP_RADIANCE + 1],
        fb * ub * weight * lamps[k, LAMP_RADIANCE + 2],
        1,
    )


@njit(**KERNEL_OPTIONS)
def emitted_radiance_mis(materials, m, texels, pictures, u, v, front, cosine, distance, direct, chosen):
    """Light a surface gives of its own (AP1), weighted against having sampled its lamp."""
    if not front and materials[m, TWO_SIDED_EMISSION] == F(0):
        return F(0), F(0), F(0)
    r, g, b = materials[m, EMISSION], materials[m, EMISSION + 1], materials[m, EMISSION + 2]
    if materials[m, EMISSION_TEXTURE] >= F(0):
        tr, tg, tb, _, _, _, _ = sample_texture(texels, pictures, int(materials[m, EMISSION_TEXTURE]), u, v)
        M = TEXTURE_TO_AP1
        r *= M[0, 0] * tr + M[0, 1] * tg + M[0, 2] * tb
        g *= M[1, 0] * tr + M[1, 1] * tg + M[1, 2] * tb
        b *= M[2, 0] * tr + M[2, 1] * tg + M[2, 2] * tb
    if direct:
        return r, g, b
    p = materials[m, EMITTER_PDF] * distance * distance / max(cosine, F(1e-6))
    w = chosen * chosen / (chosen * chosen + p * p)
    return r * w, g * w, b * w
