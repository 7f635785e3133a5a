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
def through_glass(scene, first_glass, triangle_material, materials, ox, oy, oz, dx, dy, dz):
    """What the panes along a shadow ray let through, per channel."""
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
def unblocked(scene, glass, first_glass, triangle_material, materials, ox, oy, oz, dx, dy, dz):
    """How much light comes along a shadow ray, per channel: 0 behind walls, tinted behind panes."""
    if occluded(scene, ox, oy, oz, F(0), dx, dy, dz, FAR, _OPAQUE):
        return F(0), F(0), F(0)
    if not glass:
        return F(1), F(1), F(1)
    return through_glass(scene, first_glass, triangle_material, materials, ox, oy, oz, dx, dy, dz)


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


@njit(inline="always", **JIT)
def camera_ray(camera, x, y, width, height, u, v):
    """Unit direction through a point (u, v) of pixel (x, y)."""
    a = F(2) * (F(x) + u) / F(width) - F(1)
    b = F(1) - F(2) * (F(y) + v) / F(height)
    dx = camera[1, 0] + a * camera[2, 0] + b * camera[3, 0]
    dy = camera[1, 1] + a * camera[2, 1] + b * camera[3, 1]
    dz = camera[1, 2] + a * camera[2, 2] + b * camera[3, 2]
    inverse = F(1) / math.sqrt(dx * dx + dy * dy + dz * dz)
    return dx * inverse, dy * inverse, dz * inverse


@njit(**JIT)
def shading_normal(smooth, sx, sy, sz, nx, ny, nz, dx, dy, dz):
    """The interpolated normal on the ray's side of the face, or the face's own where that fails."""
    if not smooth:
        return nx, ny, nz
    inverse = F(1) / math.sqrt(max(F(1e-20), sx * sx + sy * sy + sz * sz))
    if sx * nx + sy * ny + sz * nz < F(0):
        inverse = -inverse
    sx, sy, sz = sx * inverse, sy * inverse, sz * inverse
    if sx * dx + sy * dy + sz * dz > F(-1e-3):
        return nx, ny, nz
    return sx, sy, sz


@njit(inline="always", **JIT)
def escaped(table, sun, ground, density, dx, dy, dz, direct, scattered, chosen):
    """What a path meets outside the scene: three channels from the sun, three from the sky."""
    if dz < F(0):
        return ground[0], ground[1], ground[2], ground[3], ground[4], ground[5]
    r, g, b = sky_along(table, density, dx, dy, dz, direct, chosen)
    w = F(0)
    if direct and not scattered:
        w = disc_along(sun, dx, dy, dz)
    return w * sun[7], w * sun[8], w * sun[9], r, g, b


@njit(inline="always", **JIT)
def lit_by_sun(
    state, scene, glass, first_glass, triangle_material, materials, sun, surface, ox, oy, oz, nx, ny, nz
):  # fmt: skip
    """Light of the sun's disc reflected here, and the rays it took; (ox, oy, oz) lies off the face."""
    u, v = two_numbers(state)
    lx, ly, lz = sun_direction(sun, u, v)
    if lz > F(0) and lx * nx + ly * ny + lz * nz > F(0):
        fr, fg, fb, _p = reflect(surface, lx, ly, lz)
        if fr + fg + fb > F(0):
            ur, ug, ub = unblocked(
                scene, glass, first_glass, triangle_material, materials, ox, oy, oz, lx, ly, lz
            )
            return fr * ur * sun[3], fg * ug * sun[4], fb * ub * sun[5], 1
    return F(0), F(0), F(0), 0


@njit(inline="always", **JIT)
def lit_by_sky(
    state, scene, glass, first_glass, triangle_material, materials, table, row_cdf, cell_cdf, density,
    surface, ox, oy, oz, nx, ny, nz,
):  # fmt: skip
    """Light of the sky reflected here, sampled by where it comes from, and the rays it took."""
    u, v = two_numbers(state)
    lx, ly, lz, u, v = sample_sky(row_cdf, cell_cdf, u, v)
    if lx * nx + ly * ny + lz * nz > F(0):
        fr, fg, fb, p = reflect(surface, lx, ly, lz)
        if fr + fg + fb > F(0):
            ur, ug, ub = unblocked(
                scene, glass, first_glass, triangle_material, materials, ox, oy, oz, lx, ly, lz
            )
            if ur + ug + ub > F(0):
                q = solid_density(density, u, v, math.sqrt(max(F(0), F(1) - lz * lz)))
                w = q / (q * q + p * p)
                r, g, b = sky_radiance(table, u, v)
                return fr * ur * w * r, fg * ug * w * g, fb * ub * w * b, 1
            return F(0), F(0), F(0), 1
    return F(0), F(0), F(0), 0


@njit(inline="always", **JIT)
def scatter(surface, u, v, c):
    """Where the path goes next: direction, weight per channel, density; density 0 means a mirror, -1 an end.

    c picks the glossy or the diffuse lobe.
    """
    sx, sy, sz, vx, vy, vz, r, g, b, alpha, metal, gloss, share = surface
    if c < share:
        dx, dy, dz = gloss_direction(sx, sy, sz, vx, vy, vz, alpha, u, v)
        if alpha < MIRROR_ALPHA:
            k = fifth(sx * vx + sy * vy + sz * vz)
            f0, f90 = F(0.04) * gloss * (F(1) - metal), gloss * (F(1) - metal) + metal
            r, g, b = f0 + r * metal, f0 + g * metal, f0 + b * metal
            odds = F(1) / share
            return (
                dx,
                dy,
                dz,
                (r + (f90 - r) * k) * odds,
                (g + (f90 - g) * k) * odds,
                (b + (f90 - b) * k) * odds,
                F(0),
            )
    else:
        dx, dy, dz = cosine_direction(sx, sy, sz, u, v)
    fr, fg, fb, p = reflect(surface, dx, dy, dz)
    if p <= F(1e-9):
        return dx, dy, dz, F(0), F(0), F(0), F(-1)
    return dx, dy, dz, fr / p, fg / p, fb / p, p


@njit(inline="always", **JIT)
def through_pane(materials, m, nx, ny, nz, dx, dy, dz, v):
    """A path at a glass face: new direction, weight per channel, whether it was mirrored.

    `pane` holds the odds of mirror and passage, which are just being drawn.
    """
    cosine = -(nx * dx + ny * dy + nz * dz)
    f, r, g, b = pane(materials, m, cosine)
    if v < f:
        k = F(2) * cosine
        return dx + k * nx, dy + k * ny, dz + k * nz, F(1), F(1), F(1), True
    odds = F(1) / ((F(1) - f) * materials[m, TRANSMISSION])
    return dx, dy, dz, r * odds, g * odds, b * odds, False


@njit(inline="always", **JIT)
def follow(
    scene, glass, first_glass, normals, uvs, triangles, triangle_material, smooth, materials, texels, pictures,
    table, sun, ground, row_cdf, cell_cdf, density, state, ox, oy, oz, dx, dy, dz, max_bounces,
):  # fmt: skip
    """One path. Returns light of the sun (3) and of the sky (3), albedo (3), normal (3), depth, rays."""
    sun_up = sun[3] + sun[4] + sun[5] > F(0)
    tr = tg = tb = F(1)  # what the path still carries
    sr = sg = sb = kr = kg = kb = F(0)
    ar = ag = ab = F(1)
    mx = my = mz = depth = chosen = F(0)
    direct, seen, scattered = True, False, False
    bounces, panes, rays = 0, 0, 0
    while True:
        t, nx, ny, nz, hu, hv, prim, geometry = intersect(scene, ox, oy, oz, F(0), dx, dy, dz, FAR, _ANY)
        rays += 1
        if prim < 0:
            a, b, c, d, e, f = escaped(table, sun, ground, density, dx, dy, dz, direct, scattered, chosen)
            sr, sg, sb = sr + tr * a, sg + tg * b, sb + tb * c
            kr, kg, kb = kr + tr * d, kg + tg * e, kb + tb * f
            break
        if geometry == 1:
            prim += first_glass
        m = triangle_material[prim]
        inverse = F(1) / math.sqrt(nx * nx + ny * ny + nz * nz)
        if nx * dx + ny * dy + nz * dz > F(0):
            inverse = -inverse
        nx, ny, nz = nx * inverse, ny * inverse, nz * inverse
        if bounces + panes == 0:
            depth = t
        px, py, pz, step = ox + dx * t, oy + dy * t, oz + dz * t, F(1e-4) + F(1e-6) * t
        state += _GOLDEN
        u, v = two_numbers(state)
        if materials[m, KIND] == F(GLASS) and u < materials[m, TRANSMISSION]:
            panes += 1
            if panes > MAX_PANES:
                break
            dx, dy, dz, a, b, c, mirrored = through_pane(materials, m, nx, ny, nz, dx, dy, dz, v)
            tr, tg, tb = tr * a, tg * b, tb * c
            direct = direct or mirrored
            step = step if mirrored else -step
            ox, oy, oz = px + nx * step, py + ny * step, pz + nz * step
            continue
        sx, sy, sz, tu, tv = interpolate(triangles, normals, uvs, prim, hu, hv)
        sx, sy, sz = shading_normal(smooth[prim], sx, sy, sz, nx, ny, nz, dx, dy, dz)
        r, g, b, rough, metal = look_up(materials, m, texels, pictures, tu, tv)
        gloss, share, alpha = materials[m, SPECULAR], F(0), F(1)
        if materials[m, KIND] != F(MATT):
            alpha = rough * rough
            share = gloss_share(-(sx * dx + sy * dy + sz * dz), r, g, b, metal, gloss)
        if not seen and not (metal > F(0.9) and alpha < MIRROR_ALPHA):
            seen = True
            ar, ag, ab = min(F(1), tr * r), min(F(1), tg * g), min(F(1), tb * b)
            mx, my, mz = sx, sy, sz
        if bounces == max_bounces:
            break
        ox, oy, oz = px + nx * step, py + ny * step, pz + nz * step
        surface = (sx, sy, sz, -dx, -dy, -dz, r, g, b, alpha, metal, gloss, share)
        # After the first surface one of the two lights is asked, by a coin: half the shadow rays.
        state += _GOLDEN
        coin, keep_coin = two_numbers(state)
        both = bounces == 0 or not sun_up
        odds = F(1) if both else F(2)
        if sun_up and (both or coin < F(0.5)):
            state += _GOLDEN
            a, b, c, n = lit_by_sun(
                state,
                scene,
                glass,
                first_glass,
                triangle_material,
                materials,
                sun,
                surface,
                ox,
                oy,
                oz,
                nx,
                ny,
                nz,
            )
            rays += n
            sr, sg, sb = sr + tr * a * odds, sg + tg * b * odds, sb + tb * c * odds
        if both or coin >= F(0.5):
            state += _GOLDEN
            a, b, c, n = lit_by_sky(
                state,
                scene,
                glass,
                first_glass,
                triangle_material,
                materials,
                table,
                row_cdf,
                cell_cdf,
                density,
                surface,
                ox,
                oy,
                oz,
                nx,
                ny,
                nz,
            )
            rays += n
            kr, kg, kb = kr + tr * a * odds, kg + tg * b * odds, kb + tb * c * odds
        state += _GOLDEN
        u, v = two_numbers(state)
        state += _GOLDEN
        c, _unused = two_numbers(state)
        dx, dy, dz, a, b, c, chosen = scatter(surface, u, v, c)
        if chosen < F(0) or dx * nx + dy * ny + dz * nz <= F(0):
            break
        bounces += 1
        tr, tg, tb = tr * a, tg * b, tb * c
        direct = chosen == F(0)
        if direct:
            continue
        scattered = True
        # roulette by what is left to carry, gentler after the first surface
        keep = max(tr, max(tg, tb))
        if keep < F(0.95):
            if bounces == 1:
                keep = math.sqrt(keep)
            if keep_coin >= keep:
                break
            tr, tg, tb = tr / keep, tg / keep, tb / keep
    return sr, sg, sb, kr, kg, kb, ar, ag, ab, mx, my, mz, depth, rays


@njit(**JIT)
def trace_rows(
    scene, glass, first_glass, scene_arrays, light_arrays, camera, width, height, y0, y1,
    first_sample, samples, max_bounces, film,
):  # fmt: skip
    """Add `samples` samples to rows y0..y1 of the film; returns the number of rays traced.

    The same sample number gives the same result whatever the tiling.
    """
    # unpacked here, once: inside the loops every unpacking would count references on memory that all
    # threads share
    normals, uvs, triangles, triangle_material, smooth, materials, texels, pictures = scene_arrays
    table, sun, ground, row_cdf, cell_cdf, density = light_arrays
    film_sun, film_sky, film_albedo, film_normal, film_depth = film
    rays = 0
    for y in range(y0, y1):
        for x in range(width):
            for sample in range(first_sample, first_sample + samples):
                state = np.uint64(y * width + x) * _PIXEL + np.uint64(sample) * _MIX2 + np.uint64(12345)
                u, v = two_numbers(state)
                dx, dy, dz = camera_ray(camera, x, y, width, height, u, v)
                p = follow(
                    scene, glass, first_glass, normals, uvs, triangles, triangle_material, smooth, materials,
                    texels, pictures, table, sun, ground, row_cdf, cell_cdf, density, state,
                    camera[0, 0], camera[0, 1], camera[0, 2], dx, dy, dz, max_bounces,
                )  # fmt: skip
                film_sun[y, x, 0] += p[0]
                film_sun[y, x, 1] += p[1]
                film_sun[y, x, 2] += p[2]
                film_sky[y, x, 0] += p[3]
                film_sky[y, x, 1] += p[4]
                film_sky[y, x, 2] += p[5]
                film_albedo[y, x, 0] += p[6]
                film_albedo[y, x, 1] += p[7]
                film_albedo[y, x, 2] += p[8]
                film_normal[y, x, 0] += p[9]
                film_normal[y, x, 1] += p[10]
                film_normal[y, x, 2] += p[11]
                film_depth[y, x] += p[12]
                rays += p[13]
    return rays
