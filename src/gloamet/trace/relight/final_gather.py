"""What points on surfaces see, as lists of rows in the light table, and the evaluation of such lists.

points (n, POINT_WORDS) float32: PLACE off the surface, shading NORMAL, FACE normal, direction to the VIEWER,
ALPHA of the gloss, GLOSS strength (0 for matt), METAL, TRANSLUCENCY; a point with no normal is skipped.
index (n, samples) uint16 and weight (n, samples) float32: the mean over samples of weight times the table's
light is the irradiance over pi, as a matt surface of that normal would reflect it. A list needs no new ray
when the light changes.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.jit import GATHER_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.trace.bsdf import (
    DIELECTRIC_F0,
    average_albedo,
    directional_albedo,
    sample_cosine_hemisphere,
    sample_ggx_vndf,
    schlick_weight,
)
from gloamet.trace.embree import PATH_MASK
from gloamet.trace.materials import KIND, MATT, SPECULAR, TRANSLUCENCY
from gloamet.trace.portals import count_portals, portal_pdf, sample_portal
from gloamet.trace.relight.radiance_cells import FIRST_CELL, GROUND_ROW, UNKNOWN_ROW, cell_row, sky_bin
from gloamet.trace.relight.specular_chain import ESCAPED, HIT, trace_specular_chain
from gloamet.trace.sampler import GOLDEN, random_pair, sobol_pair
from gloamet.trace.visibility import offset_to_back

F = np.float32
(
    POINT_POSITION,
    POINT_NORMAL,
    FACE_NORMAL,
    POINT_TO_VIEWER,
    POINT_ALPHA,
    POINT_SPECULAR,
    POINT_METALNESS,
    POINT_TRANSLUCENCY,
) = 0, 3, 6, 9, 12, 13, 14, 15
POINT_WORDS = 16
# of a surface met: place, normal, albedo, gloss strength, alpha, translucency
HIT_WORDS = 12
_PATH = np.int32(PATH_MASK)
_PAIR = 2  # of even numbers
PROBE_BLOCK, PROBE_STRIDE = 32, 16  # cells asked how much light there is: one in 16
_RED, _GREEN, _BLUE = AP1_LUMINANCE.astype(np.float32)


@njit(inline="always", **KERNEL_OPTIONS)
def _trace_to_row(scene, arrays, anchor, keys, rows, state, ox, oy, oz, dx, dy, dz):
    """(row, weight) of what lies along a ray."""
    kind, p, n, _s, d, w, paint, _aside = trace_specular_chain(
        scene, arrays, _PATH, state | np.uint64(1), ox, oy, oz, dx, dy, dz
    )
    through = _RED * w[0] + _GREEN * w[1] + _BLUE * w[2]
    if kind == ESCAPED:
        return np.int64(sky_bin(d[0], d[1], d[2])), through
    if kind == HIT:
        row = cell_row(anchor, keys, rows, p[0], p[1], p[2], n[0], n[1], n[2], paint[0])
        if row == UNKNOWN_ROW and paint[1] < 0:
            row = np.int64(GROUND_ROW)  # the plane far out, which nothing shades
        return row, through
    return np.int64(UNKNOWN_ROW), F(0)


@njit(**KERNEL_OPTIONS)
def gather(scene, arrays, anchor, keys, rows, points, first, last, begin, end, seed, index, weight):
    """Fill samples begin..end of points first..last: directions by the cosine, in rooms half by portals."""
    portals = arrays.portals
    for i in range(first, last):
        nx, ny, nz = points[i, POINT_NORMAL], points[i, POINT_NORMAL + 1], points[i, POINT_NORMAL + 2]
        if nx == F(0) and ny == F(0) and nz == F(0):
            continue
        x, y, z = points[i, POINT_POSITION], points[i, POINT_POSITION + 1], points[i, POINT_POSITION + 2]
        fx, fy, fz = (
            points[i, FACE_NORMAL],
            points[i, FACE_NORMAL + 1],
            points[i, FACE_NORMAL + 2],
        )
        alpha, gloss = points[i, POINT_ALPHA], points[i, POINT_SPECULAR]
        inverse = F(1) / (F(1) - gloss * average_albedo(alpha))
        count = count_portals(portals, x, y, z)
        pixel = np.uint64(i) + np.uint64(seed)
        for s in range(begin, end):
            state = pixel * GOLDEN + np.uint64(s) * np.uint64(0xBF58476D1CE4E5B9)
            a, b = random_pair(state)
            side = F(1)
            if points[i, POINT_TRANSLUCENCY] > F(0) and a < points[i, POINT_TRANSLUCENCY]:
                side = F(-1)
            sx, sy, sz = nx * side, ny * side, nz * side
            portal = count > 0 and s & 1 == 1 and side > F(0)
            u, v = sobol_pair(pixel, np.uint64(s >> 1 if count > 0 else s), _PAIR + (s & 1 if count else 0))
            if portal:
                dx, dy, dz = sample_portal(portals, count, b, u, v, x, y, z)
            else:
                dx, dy, dz = sample_cosine_hemisphere(sx, sy, sz, u, v)
            cosine = sx * dx + sy * dy + sz * dz
            index[i, s], weight[i, s] = UNKNOWN_ROW, F(0)
            if cosine <= F(1e-5) or side * (fx * dx + fy * dy + fz * dz) <= F(0):
                continue
            w = F(1)
            if count > 0 and side > F(0):
                p = cosine / F(math.pi)
                w = F(2) * p / (p + portal_pdf(portals, count, x, y, z, dx, dy, dz))
            if gloss > F(0):
                w *= (F(1) - gloss * directional_albedo(1, cosine, alpha)) * inverse
            ox, oy, oz = x, y, z
            if side < F(0):
                ox, oy, oz = offset_to_back(x, y, z, fx, fy, fz)
            row, through = _trace_to_row(scene, arrays, anchor, keys, rows, state, ox, oy, oz, dx, dy, dz)
            index[i, s], weight[i, s] = row, w * through


@njit(**KERNEL_OPTIONS)
def gather_gloss(scene, arrays, anchor, keys, rows, points, first, last, begin, end, index, weight):
    """The same for the rough gloss of points that have one; what it reflects, without a metal's colour."""
    for i in range(first, last):
        gloss, metal, alpha = points[i, POINT_SPECULAR], points[i, POINT_METALNESS], points[i, POINT_ALPHA]
        nx, ny, nz = points[i, POINT_NORMAL], points[i, POINT_NORMAL + 1], points[i, POINT_NORMAL + 2]
        if gloss + metal <= F(0) or (nx == F(0) and ny == F(0) and nz == F(0)):
            continue
        x, y, z = points[i, POINT_POSITION], points[i, POINT_POSITION + 1], points[i, POINT_POSITION + 2]
        vx, vy, vz = (
            points[i, POINT_TO_VIEWER],
            points[i, POINT_TO_VIEWER + 1],
            points[i, POINT_TO_VIEWER + 2],
        )
        nv = nx * vx + ny * vy + nz * vz
        for s in range(begin, end):
            index[i, s], weight[i, s] = UNKNOWN_ROW, F(0)
            state = (np.uint64(i) + np.uint64(77)) * GOLDEN + np.uint64(s) * np.uint64(0x94D049BB133111EB)
            u, v = sobol_pair(np.uint64(i) + np.uint64(77), np.uint64(s), _PAIR + 2)
            dx, dy, dz = sample_ggx_vndf(nx, ny, nz, vx, vy, vz, alpha, u, v)
            nl = nx * dx + ny * dy + nz * dz
            face = (
                points[i, FACE_NORMAL] * dx
                + points[i, FACE_NORMAL + 1] * dy
                + points[i, FACE_NORMAL + 2] * dz
            )
            if nv <= F(0) or nl <= F(0) or face <= F(0):
                continue
            hx, hy, hz = dx + vx, dy + vy, dz + vz
            inverse = F(1) / math.sqrt(max(F(1e-12), hx * hx + hy * hy + hz * hz))
            vh = (vx * hx + vy * hy + vz * hz) * inverse
            a2 = alpha * alpha
            root_v = math.sqrt(a2 + (F(1) - a2) * nv * nv)
            root_l = math.sqrt(a2 + (F(1) - a2) * nl * nl)
            f0 = DIELECTRIC_F0 * gloss * (F(1) - metal) + metal
            f90 = gloss * (F(1) - metal) + metal
            w = (f0 + (f90 - f0) * schlick_weight(vh)) * nl * (nv + root_v) / (nl * root_v + nv * root_l)
            w *= F(1) + metal * (F(1) / directional_albedo(0, nv, alpha) - F(1))
            row, through = _trace_to_row(scene, arrays, anchor, keys, rows, state, x, y, z, dx, dy, dz)
            index[i, s], weight[i, s] = row, w * through


@njit(**GATHER_KERNEL_OPTIONS)
def sum_lists(wanted, index, weight, samples, light, first, last, out):
    """The mean of the lists' light over their first `samples`, out (3, n), where wanted (n,) is not 0."""
    share = F(1) / F(samples)
    for i in range(first, last):
        if wanted[i] == 0:
            continue
        r = g = b = F(0)
        for s in range(samples):
            k, w = index[i, s], weight[i, s]
            r += w * light[k, 0]
            g += w * light[k, 1]
            b += w * light[k, 2]
        out[0, i], out[1, i], out[2, i] = r * share, g * share, b * share


@njit(**KERNEL_OPTIONS)
def random_walk(scene, arrays, points, chosen, first, last, bounces, seed, hits, materials):
    """Walk from chosen points and note every surface met: hits (m, bounces, HIT_WORDS), materials (m, bounces)."""
    materials_table, portals = arrays.materials, arrays.portals
    for j in range(first, last):
        i = chosen[j]
        x, y, z = points[i, POINT_POSITION], points[i, POINT_POSITION + 1], points[i, POINT_POSITION + 2]
        nx, ny, nz = points[i, POINT_NORMAL], points[i, POINT_NORMAL + 1], points[i, POINT_NORMAL + 2]
        for k in range(bounces):
            materials[j, k] = -1
        for k in range(bounces):
            u, v = random_pair(np.uint64(i * 64 + k) * GOLDEN + np.uint64(seed))
            a, b = random_pair(np.uint64(i * 64 + k) * GOLDEN + np.uint64(seed + 1))
            count = count_portals(portals, x, y, z)
            if count > 0 and a < F(0.3):
                dx, dy, dz = sample_portal(portals, count, b, u, v, x, y, z)
                if dx * nx + dy * ny + dz * nz <= F(0):
                    break
            else:
                dx, dy, dz = sample_cosine_hemisphere(nx, ny, nz, u, v)
            state = np.uint64(i * 64 + k) * GOLDEN + np.uint64(seed + 2)
            kind, p, n, _s, _d, _w, paint, _aside = trace_specular_chain(
                scene, arrays, _PATH, state | np.uint64(1), x, y, z, dx, dy, dz
            )
            if kind != HIT:
                break
            x, y, z = p
            nx, ny, nz = n
            materials[j, k] = paint[0]
            hits[j, k, 0], hits[j, k, 1], hits[j, k, 2] = x, y, z
            hits[j, k, 3], hits[j, k, 4], hits[j, k, 5] = nx, ny, nz
            hits[j, k, 6], hits[j, k, 7], hits[j, k, 8] = paint[4], paint[5], paint[6]
            m = paint[0]
            hits[j, k, 9], hits[j, k, 10] = F(0), paint[7] * paint[7]
            if materials_table[m, KIND] != F(MATT):
                hits[j, k, 9] = materials_table[m, SPECULAR] * (F(1) - paint[8])
            hits[j, k, 11] = materials_table[m, TRANSLUCENCY]


@njit(**GATHER_KERNEL_OPTIONS)
def _write_cell_radiance(lit, received, albedo, gloss, sun_light, table):
    """Write the cells' rows of the table: what they throw back of the sun and of what they receive."""
    places = lit.shape[1]
    share = F(1) / (F(math.pi) * F(places))
    mean_r = mean_g = mean_b = F(0)
    for c in range(len(lit)):
        shine = F(0)
        for k in range(places):
            shine += lit[c, k, 3]
        for n in range(3):
            sun = F(0)
            for k in range(places):
                sun += lit[c, k, n]
            sun = (albedo[c, n] * sun + shine) * share * sun_light[n]
            even = albedo[c, n] * (F(1) - gloss[c]) + gloss[c]
            table[FIRST_CELL + c, n] = sun + even * received[n, c]
        mean_r += table[FIRST_CELL + c, 0]
        mean_g += table[FIRST_CELL + c, 1]
        mean_b += table[FIRST_CELL + c, 2]
    inverse = F(1) / F(max(1, len(lit)))
    table[UNKNOWN_ROW, 0], table[UNKNOWN_ROW, 1], table[UNKNOWN_ROW, 2] = (
        mean_r * inverse,
        mean_g * inverse,
        mean_b * inverse,
    )


@njit(**GATHER_KERNEL_OPTIONS)
def _rescale_indirect(lit, received, albedo, gloss, sun_light, wanted, index, weight, source, before, table):
    """Scale what cells received in the picture before as the light has changed that comes to them at first hand.

    Light that goes round fades only by and by: after a day's light, dusk in a room would be too bright for seconds.
    source (3, cells) holds zeros and does so again; before (3,) is that light's mean over every SOURCE_STRIDE-th
    block of cells, then and now.
    """
    _write_cell_radiance(lit, source, albedo, gloss, sun_light, table)
    now_r = now_g = now_b = F(0)
    asked = 0
    for first in range(0, len(index), PROBE_BLOCK * PROBE_STRIDE):
        last = min(first + PROBE_BLOCK, len(index))
        sum_lists(wanted, index, weight, index.shape[1], table, first, last, source)
        asked += last - first
        for i in range(first, last):
            now_r, now_g, now_b = now_r + source[0, i], now_g + source[1, i], now_b + source[2, i]
            source[0, i] = source[1, i] = source[2, i] = F(0)
    for n in range(3):
        now = (now_r if n == 0 else (now_g if n == 1 else now_b)) / F(max(1, asked))
        if now > F(0) and before[n] > F(0):
            change = now / before[n]
            for i in range(received.shape[1]):
                received[n, i] *= change
        before[n] = now


@njit(**GATHER_KERNEL_OPTIONS)
def propagate(
    lit, received, albedo, gloss, sun_light, wanted, index, weight, source, before, rounds, half, table,
):  # fmt: skip
    """Light the cells, and let their light go round between them `rounds` times.

    lit (cells, places, 4) as `cellrays` leaves it; received (3, cells) is kept from picture to picture;
    albedo (cells, 3) of the base, gloss (cells,) the share their gloss returns of even light; index and weight
    (cells, samples) what they see; sun_light (3,) lx; source and before as in `_rescale_indirect`. While a hand moves,
    half 0 or 1, that half of the cells looks round once, at the table of the picture before; -1: all do.
    """
    _rescale_indirect(lit, received, albedo, gloss, sun_light, wanted, index, weight, source, before, table)
    _write_cell_radiance(lit, received, albedo, gloss, sun_light, table)
    if half >= 0:
        middle = len(index) // 2
        first, last = (0, middle) if half == 0 else (middle, len(index))
        sum_lists(wanted, index, weight, index.shape[1], table, first, last, received)
        _write_cell_radiance(lit, received, albedo, gloss, sun_light, table)
        return
    for _ in range(rounds):
        sum_lists(wanted, index, weight, index.shape[1], table, 0, len(index), received)
        _write_cell_radiance(lit, received, albedo, gloss, sun_light, table)
