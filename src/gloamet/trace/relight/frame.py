# SPDX-License-Identifier: Apache-2.0
"""One relit frame: a kernel that all threads run together.

Work goes piece by piece to whichever thread is free (`next_index`); between two steps the threads meet
(`barrier_wait`). The number of filter passes is odd, so that the result is in the spare pictures.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, KERNEL_OPTIONS
from gloamet.thread_barrier import barrier_wait, next_index
from gloamet.trace.relight.antialias import average_coverage, write_edges
from gloamet.trace.relight.atrous_filter import atrous_pass
from gloamet.trace.relight.cell_sun_rays import trace_cells_sun
from gloamet.trace.relight.composite import composite_pixels
from gloamet.trace.relight.final_gather import propagate, sum_lists
from gloamet.trace.relight.radiance_cells import write_sky_bins, write_sky_rows
from gloamet.trace.relight.sparse_neighbours import average_neighbours, scatter_results
from gloamet.trace.relight.sun_rays import Packet, retrace_sun_grid, trace_sun_gaps, trace_sun_grid

COUNTER_COUNT = 48  # lists and meetings of a picture
POINTS_PER_TASK, PIXELS_PER_TASK = 4096, 8192
ROWS_PER_TASK, FILTER_ROWS_PER_TASK, SPARSE_PER_TASK = 16, 16, 1024
Floats = NDArray[np.float32]


class FrameSettings(NamedTuple):
    """Bounces between cells; samples read of the lists; `split` where indirect light has a gain of its own;
    `phase` and `stride` of the cells that ask for the sun; `turn` of the pixels that do, and `half` of the cells that
    gather, 0 or 1, -1 for all."""

    bounces: int
    samples: int
    split: bool
    phase: int
    stride: int
    parity: int
    half: int


class OutlineArrays(NamedTuple):
    """Pixels on outlines, the pixels each is mixed from, and room for the means."""

    edges: NDArray[np.int32]
    covers: NDArray[np.int32]
    mixed: Floats


class ThreadGroup(NamedTuple):
    """What threads share: counters (COUNTER_COUNT,) int64 of zeros, and a row of packets for each of them."""

    counters: NDArray[np.int64]
    packets: Floats


@njit(**INLINE_KERNEL_OPTIONS)
def _task_count(count, size):
    return (count + size - 1) // size


@njit(**INNER_KERNEL_OPTIONS)
def _trace_cell_sun_rays(group, k, scene, env, settings, cells, packet):
    """Rays from the cells to the sun."""
    if settings.stride > 0:
        trace_cells_sun(
            group.counters,
            k,
            scene,
            env.sun,
            cells.positions,
            settings.phase,
            settings.stride,
            packet,
            cells.lit,
        )
    barrier_wait(group.counters, k + 1, len(group.packets))


@njit(**INNER_KERNEL_OPTIONS)
def _trace_sun_grid(group, k, scene, light, settings, cells, layers, packet):
    """Rays to the sun from every other pixel; the first piece is the light table, which one thread fills meanwhile."""
    env, indirect, gains = light
    bands = _task_count(layers[0].display.height, ROWS_PER_TASK)
    while True:
        piece = next_index(group.counters, k) - 1
        if piece < 0:
            write_sky_rows(indirect, gains, cells.table)
            propagate(cells, settings.bounces, settings.half)
            if settings.split:
                write_sky_bins(env, gains.sky, cells.table)
            continue
        n = piece // bands
        if n >= 2:
            break
        display, y = layers[n].display, (piece - n * bands) * ROWS_PER_TASK
        if y < display.height:
            bottom = min(display.height, y + ROWS_PER_TASK)
            trace_sun_grid(scene, display, env.sun.direction, y, bottom, settings.parity, packet)
    barrier_wait(group.counters, k + 1, len(group.packets))


@njit(**INNER_KERNEL_OPTIONS)
def _retrace_changed(group, k, scene, env, settings, layers, packet):
    """Rays from those that were to be left out, where the others show that something has changed."""
    bands = _task_count(layers[0].display.height, ROWS_PER_TASK)
    while settings.parity >= 0:
        piece = next_index(group.counters, k)
        n = piece // bands
        if n >= 2:
            break
        display, y = layers[n].display, (piece - n * bands) * ROWS_PER_TASK
        if y < display.height:
            bottom = min(display.height, y + ROWS_PER_TASK)
            retrace_sun_grid(scene, display, env.sun.direction, y, bottom, settings.parity, packet)
    barrier_wait(group.counters, k + 1, len(group.packets))


@njit(**INNER_KERNEL_OPTIONS)
def _sum_pixel_lists(group, k, scene, env, settings, table, layers, packet):
    """The lists under the table, and rays from the pixels between those that have theirs."""
    bands = _task_count(layers[0].display.height, ROWS_PER_TASK)
    blocks = _task_count(len(layers[0].lists.wanted), POINTS_PER_TASK)
    while True:
        piece = next_index(group.counters, k)
        n, rest = piece // (bands + blocks), piece % (bands + blocks)
        if n >= 2:
            break
        if rest < bands:
            display, y = layers[n].display, rest * ROWS_PER_TASK
            if y < display.height:
                bottom = min(display.height, y + ROWS_PER_TASK)
                trace_sun_gaps(scene, display, env.sun.direction, y, bottom, settings.parity, packet)
            continue
        lists, first = layers[n].lists, (rest - bands) * POINTS_PER_TASK
        last = min(len(lists.wanted), first + POINTS_PER_TASK)
        if first < last:
            samples = min(lists.samples, settings.samples)
            sum_lists(lists.wanted, lists.rows, lists.weight, samples, table, first, last, lists.received)
            if lists.specular_samples > 0:
                sum_lists(
                    lists.wanted,
                    lists.specular_rows,
                    lists.specular_weight,
                    lists.specular_samples,
                    table,
                    first,
                    last,
                    lists.specular,
                )
    barrier_wait(group.counters, k + 1, len(group.packets))


@njit(**INNER_KERNEL_OPTIONS)
def _filter_sparse_pixels(group, k, layers):
    """Pixels with few like neighbours borrow, in the four pictures of the layers; written once all are read."""
    blocks = _task_count(max(len(layers[0].sparse.pixels), len(layers[1].sparse.pixels)), SPARSE_PER_TASK)
    for step in range(2):
        while True:
            piece = next_index(group.counters, k + 2 * step)
            n = piece // blocks if blocks > 0 else 4
            if n >= 4:
                break
            sparse, picture = layers[n // 2].sparse, layers[n // 2].lists.received
            mixed = sparse.mixed
            if n % 2 == 1:
                picture, mixed = layers[n // 2].lists.specular, sparse.specular_mixed
            first = (piece - n * blocks) * SPARSE_PER_TASK
            last = min(mixed.shape[1], first + SPARSE_PER_TASK)
            if first < last and step == 0:
                average_neighbours(sparse.pixels, sparse.neighbours, picture, first, last, mixed)
            elif first < last:
                scatter_results(sparse.pixels, mixed, first, last, picture)
        barrier_wait(group.counters, k + 1 + 2 * step, len(group.packets))


@njit(**INNER_KERNEL_OPTIONS)
def _filter_level(group, k, level, layers):
    """One pass of the filter over all pictures that have so many."""
    bands = _task_count(layers[0].filter.height, FILTER_ROWS_PER_TASK)
    while True:
        piece = next_index(group.counters, k)
        n = piece // bands
        if n >= 4:
            break
        pictures, y = layers[n // 2].filter, (piece - n * bands) * FILTER_ROWS_PER_TASK
        picture, spare, levels = pictures.received, pictures.spare, pictures.levels
        if n % 2 == 1:
            picture, spare, levels = pictures.specular, pictures.specular_spare, pictures.specular_levels
        if level < levels and y < pictures.height:
            if level % 2 == 1:
                picture, spare = spare, picture
            bottom = min(pictures.height, y + FILTER_ROWS_PER_TASK)
            atrous_pass(picture, pictures.weights, pictures.norms, level, pictures.width, y, bottom, spare)
    barrier_wait(group.counters, k + 1, len(group.packets))


@njit(**INNER_KERNEL_OPTIONS)
def _composite(group, k, env, gains, layers, out):
    """Every pixel from its layers."""
    while True:
        first = next_index(group.counters, k) * PIXELS_PER_TASK
        if first >= len(out):
            break
        last = min(len(out), first + PIXELS_PER_TASK)
        for n in range(2):
            if layers[n].used:
                composite_pixels(env, gains, layers[n], first, last, n > 0, out)
    barrier_wait(group.counters, k + 1, len(group.packets))


@njit(**INNER_KERNEL_OPTIONS)
def _antialias(group, k, outlines, out):
    """Outlines of the scene, mixed from the pixels round them."""
    edges, covers, mixed = outlines
    for step in range(2):
        while True:
            first = next_index(group.counters, k + step) * PIXELS_PER_TASK
            if first >= len(edges):
                break
            last = min(len(edges), first + PIXELS_PER_TASK)
            if step == 0:
                average_coverage(covers, first, last, out, mixed)
            else:
                write_edges(edges, first, last, mixed, out)
        if step == 0:
            barrier_wait(group.counters, k + 2, len(group.packets))


@njit(**KERNEL_OPTIONS)
def relight_frame(group, scene, light, settings, cells, layers, outlines, out):
    """Fill out (n, 3) cd/m2: light is the environment, the one that bounces, and the `SourceGains` of both; layers are
    two `layer.LayerArrays`, cells `final_gather.CellArrays`."""
    env, _indirect, gains = light
    packet = Packet(group.packets, next_index(group.counters, COUNTER_COUNT - 1))
    _trace_cell_sun_rays(group, 0, scene, env, settings, cells, packet)
    _trace_sun_grid(group, 2, scene, light, settings, cells, layers, packet)
    _retrace_changed(group, 4, scene, env, settings, layers, packet)
    _sum_pixel_lists(group, 6, scene, env, settings, cells.table, layers, packet)
    _filter_sparse_pixels(group, 8, layers)
    most = 0
    for n in range(2):
        most = max(most, max(layers[n].filter.levels, layers[n].filter.specular_levels))
    for level in range(most):
        _filter_level(group, 12 + 2 * level, level, layers)
    _composite(group, 12 + 2 * most, env, gains, layers, out)
    _antialias(group, 14 + 2 * most, outlines, out)
