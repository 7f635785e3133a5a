"""A straight look into the scene: through holes and panes and over mirrors to the first surface that scatters.

Arrays are those of `compiled`, as one tuple. What a pane or a gloss as sharp as a mirror throws aside is
handed out as a second ray, so that a caller can follow it too, or drawn by a coin. Stated limits: where no coin
is thrown, further mirror images are taken to be as bright as what lies straight ahead; rough gloss is no
business of this module.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.bsdf import (
    MIRROR_ALPHA,
    alpha_cutout,
    fresnel,
    schlick_weight,
    thin_glass_fresnel,
)
from gloamet.trace.ground_plane import ground_distance
from gloamet.trace.materials import (
    COAT,
    CUTOUT,
    GLASS,
    KIND,
    MATT,
    SPECULAR,
    TRANSMISSION,
)
from gloamet.trace.rays import intersect
from gloamet.trace.sampler import GOLDEN, random_pair
from gloamet.trace.shading import evaluate_material, resolve_hit
from gloamet.trace.visibility import MAX_PASSES, T_MAX, ray_epsilon

F = np.float32
MAX_MIRRORS = 3  # mirrors in a row before a look is given up
ESCAPED, HIT, LOST = 0, 1, 2


@njit(**KERNEL_OPTIONS)
def trace_specular_chain(scene, arrays, mask, state, ox, oy, oz, dx, dy, dz):
    """Follow a ray to the first surface that scatters.

    Returns (kind, place, normal, smooth, direction, weight, paint, aside): place off the surface on the
    looker's side, the face's and the shading normal turned to the looker, the direction at the end, the
    weight per channel of what is seen there, paint (material, triangle or -1, u, v of the texture, red,
    green, blue, roughness, metalness), aside (weight, origin, direction) of the first mirror image.
    """
    materials = arrays.materials
    wr = wg = wb = F(1)
    away = F(0)
    ax = ay = az = bx = by = bz = F(0)
    nx = ny = sx = sy = tu = tv = r = g = b = rough = metal = F(0)
    nz = sz = F(1)
    px, py, pz = ox, oy, oz
    kind, m, prim, mirrors, travelled = LOST, 0, -1, 0, F(0)
    for _ in range(MAX_PASSES):
        hit = intersect(scene, ox, oy, oz, F(0), dx, dy, dz, T_MAX, mask)
        s = ground_distance(arrays.plane, ox, oy, oz, dx, dy, dz, hit[0])
        if s <= F(0) and hit[6] < 0:
            kind, prim = ESCAPED, -1
            break
        t, prim, instance, m, nx, ny, nz, _front, tu, tv = resolve_hit(arrays, s, hit, dx, dy, dz)
        hx, hy, hz = ox + dx * t, oy + dy * t, oz + dz * t
        step = ray_epsilon(t, hx, hy, hz)
        travelled += t
        if materials[m, CUTOUT] >= F(0) and alpha_cutout(
            materials, m, arrays.texels, arrays.textures, tu, tv
        ):
            ox, oy, oz = hx + dx * step, hy + dy * step, hz + dz * step
            continue
        px, py, pz = hx + nx * step, hy + ny * step, hz + nz * step
        if materials[m, KIND] == F(GLASS) and materials[m, TRANSMISSION] >= F(0.5):
            k = -(nx * dx + ny * dy + nz * dz)
            f, pr, pg, pb = thin_glass_fresnel(materials, m, k)
            bounce_x, bounce_y, bounce_z = dx + F(2) * k * nx, dy + F(2) * k * ny, dz + F(2) * k * nz
            if state != np.uint64(0):
                state += GOLDEN
                coin, _unused = random_pair(state)
                if coin < f:
                    ox, oy, oz, dx, dy, dz = px, py, pz, bounce_x, bounce_y, bounce_z
                    continue
                inverse = F(1) / (F(1) - f)
                wr, wg, wb = wr * inverse, wg * inverse, wb * inverse
            elif away == F(0):
                away = f * max(wr, max(wg, wb))
                ax, ay, az, bx, by, bz = px, py, pz, bounce_x, bounce_y, bounce_z
            else:
                inverse = F(1) / max(F(1) - f, F(0.05))
                wr, wg, wb = wr * inverse, wg * inverse, wb * inverse
            wr, wg, wb = wr * pr, wg * pg, wb * pb
            ox, oy, oz = hx - nx * step, hy - ny * step, hz - nz * step
            continue
        sx, sy, sz, r, g, b, rough, metal = evaluate_material(
            arrays,
            m,
            prim,
            instance,
            (hit[4], hit[5]),
            (tu, tv),
            (hx, hy, hz),
            (nx, ny, nz),
            (dx, dy, dz),
            travelled,
        )
        k = -(sx * dx + sy * dy + sz * dz)
        mirror_x, mirror_y, mirror_z = dx + F(2) * k * sx, dy + F(2) * k * sy, dz + F(2) * k * sz
        sharp = materials[m, KIND] != F(MATT) and rough * rough < MIRROR_ALPHA
        if sharp and metal > F(0.5) and mirrors < MAX_MIRRORS:
            mirrors += 1
            f = schlick_weight(k)
            wr, wg, wb = wr * (r + (F(1) - r) * f), wg * (g + (F(1) - g) * f), wb * (b + (F(1) - b) * f)
            ox, oy, oz, dx, dy, dz = px, py, pz, mirror_x, mirror_y, mirror_z
            continue
        f = F(0)
        if sharp:
            f = F(0.04) * materials[m, SPECULAR]
            f += (materials[m, SPECULAR] - f) * schlick_weight(k)
        if materials[m, COAT] > F(0):
            f += (F(1) - f) * materials[m, COAT] * fresnel(k, F(1.5))
        if f > F(0) and state != np.uint64(0):
            state += GOLDEN
            coin, _unused = random_pair(state)
            if coin < f and mirrors < MAX_MIRRORS:
                mirrors += 1
                ox, oy, oz, dx, dy, dz = px, py, pz, mirror_x, mirror_y, mirror_z
                continue
            f = F(0)
        elif f > F(0) and away == F(0):
            away = f * max(wr, max(wg, wb))
            ax, ay, az, bx, by, bz = px, py, pz, mirror_x, mirror_y, mirror_z
        else:
            f = F(0)
        wr, wg, wb = wr * (F(1) - f), wg * (F(1) - f), wb * (F(1) - f)
        kind = HIT
        break
    return (
        kind, (px, py, pz), (nx, ny, nz), (sx, sy, sz), (dx, dy, dz), (wr, wg, wb),
        (m, prim, tu, tv, r, g, b, rough, metal), (away, ax, ay, az, bx, by, bz),
    )  # fmt: skip
