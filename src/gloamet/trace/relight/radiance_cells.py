# SPDX-License-Identifier: Apache-2.0
"""World-space cells of surface with one radiance each, and the table of these.

The light table is (rows, 3) float32, radiance in AP1: SKY_BINS rows of sky directions, GROUND_ROW (below the horizon),
UNKNOWN_ROW (the mean of all cells), then the cells from FIRST_CELL on. A cell is a cube of space, the axis
its faces look along and their material; cubes grow with the distance from where the cache was made, so that
near corners are fine and far plains coarse. Keys are int64, found in an open-addressed table.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.sky.dome import dome_coordinates, sky_radiance
from gloamet.trace.geometry.vec import BLACK, add, add_scaled, mul, put, scale, triple

SKY_BIN_ROWS, SKY_BIN_COLUMNS = 24, 48
SKY_BINS = SKY_BIN_ROWS * SKY_BIN_COLUMNS
GROUND_ROW, UNKNOWN_ROW, FIRST_CELL = SKY_BINS, SKY_BINS + 1, SKY_BINS + 2
LOG2_CELLS_PER_DISTANCE = (
    4  # a cell at a distance between 8 and 16 m is 2 ** -(LOG2_CELLS_PER_DISTANCE - 3) m wide
)
COARSE_LEVELS = 3  # the cube read when a cell is unknown is 2 ** COARSE_LEVELS as wide
_COARSE_MATERIAL = 0x3FF
_EMPTY = np.int64(-1)
_SUBSAMPLES = 3  # sub-directions along each side of a bin


class CellLookup(NamedTuple):
    """The hash table of cells: keys and rows side by side, and the anchor (3,) their sizes grow from."""

    anchor: NDArray[np.float32]
    keys: NDArray[np.int64]
    rows: NDArray[np.int32]


@njit(**INLINE_KERNEL_OPTIONS)
def sky_bin(direction):
    """The table row of a direction that left the scene."""
    if direction[2] < F(0):
        return GROUND_ROW
    u, v = dome_coordinates(direction[0], direction[1], direction[2])
    return min(int(u * F(SKY_BIN_ROWS)), SKY_BIN_ROWS - 1) * SKY_BIN_COLUMNS + min(
        int(v * F(SKY_BIN_COLUMNS)), SKY_BIN_COLUMNS - 1
    )


@njit(**KERNEL_OPTIONS)
def write_sky_rows(env, gains, light):
    """Write the sky's bins and the ground's row of a light table, per channel under `points.SourceGains` of what has
    bounced; only the bins of the sky itself are direct light, see `write_sky_bins`."""
    write_sky_bins(env, gains.sky_indirect, light)
    ground = mul(env.ground_sun, gains.sun_indirect)
    put(light, GROUND_ROW, 0, add(ground, mul(env.ground_sky, gains.sky_indirect)))


@njit(**KERNEL_OPTIONS)
def write_sky_bins(env, gain, light):
    """Write the sky's bins of a light table under a gain per channel."""
    for r in range(SKY_BIN_ROWS):
        for c in range(SKY_BIN_COLUMNS):
            mean, weights = BLACK, F(0)
            for i in range(_SUBSAMPLES):
                u = (F(r) + (F(i) + F(0.5)) / F(_SUBSAMPLES)) / F(SKY_BIN_ROWS)
                # solid angle goes with u cos(elevation), and light on a surface with the directions drawn
                w = u * math.cos(F(math.pi / 2) * u * u)
                for j in range(_SUBSAMPLES):
                    v = (F(c) + (F(j) + F(0.5)) / F(_SUBSAMPLES)) / F(SKY_BIN_COLUMNS)
                    mean, weights = add_scaled(mean, sky_radiance(env.table, u, v), w), weights + w
            put(light, r * SKY_BIN_COLUMNS + c, 0, mul(scale(mean, F(1) / weights), gain))


@njit(**INLINE_KERNEL_OPTIONS)
def cell_key(anchor, position, normal, material, coarser):
    """The key of a place on a surface, seen from an anchor (3,)."""
    (px, py, pz), (nx, ny, nz) = position, normal
    far = max(abs(px - anchor[0]), max(abs(py - anchor[1]), abs(pz - anchor[2])))
    level = int(math.floor(math.log2(max(far, F(1e-3))))) + coarser
    # a hair inside the surface, so that faces in a cube's wall fall to one side together
    inverse = F(2.0) ** F(LOG2_CELLS_PER_DISTANCE - level)
    x, y, z = (
        px * inverse - F(0.03) * nx + F(0.017),
        py * inverse - F(0.03) * ny + F(0.017),
        pz * inverse - F(0.03) * nz + F(0.017),
    )
    i, j, k = np.int64(math.floor(x)), np.int64(math.floor(y)), np.int64(math.floor(z))
    a, b, c = abs(nx), abs(ny), abs(nz)
    if a >= b and a >= c:
        axis = 0 if nx > F(0) else 1
    elif b >= c:
        axis = 2 if ny > F(0) else 3
    else:
        axis = 4 if nz > F(0) else 5
    key = np.int64((level + 16) & 31)
    key = (key << np.int64(14)) | (i & np.int64(16383))
    key = (key << np.int64(14)) | (j & np.int64(16383))
    key = (key << np.int64(14)) | (k & np.int64(16383))
    key = (key << np.int64(3)) | np.int64(axis)
    return (key << np.int64(10)) | np.int64(material & 1023)


@njit(**INLINE_KERNEL_OPTIONS)
def _slot(key, mask):
    z = np.uint64(key) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(29))) * np.uint64(0x94D049BB133111EB)
    return np.int64((z >> np.uint64(32)) & np.uint64(mask))


@njit(**INLINE_KERNEL_OPTIONS)
def find_row(keys, rows, key):
    """The table row of a key, -1 when it has none."""
    mask = len(keys) - 1
    slot = _slot(key, mask)
    while keys[slot] != _EMPTY:
        if keys[slot] == key:
            return np.int64(rows[slot])
        slot = (slot + 1) & mask
    return np.int64(-1)


@njit(**INLINE_KERNEL_OPTIONS)
def cell_row(lookup, position, normal, material):
    """The table row of a place on a surface: its cell, the coarse cube around it, or UNKNOWN_ROW."""
    row = find_row(lookup.keys, lookup.rows, cell_key(lookup.anchor, position, normal, material, 0))
    if row < 0:
        coarse = cell_key(lookup.anchor, position, normal, _COARSE_MATERIAL, COARSE_LEVELS)
        row = find_row(lookup.keys, lookup.rows, coarse)
    return row if row >= 0 else np.int64(UNKNOWN_ROW)


@njit(**INLINE_KERNEL_OPTIONS)
def _find_or_add_row(slots, rows, key, count, most):
    """Row of a key, and how many cells there are: a new one while there are fewer than `most`, else -1."""
    mask = len(slots) - 1
    slot = _slot(key, mask)
    while slots[slot] != _EMPTY and slots[slot] != key:
        slot = (slot + 1) & mask
    if slots[slot] == _EMPTY:
        if count >= most:
            return np.int64(-1), count
        slots[slot], rows[slot] = key, FIRST_CELL + count
        count += 1
    return np.int64(rows[slot]), count


@njit(**INLINE_KERNEL_OPTIONS)
def _reservoir_add(members, filled, c, h, state):
    """Let hit h take part in the draw of cell c's places; returns the state of the numbers drawn."""
    position = np.int64(filled[c])
    filled[c] += 1
    if position >= members.shape[1]:
        state = state * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
        position = np.int64((state >> np.uint64(33)) % np.uint64(filled[c]))
    if position < members.shape[1]:
        members[c, position] = h
    return state


@njit(**KERNEL_OPTIONS)
def insert_hits(lookup, hits, materials, begin, most, members, filled):
    """Give every hit its cell and its coarse cube while there are fewer than `most`; returns how many there are.

    hits (n, HIT_WORDS) float32: position in metres (3), normal (3), then columns that are not read here; materials (n,)
    int32: material of each hit, -1 for none. The first `begin` cells do not change. members (most - begin, M) int32
    receives a reservoir sample of each new cell's hits (rows of hits), filled (most - begin,) int32 their number.
    """
    count, state = begin, np.uint64(1)
    for h in range(len(hits)):
        if materials[h] < 0:
            continue
        for coarse in range(2):
            material, coarser = (_COARSE_MATERIAL, COARSE_LEVELS) if coarse else (materials[h], 0)
            key = cell_key(lookup.anchor, triple(hits, h, 0), triple(hits, h, 3), material, coarser)
            row, count = _find_or_add_row(lookup.keys, lookup.rows, key, count, most)
            if row >= FIRST_CELL + begin:
                state = _reservoir_add(members, filled, row - FIRST_CELL - begin, h, state)
    return count


@njit(**KERNEL_OPTIONS)
def resample_members(lookup, hits, materials, members, filled):
    """Sample members, as `insert_hits` does, among further hits for the existing cells.

    hits (n, HIT_WORDS) and materials (n,) as in `insert_hits`; members (cells, M) and filled (cells,) int32 are
    written. A coarse cube is read for points that lie in no cell, so only hits in no cell become its members: points
    that walks often reach are seldom lit like those they miss.
    """
    state = np.uint64(1)
    for h in range(len(hits)):
        if materials[h] >= 0:
            row = cell_row(lookup, triple(hits, h, 0), triple(hits, h, 3), materials[h])
            if row >= FIRST_CELL:
                state = _reservoir_add(members, filled, row - FIRST_CELL, h, state)


def empty_slots(most: int) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Keys and rows of a table for up to `most` cells."""
    size = 1 << int(math.ceil(math.log2(2 * most + 16)))
    return np.full(size, _EMPTY, np.int64), np.zeros(size, np.int32)
