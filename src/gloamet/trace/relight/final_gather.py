# SPDX-License-Identifier: Apache-2.0
"""Final gathering: what surface points see, as lists of rows of the light table, and the sums of such lists.

points as in `points`. index (n, samples) uint16 and weight (n, samples) float32: the mean over samples of weight times
the table's light is the irradiance over pi, as a matt surface of that normal would reflect it. A list needs no new ray
when the light changes. Light between cells is solved by Jacobi iterations of the same sums.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import GATHER_KERNEL_OPTIONS, INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.trace.geometry.embree import PATH_MASK
from gloamet.trace.geometry.records import Ray
from gloamet.trace.geometry.sampler import GOLDEN, random_pair, sobol_pair
from gloamet.trace.geometry.vec import add, dot, luminance, put, scale, triple
from gloamet.trace.lights.portals import count_portals, portal_pdf, sample_portal
from gloamet.trace.relight.points import (
    FACE_NORMAL,
    POINT_ALPHA,
    POINT_METALNESS,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_SPECULAR,
    POINT_TO_VIEWER,
    POINT_TRANSLUCENCY,
)
from gloamet.trace.relight.radiance_cells import FIRST_CELL, GROUND_ROW, UNKNOWN_ROW, cell_row, sky_bin
from gloamet.trace.relight.specular_chain import ESCAPED, HIT, trace_specular_chain
from gloamet.trace.surfaces.bsdf import (
    DIELECTRIC_F0,
    DIELECTRIC_LOBE,
    METAL_LOBE,
    average_albedo,
    directional_albedo,
    sample_cosine_hemisphere,
    sample_ggx_vndf,
    schlick_weight,
    smith_root,
)
from gloamet.trace.surfaces.materials import KIND, MATT, SPECULAR, TRANSLUCENCY
from gloamet.trace.surfaces.visibility import offset_to_back

Floats = NDArray[np.float32]
# of a surface met on a walk, (n, HIT_WORDS)
HIT_POSITION, HIT_NORMAL, HIT_ALBEDO, HIT_SPECULAR, HIT_ALPHA, HIT_TRANSLUCENCY = 0, 3, 6, 9, 10, 11
HIT_ON_GROUND = 12  # 1 on the ground plane
HIT_WORDS = 13
PORTAL_WALKS = F(0.3)  # of the steps of a walk that go through a portal
_PATH = np.int32(PATH_MASK)
_PAIR = 2  # of even numbers
_SPECULAR_PIXEL = np.uint64(77)  # lists of specular lobes draw other numbers than the others
PROBE_BLOCK, PROBE_STRIDE = 32, 16  # cells that sample how much light there is: one in 16


class CellArrays(NamedTuple):
    """Cells and their light. places (cells, places, HIT_WORDS); lit (cells, places, 4) as `cell_sun_rays` leaves it;
    received and source (3, cells); albedo (cells, 3) of the base, specular (cells,) the fraction their gloss returns of
    even light; wanted (cells,), rows and weight (cells, samples) what they see; sun_light (3,) lx; table the light
    table; first_hand (3,) the mean light at first hand of the picture before."""

    positions: Floats
    lit: Floats
    received: Floats
    albedo: Floats
    specular: Floats
    wanted: NDArray[np.uint8]
    rows: NDArray[np.uint16]
    weight: Floats
    sun_light: Floats
    table: Floats
    source: Floats
    first_hand: Floats


@njit(**INLINE_KERNEL_OPTIONS)
def _is_empty(normal):
    """Whether a point is to be skipped."""
    return normal[0] == F(0) and normal[1] == F(0) and normal[2] == F(0)


@njit(**INLINE_KERNEL_OPTIONS)
def _trace_to_row(scene, lookup, state, ray):
    """(row, weight) of what a ray hits."""
    end = trace_specular_chain(scene, _PATH, state | np.uint64(1), ray)
    through = luminance(end.weight)
    if end.kind == ESCAPED:
        return np.int64(sky_bin(end.direction)), through
    if end.kind == HIT:
        row = cell_row(lookup, end.position, end.normal, end.material)
        if row == UNKNOWN_ROW and end.triangle < 0:
            row = np.int64(GROUND_ROW)  # the far ground plane, which nothing shades
        return row, through
    return np.int64(UNKNOWN_ROW), F(0)


@njit(**INLINE_KERNEL_OPTIONS)
def _gather_direction(scene, points, i, s, pixel, count, state):
    """A direction of sample s of point i: (direction, its cosine, whether it leaves the other side of a leaf)."""
    normal = triple(points, i, POINT_NORMAL)
    a, b = random_pair(state)
    back = points[i, POINT_TRANSLUCENCY] > F(0) and a < points[i, POINT_TRANSLUCENCY]
    if back:
        normal = scale(normal, F(-1))
    number, pair = (s >> 1, s & 1) if count > 0 else (s, 0)
    u, v = sobol_pair(pixel, np.uint64(number), _PAIR + pair)
    if count > 0 and s & 1 == 1 and not back:
        direction = sample_portal(scene.portals, count, b, u, v, triple(points, i, POINT_POSITION))
    else:
        direction = sample_cosine_hemisphere(normal, u, v)
    return direction, dot(normal, direction), back


@njit(**KERNEL_OPTIONS)
def gather(scene, lookup, points, first, last, begin, end, seed, index, weight):
    """Fill samples begin..end of points first..last: directions by the cosine, in rooms half by portals."""
    for i in range(first, last):
        if _is_empty(triple(points, i, POINT_NORMAL)):
            continue
        position, face = triple(points, i, POINT_POSITION), triple(points, i, FACE_NORMAL)
        alpha, specular = points[i, POINT_ALPHA], points[i, POINT_SPECULAR]
        inverse = F(1) / (F(1) - specular * average_albedo(alpha))
        count = count_portals(scene.portals, position)
        pixel = np.uint64(i) + np.uint64(seed)
        for s in range(begin, end):
            state = pixel * GOLDEN + np.uint64(s) * np.uint64(0xBF58476D1CE4E5B9)
            direction, cosine, back = _gather_direction(scene, points, i, s, pixel, count, state)
            index[i, s], weight[i, s] = UNKNOWN_ROW, F(0)
            if cosine <= F(1e-5) or (F(-1) if back else F(1)) * dot(face, direction) <= F(0):
                continue
            w = F(1)
            if count > 0 and not back:
                p = cosine / F(math.pi)
                w = F(2) * p / (p + portal_pdf(scene.portals, count, position, direction))
            if specular > F(0):
                w *= (F(1) - specular * directional_albedo(DIELECTRIC_LOBE, cosine, alpha)) * inverse
            origin = offset_to_back(position, face) if back else position
            row, through = _trace_to_row(scene, lookup, state, Ray(origin, direction))
            index[i, s], weight[i, s] = row, w * through


@njit(**INLINE_KERNEL_OPTIONS)
def _specular_weight(points, i, direction, nl, nv):
    """Value over density of a direction drawn from the specular lobe; a metal's colour left out."""
    specular, metal, alpha = points[i, POINT_SPECULAR], points[i, POINT_METALNESS], points[i, POINT_ALPHA]
    to_viewer = triple(points, i, POINT_TO_VIEWER)
    half = add(direction, to_viewer)
    vh = dot(to_viewer, half) / math.sqrt(max(F(1e-12), dot(half, half)))
    root_v, root_l = smith_root(nv, alpha), smith_root(nl, alpha)
    f0 = DIELECTRIC_F0 * specular * (F(1) - metal) + metal
    f90 = specular * (F(1) - metal) + metal
    w = (f0 + (f90 - f0) * schlick_weight(vh)) * nl * (nv + root_v) / (nl * root_v + nv * root_l)
    return w * (F(1) + metal * (F(1) / directional_albedo(METAL_LOBE, nv, alpha) - F(1)))


@njit(**KERNEL_OPTIONS)
def gather_specular(scene, lookup, points, first, last, begin, end, index, weight):
    """The same for the rough specular lobe of points that have one; without a metal's colour."""
    for i in range(first, last):
        normal = triple(points, i, POINT_NORMAL)
        if points[i, POINT_SPECULAR] + points[i, POINT_METALNESS] <= F(0) or _is_empty(normal):
            continue
        position, to_viewer = triple(points, i, POINT_POSITION), triple(points, i, POINT_TO_VIEWER)
        nv, pixel = dot(normal, to_viewer), np.uint64(i) + _SPECULAR_PIXEL
        for s in range(begin, end):
            index[i, s], weight[i, s] = UNKNOWN_ROW, F(0)
            state = pixel * GOLDEN + np.uint64(s) * np.uint64(0x94D049BB133111EB)
            u, v = sobol_pair(pixel, np.uint64(s), _PAIR + 2)
            direction = sample_ggx_vndf(normal, to_viewer, points[i, POINT_ALPHA], u, v)
            nl, face = dot(normal, direction), dot(triple(points, i, FACE_NORMAL), direction)
            if nv <= F(0) or nl <= F(0) or face <= F(0):
                continue
            w = _specular_weight(points, i, direction, nl, nv)
            row, through = _trace_to_row(scene, lookup, state, Ray(position, direction))
            index[i, s], weight[i, s] = row, w * through


@njit(**GATHER_KERNEL_OPTIONS)
def sum_lists(wanted, index, weight, samples, light, first, last, out):
    """The mean of the lists' light over their first `samples`, out (3, n), where wanted (n,) is not 0."""
    fraction = F(1) / F(samples)
    for i in range(first, last):
        if wanted[i] == 0:
            continue
        r = g = b = F(0)
        for s in range(samples):
            k, w = index[i, s], weight[i, s]
            r += w * light[k, 0]
            g += w * light[k, 1]
            b += w * light[k, 2]
        out[0, i], out[1, i], out[2, i] = r * fraction, g * fraction, b * fraction


@njit(**INLINE_KERNEL_OPTIONS)
def _write_surface(materials, end, hits, j, k):
    """Note a surface met as step k of walk j."""
    m, row = end.material, hits[j]
    put(row, k, HIT_POSITION, end.position)
    put(row, k, HIT_NORMAL, end.normal)
    put(row, k, HIT_ALBEDO, end.surface.albedo)
    row[k, HIT_SPECULAR] = F(0)
    if materials[m, KIND] != F(MATT):
        row[k, HIT_SPECULAR] = materials[m, SPECULAR] * (F(1) - end.surface.metalness)
    row[k, HIT_ALPHA] = end.surface.roughness * end.surface.roughness
    row[k, HIT_TRANSLUCENCY] = materials[m, TRANSLUCENCY]
    row[k, HIT_ON_GROUND] = F(1) if end.triangle < 0 else F(0)


@njit(**KERNEL_OPTIONS)
def random_walk(scene, points, chosen, first, last, bounces, seed, hits, materials):
    """Walk from chosen points and note every surface met: hits (m, bounces, HIT_WORDS), materials (m, bounces)."""
    for j in range(first, last):
        i = chosen[j]
        position, normal = triple(points, i, POINT_POSITION), triple(points, i, POINT_NORMAL)
        for k in range(bounces):
            materials[j, k] = -1
        for k in range(bounces):
            number = np.uint64(i * 64 + k) * GOLDEN
            u, v = random_pair(number + np.uint64(seed))
            a, b = random_pair(number + np.uint64(seed + 1))
            count = count_portals(scene.portals, position)
            if count > 0 and a < PORTAL_WALKS:
                direction = sample_portal(scene.portals, count, b, u, v, position)
                if dot(direction, normal) <= F(0):
                    break
            else:
                direction = sample_cosine_hemisphere(normal, u, v)
            state = (number + np.uint64(seed + 2)) | np.uint64(1)
            end = trace_specular_chain(scene, _PATH, state, Ray(position, direction))
            if end.kind != HIT:
                break
            position, normal = end.position, end.normal
            materials[j, k] = end.material
            _write_surface(scene.materials, end, hits, j, k)


@njit(**GATHER_KERNEL_OPTIONS)
def _write_cell_radiance(cells, received):
    """Write the cells' rows of the table: what they throw back of the sun and of what they receive."""
    lit, table = cells.lit, cells.table
    positions = lit.shape[1]
    fraction = F(1) / (F(math.pi) * F(positions))
    mean_r = mean_g = mean_b = F(0)
    for c in range(len(lit)):
        shine = F(0)
        for k in range(positions):
            shine += lit[c, k, 3]
        for n in range(3):
            sun = F(0)
            for k in range(positions):
                sun += lit[c, k, n]
            sun = (cells.albedo[c, n] * sun + shine) * fraction * cells.sun_light[n]
            even = cells.albedo[c, n] * (F(1) - cells.specular[c]) + cells.specular[c]
            table[FIRST_CELL + c, n] = sun + even * received[n, c]
        mean_r += table[FIRST_CELL + c, 0]
        mean_g += table[FIRST_CELL + c, 1]
        mean_b += table[FIRST_CELL + c, 2]
    inverse = F(1) / F(max(1, len(lit)))
    put(table, UNKNOWN_ROW, 0, (mean_r * inverse, mean_g * inverse, mean_b * inverse))


@njit(**GATHER_KERNEL_OPTIONS)
def _rescale_indirect(cells):
    """Scale what cells received in the picture before by the change of their direct light.

    Light that goes round fades only by and by: after a day's light, dusk in a room would be too bright for seconds.
    source holds zeros and does so again; first_hand is that light's mean over every PROBE_STRIDE-th block of cells,
    then and now.
    """
    source, index, first_hand = cells.source, cells.rows, cells.first_hand
    _write_cell_radiance(cells, source)
    now_r = now_g = now_b = F(0)
    asked = 0
    for first in range(0, len(index), PROBE_BLOCK * PROBE_STRIDE):
        last = min(first + PROBE_BLOCK, len(index))
        sum_lists(cells.wanted, index, cells.weight, index.shape[1], cells.table, first, last, source)
        asked += last - first
        for i in range(first, last):
            now_r, now_g, now_b = now_r + source[0, i], now_g + source[1, i], now_b + source[2, i]
            source[0, i] = source[1, i] = source[2, i] = F(0)
    for n in range(3):
        now = (now_r if n == 0 else (now_g if n == 1 else now_b)) / F(max(1, asked))
        if now > F(0) and first_hand[n] > F(0):
            change = now / first_hand[n]
            for i in range(cells.received.shape[1]):
                cells.received[n, i] *= change
        first_hand[n] = now


@njit(**GATHER_KERNEL_OPTIONS)
def propagate(cells, bounces, half):
    """Light the cells, and let their light go round between them `bounces` times.

    received is kept from picture to picture. While a hand moves, half 0 or 1, that half of the cells gathers once, at
    the table of the picture before; -1: all do.
    """
    _rescale_indirect(cells)
    _write_cell_radiance(cells, cells.received)
    index = cells.rows
    count, middle = len(index), len(index) // 2
    first, last = (0, count) if half < 0 else ((0, middle) if half == 0 else (middle, count))
    for _ in range(bounces if half < 0 else 1):
        sum_lists(cells.wanted, index, cells.weight, index.shape[1], cells.table, first, last, cells.received)
        _write_cell_radiance(cells, cells.received)
