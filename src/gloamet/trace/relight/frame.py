"""One relit picture from beginning to end: a kernel that all threads run together.

Arguments are tuples of arrays, each described where it is made: begun (`cache.RelightCache`), lights, cells
(`surfaces.CellLight.parts`), two layers (`layer.Layer.parts`), outlines (`edges`: edges, covers, mixed). Work
goes piece by piece to whichever thread is free; between two steps the threads meet. Passes of evening out are
odd in number, so that what they leave is in the spare pictures.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.thread_barrier import barrier_wait, next_index
from gloamet.trace.relight.antialias import average_coverage, write_edges
from gloamet.trace.relight.atrous_filter import atrous_pass
from gloamet.trace.relight.cell_sun_rays import trace_cells_sun
from gloamet.trace.relight.composite import composite_pixels
from gloamet.trace.relight.final_gather import propagate, sum_lists
from gloamet.trace.relight.radiance_cells import write_sky_rows
from gloamet.trace.relight.sparse_neighbours import average_neighbours, scatter_results
from gloamet.trace.relight.sun_rays import retrace_sun_grid, trace_sun_gaps, trace_sun_grid

F = np.float32
COUNTER_COUNT = 48  # lists and meetings of a picture
POINTS_PER_TASK, PIXELS_PER_TASK = 4096, 8192  # of a piece
ROWS_PER_TASK, FILTER_ROWS_PER_TASK, SPARSE_PER_TASK = 16, 16, 1024


@njit(inline="always", **KERNEL_OPTIONS)
def _task_count(count, size):
    return (count + size - 1) // size


@njit(**KERNEL_OPTIONS)
def _trace_cell_sun_rays(team, k, threads, begun, lights, how, cells, packets, row):
    """Rays from the cells to the sun."""
    scene, pervious, arrays = begun
    phase, stride = how[2], how[3]
    if stride > 0:
        trace_cells_sun(
            team, k, scene, pervious, arrays, lights[1], cells[0], phase, stride, packets, row, cells[1]
        )
    barrier_wait(team, k + 1, threads)


@njit(**KERNEL_OPTIONS)
def _update_light_table(lights, gains, how, cells):
    """The sky's bins, and light going round between the cells: one thread's work, beside the others' rays."""
    _places, lit, received, albedo, gloss, everywhere, index, weight, sun_light, table, source, before = cells
    write_sky_rows(lights[0], lights[2], gains[0], gains[1], table)
    propagate(
        lit, received, albedo, gloss, sun_light, everywhere, index, weight, source, before, how[0], how[5], table
    )  # fmt: skip


@njit(**KERNEL_OPTIONS)
def _trace_sun_grid(team, k, threads, begun, lights, gains, how, cells, layers, packets, row):
    """Rays to the sun from every other pixel; the first piece is the light table."""
    scene, pervious, arrays = begun
    while True:
        piece = next_index(team, k) - 1
        if piece < 0:
            _update_light_table(lights, gains, how, cells)
            continue
        bands = _task_count(layers[0][1][5], ROWS_PER_TASK)
        n = piece // bands
        if n >= 2:
            break
        points, _paint, _brief, _gleam, width, height, kinds, alike, _like, _taps, _shares, visible = layers[
            n
        ][1]
        y = (piece - n * bands) * ROWS_PER_TASK
        if y < height:
            bottom = min(height, y + ROWS_PER_TASK)
            trace_sun_grid(
                scene, pervious, arrays, lights[1], points, kinds, width, y, bottom, how[4],
                packets, row, visible,
            )  # fmt: skip
    barrier_wait(team, k + 1, threads)


@njit(**KERNEL_OPTIONS)
def _retrace_changed(team, k, threads, begun, lights, how, layers, packets, row):
    """Rays from those that were to be left out, where the others show that something has changed."""
    scene, pervious, arrays = begun
    while how[4] >= 0:
        piece = next_index(team, k)
        bands = _task_count(layers[0][1][5], ROWS_PER_TASK)
        n = piece // bands
        if n >= 2:
            break
        points, _paint, _brief, _gleam, width, height, kinds, _alike, _like, _taps, _shares, visible = layers[
            n
        ][1]
        y = (piece - n * bands) * ROWS_PER_TASK
        if y < height:
            retrace_sun_grid(
                scene, pervious, arrays, lights[1], points, kinds, width, height, y,
                min(height, y + ROWS_PER_TASK), how[4], packets, row, visible,
            )  # fmt: skip
    barrier_wait(team, k + 1, threads)


@njit(**KERNEL_OPTIONS)
def _sum_pixel_lists(team, k, threads, begun, lights, how, cells, layers, packets, row):
    """The lists under the table, and rays from the pixels between those that have theirs."""
    scene, pervious, arrays = begun
    table = cells[9]
    while True:
        piece = next_index(team, k)
        bands = _task_count(layers[0][1][5], ROWS_PER_TASK)
        blocks = _task_count(len(layers[0][0][0]), POINTS_PER_TASK)
        n, rest = piece // (bands + blocks), piece % (bands + blocks)
        if n >= 2:
            break
        if rest < bands:
            points, _paint, _brief, _gleam, width, height, kinds, alike, _like, _taps, _shares, visible = (
                layers[n][1]
            )
            y = rest * ROWS_PER_TASK
            if y < height:
                trace_sun_gaps(
                    scene, pervious, arrays, lights[1], points, kinds, alike, width,
                    height, y, min(height, y + ROWS_PER_TASK), how[4], packets, row, visible,
                )  # fmt: skip
            continue
        wanted, index, weight, gloss_index, gloss_weight, received, shine, samples, gloss_samples = layers[n][
            0
        ]
        first = (rest - bands) * POINTS_PER_TASK
        last = min(len(wanted), first + POINTS_PER_TASK)
        if first < last:
            sum_lists(wanted, index, weight, min(samples, how[1]), table, first, last, received)
            if gloss_samples > 0:
                sum_lists(wanted, gloss_index, gloss_weight, gloss_samples, table, first, last, shine)
    barrier_wait(team, k + 1, threads)


@njit(**KERNEL_OPTIONS)
def _filter_sparse_pixels(team, k, threads, layers):
    """Pixels with few like neighbours borrow, in the four pictures of the layers; written once all are read."""
    blocks = _task_count(max(len(layers[0][4][0]), len(layers[1][4][0])), SPARSE_PER_TASK)
    for step in range(2):
        while True:
            piece = next_index(team, k + 2 * step)
            n = piece // blocks if blocks > 0 else 4
            if n >= 4:
                break
            pixels, lenders, mixed, shine_mixed = layers[n // 2][4]
            picture = layers[n // 2][0][5]
            if n % 2 == 1:
                picture, mixed = layers[n // 2][0][6], shine_mixed
            first = (piece - n * blocks) * SPARSE_PER_TASK
            last = min(mixed.shape[1], first + SPARSE_PER_TASK)
            if first < last and step == 0:
                average_neighbours(pixels, lenders, picture, first, last, mixed)
            elif first < last:
                scatter_results(pixels, mixed, first, last, picture)
        barrier_wait(team, k + 1 + 2 * step, threads)


@njit(**KERNEL_OPTIONS)
def _filter_level(team, k, threads, level, layers):
    """One pass of evening out over all pictures that have so many."""
    bands = _task_count(layers[0][2][7], FILTER_ROWS_PER_TASK)
    while True:
        piece = next_index(team, k)
        n = piece // bands
        if n >= 4:
            break
        picture, spare, shine, shine_spare, weights, inverses, width, height, levels, shine_levels = layers[
            n // 2
        ][2]
        y = (piece - n * bands) * FILTER_ROWS_PER_TASK
        if n % 2 == 1:
            picture, spare, levels = shine, shine_spare, shine_levels
        if level < levels and y < height:
            bottom = min(height, y + FILTER_ROWS_PER_TASK)
            if level % 2 == 0:
                atrous_pass(picture, weights, inverses, level, width, y, bottom, spare)
            else:
                atrous_pass(spare, weights, inverses, level, width, y, bottom, picture)
    barrier_wait(team, k + 1, threads)


@njit(**KERNEL_OPTIONS)
def _composite(team, k, threads, lights, gains, layers, out):
    """Every pixel from its layers."""
    while True:
        first = next_index(team, k) * PIXELS_PER_TASK
        if first >= len(out):
            break
        last = min(len(out), first + PIXELS_PER_TASK)
        for n in range(2):
            points, paint, brief, gleam, width, _height, kinds, _alike, like, taps, shares, visible = layers[
                n
            ][1]
            received, shine, used = layers[n][3]
            if used:
                composite_pixels(
                    lights[0], lights[1], lights[2], gains[0], gains[1], points, paint, brief, gleam,
                    width, kinds, like, taps, shares, received, shine, visible, first, last, n > 0, out,
                )  # fmt: skip
    barrier_wait(team, k + 1, threads)


@njit(**KERNEL_OPTIONS)
def _antialias(team, k, threads, outlines, out):
    """Outlines of the scene, mixed from the pixels round them."""
    edges, covers, mixed = outlines
    for step in range(2):
        while True:
            first = next_index(team, k + step) * PIXELS_PER_TASK
            if first >= len(edges):
                break
            last = min(len(edges), first + PIXELS_PER_TASK)
            if step == 0:
                average_coverage(covers, first, last, out, mixed)
            else:
                write_edges(edges, first, last, mixed, out)
        if step == 0:
            barrier_wait(team, k + 2, threads)


@njit(**KERNEL_OPTIONS)
def relight_frame(team, packets, begun, lights, gains, how, cells, layers, outlines, out):
    """Fill out (n, 3) cd/m2. gains (sun, sky); how (rounds, samples, phase, stride, turn, half).

    team (COUNTERS,) int64 of zeros; packets has a row of room for rays for each thread that takes part.
    """
    threads, row = len(packets), next_index(team, COUNTER_COUNT - 1)
    _trace_cell_sun_rays(team, 0, threads, begun, lights, how, cells, packets, row)
    _trace_sun_grid(team, 2, threads, begun, lights, gains, how, cells, layers, packets, row)
    _retrace_changed(team, 4, threads, begun, lights, how, layers, packets, row)
    _sum_pixel_lists(team, 6, threads, begun, lights, how, cells, layers, packets, row)
    _filter_sparse_pixels(team, 8, threads, layers)
    most = 0
    for n in range(2):
        most = max(most, max(layers[n][2][8], layers[n][2][9]))
    for level in range(most):
        _filter_level(team, 12 + 2 * level, threads, level, layers)
    _composite(team, 12 + 2 * most, threads, lights, gains, layers, out)
    _antialias(team, 14 + 2 * most, threads, outlines, out)
