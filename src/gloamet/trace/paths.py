"""The fused path-tracing kernel: a tile of rows, every sample from the camera to the sky.

Array layouts. camera (4, 3): eye, forward, half width, half height. The film of one size: sun, sky, albedo
and normal (H, W, 3), depth (H, W), all float32 sums over samples. Scene arrays are those of
`compiled.Compiled.arrays`, light arrays those of `lights.Lights.arrays`, in that order. Light from the sun
and light from the sky (with all their bounces) never mix, so that a gain is a weighted sum afterwards.

Stated limits: the sun's disc mirrored onto a diffuse surface (a caustic) is left out; glass is passed
straight.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import JIT
from gloamet.sky.dome import dome_coordinates, sky_radiance
from gloamet.trace.compiled import GLASS, KIND, MATT, SPECULAR, TRANSMISSION
from gloamet.trace.embree import ANY_MASK, GLASS_MASK, OPAQUE_MASK
from gloamet.trace.lights import (
    LIMB,
    sample_sky,
    solid_density,
)
from gloamet.trace.rays import intersect, occluded
from gloamet.trace.surface import (
    MIRROR_ALPHA,
    basis,
    cosine_direction,
    fifth,
    gloss_direction,
    gloss_share,
    interpolate,
    look_up,
    pane,
    reflect,
)

F = np.float32
FAR = F(1e30)
MAX_PANES = 16
_GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_MIX1, _MIX2 = np.uint64(0xBF58476D1CE4E5B9), np.uint64(0x94D049BB133111EB)
_PIXEL = np.uint64(0xD1342543DE82EF95)
_ANY, _OPAQUE, _GLASS = np.int32(ANY_MASK), np.int32(OPAQUE_MASK), np.int32(GLASS_MASK)
_TINY = F(2.0**-24)


@njit(inline="always", **JIT)
def two_numbers(state):
    """Two uniform numbers in [0, 1) from a counter (SplitMix64, Steele et al. 2014)."""
    z = (state ^ (state >> np.uint64(30))) * _MIX1
    z = (z ^ (z >> np.uint64(27))) * _MIX2
    z = z ^ (z >> np.uint64(31))
    return F(z >> np.uint64(40)) * _TINY, F((z >> np.uint64(8)) & np.uint64(0xFFFFFF)) * _TINY


@njit(inline="always", **JIT)
def sun_direction(sun, u, v):
    """A direction inside the disc, by the light of its limb-darkened face: no weight is left."""
    s2 = (F(1) - (F(1) - u) ** F(1 / (1 + LIMB / 2))) * sun[11]
    c, s, phi = math.sqrt(F(1) - s2), math.sqrt(s2), F(2 * math.pi) * v
    x, y = s * math.cos(phi), s * math.sin(phi)
    a, b, d, e, g, h = basis(sun[0], sun[1], sun[2])
    return a * x + e * y + sun[0] * c, b * x + g * y + sun[1] * c, d * x + h * y + sun[2] * c


@njit(**JIT)
def unblocked(scene, glass, first_glass, triangle_material, materials, ox, oy, oz, dx, dy, dz):
    """How much light comes along a shadow ray, per channel: 0 behind walls, tinted behind panes."""
    if not glass:
        if occluded(scene, ox, oy, oz, F(0), dx, dy, dz, FAR, _ANY):
            return F(0), F(0), F(0)
        return F(1), F(1), F(1)
    if occluded(scene, ox, oy, oz, F(0), dx, dy, dz, FAR, _OPAQUE):
        return F(0), F(0), F(0)
    r = g = b = F(1)
    near = F(0)
    for _ in range(MAX_PANES):
        t, nx, ny, nz, _u, _v, prim, _g = intersect(scene, ox, oy, oz, near, dx, dy, dz, FAR, _GLASS)
        if prim < 0:
            return r, g, b
        cosine = abs(nx * dx + ny * dy + nz * dz) / math.sqrt(nx * nx + ny * ny + nz * nz)
        _f, tr, tg, tb = pane(materials, triangle_material[first_glass + prim], cosine)
        r, g, b = r * tr, g * tg, b * tb
        near = t + F(1e-4) + F(1e-6) * t
    return F(0), F(0), F(0)


@njit(inline="always", **JIT)
def sky_along(table, density, dx, dy, dz, direct, bsdf_density):
    """Sky radiance a path meets, weighted against having sampled the sky itself (power heuristic)."""
    u, v = dome_coordinates(dx, dy, dz)
    r, g, b = sky_radiance(table, u, v)
    if direct:
        return r, g, b
    p = solid_density(density, u, v, math.sqrt(max(F(0), F(1) - dz * dz)))
    w = bsdf_density * bsdf_density / (bsdf_density * bsdf_density + p * p)
    return r * w, g * w, b * w


@njit(inline="always", **JIT)
def disc_along(sun, dx, dy, dz):
    """Radiance of the sun's disc in a direction, 0 outside it."""
    cx, cy, cz = dy * sun[2] - dz * sun[1], dz * sun[0] - dx * sun[2], dx * sun[1] - dy * sun[0]
    s2 = cx * cx + cy * cy + cz * cz
    if s2 >= sun[11] or dx * sun[0] + dy * sun[1] + dz * sun[2] <= F(0):
        return F(0)
    return F(1 + LIMB / 2) * math.sqrt(math.sqrt(F(1) - s2 / sun[11]))


@njit(**JIT)
def trace_rows(
    scene, glass, first_glass, scene_arrays, light_arrays, camera, width, height, y0, y1,
    first_sample, samples, max_bounces, film,
):  # fmt: skip
    """Add `samples` samples to rows y0..y1 of the film; returns the number of rays traced.

    The same sample number gives the same result whatever the tiling.
    """
    normals, uvs, triangles, triangle_material, smooth, materials, texels, pictures = scene_arrays
    table, sun, ground, row_cdf, cell_cdf, density = light_arrays
    film_sun, film_sky, film_albedo, film_normal, film_depth = film
    sun_up = sun[3] + sun[4] + sun[5] > F(0)
    rays = 0
    for y in range(y0, y1):
        for x in range(width):
            for sample in range(first_sample, first_sample + samples):
                state = np.uint64(y * width + x) * _PIXEL + np.uint64(sample) * _MIX2 + np.uint64(12345)
                u, v = two_numbers(state)
                a = F(2) * (F(x) + u) / F(width) - F(1)
                b = F(1) - F(2) * (F(y) + v) / F(height)
                dx = camera[1, 0] + a * camera[2, 0] + b * camera[3, 0]
                dy = camera[1, 1] + a * camera[2, 1] + b * camera[3, 1]
                dz = camera[1, 2] + a * camera[2, 2] + b * camera[3, 2]
                inverse = F(1) / math.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx * inverse, dy * inverse, dz * inverse
                ox, oy, oz = camera[0, 0], camera[0, 1], camera[0, 2]
                tr = tg = tb = F(1)  # what the path still carries
                sr = sg = sb = F(0)  # from the sun
                kr = kg = kb = F(0)  # from the sky
                direct, seen, scattered = True, False, False
                chosen = F(0)  # density with which the current direction was sampled
                bounces, panes = 0, 0
                while True:
                    t, nx, ny, nz, hu, hv, prim, geometry = intersect(
                        scene, ox, oy, oz, F(0), dx, dy, dz, FAR, _ANY
                    )
                    rays += 1
                    if prim < 0:
                        if dz < F(0):
                            sr, sg, sb = sr + tr * ground[0], sg + tg * ground[1], sb + tb * ground[2]
                            kr, kg, kb = kr + tr * ground[3], kg + tg * ground[4], kb + tb * ground[5]
                        else:
                            r, g, b = sky_along(table, density, dx, dy, dz, direct, chosen)
                            kr, kg, kb = kr + tr * r, kg + tg * g, kb + tb * b
                            if direct and sun_up and not scattered:
                                w = disc_along(sun, dx, dy, dz)
                                sr, sg, sb = sr + tr * w * sun[7], sg + tg * w * sun[8], sb + tb * w * sun[9]
                        if not seen:
                            for k in range(3):
                                film_albedo[y, x, k] += F(1)
                        break
                    if geometry == 1:
                        prim += first_glass
                    m = triangle_material[prim]
                    inverse = F(1) / math.sqrt(nx * nx + ny * ny + nz * nz)
                    if nx * dx + ny * dy + nz * dz > F(0):
                        inverse = -inverse
                    nx, ny, nz = nx * inverse, ny * inverse, nz * inverse
                    if bounces == 0 and panes == 0:
                        film_depth[y, x] += t
                    step = F(1e-4) + F(1e-6) * t
                    px, py, pz = ox + dx * t, oy + dy * t, oz + dz * t
                    state += _GOLDEN
                    u, v = two_numbers(state)
                    if materials[m, KIND] == F(GLASS) and u < materials[m, TRANSMISSION]:
                        panes += 1
                        if panes > MAX_PANES:
                            break
                        f, r, g, b = pane(materials, m, -(nx * dx + ny * dy + nz * dz))
                        if v < f:
                            d = F(2) * (nx * dx + ny * dy + nz * dz)
                            dx, dy, dz = dx - d * nx, dy - d * ny, dz - d * nz
                            direct = True
                        else:
                            # `pane` holds the odds of both choices, which were just taken
                            odds = F(1) / ((F(1) - f) * materials[m, TRANSMISSION])
                            tr, tg, tb = tr * r * odds, tg * g * odds, tb * b * odds
                            step = -step
                        ox, oy, oz = px + nx * step, py + ny * step, pz + nz * step
                        continue
                    sx, sy, sz, tu, tv = interpolate(triangles, normals, uvs, prim, hu, hv)
                    if smooth[prim]:
                        inverse = F(1) / math.sqrt(max(F(1e-20), sx * sx + sy * sy + sz * sz))
                        if sx * nx + sy * ny + sz * nz < F(0):
                            inverse = -inverse
                        sx, sy, sz = sx * inverse, sy * inverse, sz * inverse
                        if sx * dx + sy * dy + sz * dz > F(-1e-3):
                            sx, sy, sz = nx, ny, nz
                    else:
                        sx, sy, sz = nx, ny, nz
                    r, g, b, rough, metal = look_up(materials, m, texels, pictures, tu, tv)
                    gloss = materials[m, SPECULAR]
                    share, alpha = F(0), F(1)
                    if materials[m, KIND] != F(MATT):
                        alpha = rough * rough
                        share = gloss_share(-(sx * dx + sy * dy + sz * dz), r, g, b, metal, gloss)
                    if not seen and not (metal > F(0.9) and alpha < MIRROR_ALPHA):
                        seen = True
                        film_albedo[y, x, 0] += min(F(1), tr * r)
                        film_albedo[y, x, 1] += min(F(1), tg * g)
                        film_albedo[y, x, 2] += min(F(1), tb * b)
                        film_normal[y, x, 0] += sx
                        film_normal[y, x, 1] += sy
                        film_normal[y, x, 2] += sz
                    if bounces == max_bounces:
                        break
                    ox, oy, oz = px + nx * step, py + ny * step, pz + nz * step
                    vx, vy, vz = -dx, -dy, -dz
                    # After the first surface one of the two lights is asked, by a coin: half the shadow rays.
                    odds, ask_sun, ask_sky = F(1), sun_up, True
                    state += _GOLDEN
                    c, d = two_numbers(state)
                    if bounces > 0 and sun_up:
                        odds, ask_sun, ask_sky = F(2), c < F(0.5), c >= F(0.5)
                    if ask_sun:
                        state += _GOLDEN
                        u, v = two_numbers(state)
                        lx, ly, lz = sun_direction(sun, u, v)
                        if lz > F(0) and lx * nx + ly * ny + lz * nz > F(0):
                            fr, fg, fb, _p = reflect(
                                sx, sy, sz, vx, vy, vz, lx, ly, lz, r, g, b, alpha, metal, gloss, share
                            )
                            if fr + fg + fb > F(0):
                                ur, ug, ub = unblocked(
                                    scene, glass, first_glass, triangle_material, materials,
                                    ox, oy, oz, lx, ly, lz,
                                )  # fmt: skip
                                rays += 1
                                sr += tr * fr * ur * odds * sun[3]
                                sg += tg * fg * ug * odds * sun[4]
                                sb += tb * fb * ub * odds * sun[5]
                    lx = ly = lz = F(0)
                    if ask_sky:
                        state += _GOLDEN
                        u, v = two_numbers(state)
                        lx, ly, lz, u, v = sample_sky(row_cdf, cell_cdf, u, v)
                    if lx * nx + ly * ny + lz * nz > F(0):
                        fr, fg, fb, p = reflect(
                            sx, sy, sz, vx, vy, vz, lx, ly, lz, r, g, b, alpha, metal, gloss, share
                        )
                        if fr + fg + fb > F(0):
                            ur, ug, ub = unblocked(
                                scene, glass, first_glass, triangle_material, materials,
                                ox, oy, oz, lx, ly, lz,
                            )  # fmt: skip
                            rays += 1
                            if ur + ug + ub > F(0):
                                q = solid_density(density, u, v, math.sqrt(max(F(0), F(1) - lz * lz)))
                                w = odds * q / (q * q + p * p)
                                lr, lg, lb = sky_radiance(table, u, v)
                                kr += tr * fr * ur * w * lr
                                kg += tg * fg * ug * w * lg
                                kb += tb * fb * ub * w * lb
                    # onwards
                    state += _GOLDEN
                    u, v = two_numbers(state)
                    state += _GOLDEN
                    c, coin = two_numbers(state)
                    if c < share:
                        dx, dy, dz = gloss_direction(sx, sy, sz, vx, vy, vz, alpha, u, v)
                    else:
                        dx, dy, dz = cosine_direction(sx, sy, sz, u, v)
                    if dx * nx + dy * ny + dz * nz <= F(0):
                        break
                    bounces += 1
                    if c < share and alpha < MIRROR_ALPHA:
                        k = fifth(sx * vx + sy * vy + sz * vz)
                        f0, f90 = F(0.04) * gloss * (F(1) - metal), gloss * (F(1) - metal) + metal
                        tr *= (f0 + r * metal + (f90 - f0 - r * metal) * k) / share
                        tg *= (f0 + g * metal + (f90 - f0 - g * metal) * k) / share
                        tb *= (f0 + b * metal + (f90 - f0 - b * metal) * k) / share
                        direct = True
                    else:
                        fr, fg, fb, chosen = reflect(
                            sx, sy, sz, vx, vy, vz, dx, dy, dz, r, g, b, alpha, metal, gloss, share
                        )
                        if chosen <= F(1e-9):
                            break
                        tr, tg, tb = tr * fr / chosen, tg * fg / chosen, tb * fb / chosen
                        direct, scattered = False, True
                    # roulette by what is left to carry, gentler after the first surface
                    keep = max(tr, max(tg, tb))
                    if keep < F(0.95) and not direct:
                        if bounces == 1:
                            keep = math.sqrt(keep)
                        if coin >= keep:
                            break
                        tr, tg, tb = tr / keep, tg / keep, tb / keep
                film_sun[y, x, 0] += sr
                film_sun[y, x, 1] += sg
                film_sun[y, x, 2] += sb
                film_sky[y, x, 0] += kr
                film_sky[y, x, 1] += kg
                film_sky[y, x, 2] += kb
    return rays
