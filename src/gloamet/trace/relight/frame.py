"""One relit picture from beginning to end: a kernel that all threads run together.

Arguments are tuples of arrays, each described where it is made: begun (`record.Record`), lights, cells
(`surfaces.CellLight.parts`), two layers (`layer.Layer.parts`), outlines (`edges`: edges, covers, mixed). Work
goes piece by piece to whichever thread is free; between two steps the threads meet. Passes of evening out are
odd in number, so that what they leave is in the spare pictures.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from gloamet.jit import JIT
from gloamet.team import meet, take
from gloamet.trace.relight.cellrays import sun_on_cells
from gloamet.trace.relight.cells import fill_sky
from gloamet.trace.relight.edges import mix_edges, put_edges
from gloamet.trace.relight.evening import even_pass
from gloamet.trace.relight.gather import bounce, evaluate
from gloamet.trace.relight.shade import shade
from gloamet.trace.relight.sunrays import sun_again, sun_between, sun_lattice
from gloamet.trace.relight.thin import borrow, put_back

F = np.float32
COUNTERS = 48  # lists and meetings of a picture
POINTS, PIXELS = 4096, 8192  # of a piece
ROWS, EVEN_ROWS, THIN = 16, 16, 1024


@njit(inline="always", **JIT)
def _pieces(count, size):
    return (count + size - 1) // size


@njit(**JIT)
def _light_cells(team, k, threads, begun, lights, how, cells, packets, row):
    """Rays from the cells to the sun."""
    scene, pervious, arrays = begun
    phase, stride = how[2], how[3]
    if stride > 0:
        sun_on_cells(
            team, k, scene, pervious, arrays, lights[1], cells[0], phase, stride, packets, row, cells[1]
        )
    meet(team, k + 1, threads)


@njit(**JIT)
def _light_table(lights, gains, how, cells):
    """The sky's bins, and light going round between the cells: one thread's work, beside the others' rays."""
    _places, lit, received, albedo, gloss, everywhere, index, weight, sun_light, table, source, before = cells
    fill_sky(lights[0], lights[2], gains[0], gains[1], table)
    bounce(
        lit, received, albedo, gloss, sun_light, everywhere, index, weight, source, before, how[0], how[5], table
    )  # fmt: skip


@njit(**JIT)
def _send_rays(team, k, threads, begun, lights, gains, how, cells, layers, packets, row):
    """Rays to the sun from every other pixel; the first piece is the light table."""
    scene, pervious, arrays = begun
    while True:
        piece = take(team, k) - 1
        if piece < 0:
            _light_table(lights, gains, how, cells)
            continue
        bands = _pieces(layers[0][1][5], ROWS)
        n = piece // bands
        if n >= 2:
            break
        points, _paint, _brief, _gleam, width, height, kinds, alike, _like, _taps, _shares, visible = layers[
            n
        ][1]
        y = (piece - n * bands) * ROWS
        if y < height:
            bottom = min(height, y + ROWS)
            sun_lattice(
                scene, pervious, arrays, lights[1], points, kinds, width, y, bottom, how[4],
                packets, row, visible,
            )  # fmt: skip
    meet(team, k + 1, threads)


@njit(**JIT)
def _send_again(team, k, threads, begun, lights, how, layers, packets, row):
    """Rays from those that were to be left out, where the others show that something has changed."""
    scene, pervious, arrays = begun
    while how[4] >= 0:
        piece = take(team, k)
        bands = _pieces(layers[0][1][5], ROWS)
        n = piece // bands
        if n >= 2:
            break
        points, _paint, _brief, _gleam, width, height, kinds, _alike, _like, _taps, _shares, visible = layers[
            n
        ][1]
        y = (piece - n * bands) * ROWS
        if y < height:
            sun_again(
                scene, pervious, arrays, lights[1], points, kinds, width, height, y, min(height, y + ROWS), how[4],
                packets, row, visible,
            )  # fmt: skip
    meet(team, k + 1, threads)


@njit(**JIT)
def _read_lists(team, k, threads, begun, lights, how, cells, layers, packets, row):
    """The lists under the table, and rays from the pixels between those that have theirs."""
    scene, pervious, arrays = begun
    table = cells[9]
    while True:
        piece = take(team, k)
        bands = _pieces(layers[0][1][5], ROWS)
        blocks = _pieces(len(layers[0][0][0]), POINTS)
        n, rest = piece // (bands + blocks), piece % (bands + blocks)
        if n >= 2:
            break
        if rest < bands:
            points, _paint, _brief, _gleam, width, height, kinds, alike, _like, _taps, _shares, visible = (
                layers[n][1]
            )
            y = rest * ROWS
            if y < height:
                sun_between(
                    scene, pervious, arrays, lights[1], points, kinds, alike, width,
                    height, y, min(height, y + ROWS), how[4], packets, row, visible,
                )  # fmt: skip
            continue
        wanted, index, weight, gloss_index, gloss_weight, received, shine, samples, gloss_samples = layers[n][
            0
        ]
        first = (rest - bands) * POINTS
        last = min(len(wanted), first + POINTS)
        if first < last:
            evaluate(wanted, index, weight, min(samples, how[1]), table, first, last, received)
            if gloss_samples > 0:
                evaluate(wanted, gloss_index, gloss_weight, gloss_samples, table, first, last, shine)
    meet(team, k + 1, threads)


@njit(**JIT)
def _help_thin(team, k, threads, layers):
    """Pixels with few like neighbours borrow, in the four pictures of the layers; written once all are read."""
    blocks = _pieces(max(len(layers[0][4][0]), len(layers[1][4][0])), THIN)
    for step in range(2):
        while True:
            piece = take(team, k + 2 * step)
            n = piece // blocks if blocks > 0 else 4
            if n >= 4:
                break
            pixels, lenders, mixed, shine_mixed = layers[n // 2][4]
            picture = layers[n // 2][0][5]
            if n % 2 == 1:
                picture, mixed = layers[n // 2][0][6], shine_mixed
            first = (piece - n * blocks) * THIN
            last = min(mixed.shape[1], first + THIN)
            if first < last and step == 0:
                borrow(pixels, lenders, picture, first, last, mixed)
            elif first < last:
                put_back(pixels, mixed, first, last, picture)
        meet(team, k + 1 + 2 * step, threads)


@njit(**JIT)
def _even_level(team, k, threads, level, layers):
    """One pass of evening out over all pictures that have so many."""
    bands = _pieces(layers[0][2][7], EVEN_ROWS)
    while True:
        piece = take(team, k)
        n = piece // bands
        if n >= 4:
            break
        picture, spare, shine, shine_spare, weights, inverses, width, height, levels, shine_levels = layers[
            n // 2
        ][2]
        y = (piece - n * bands) * EVEN_ROWS
        if n % 2 == 1:
            picture, spare, levels = shine, shine_spare, shine_levels
        if level < levels and y < height:
            bottom = min(height, y + EVEN_ROWS)
            if level % 2 == 0:
                even_pass(picture, weights, inverses, level, width, y, bottom, spare)
            else:
                even_pass(spare, weights, inverses, level, width, y, bottom, picture)
    meet(team, k + 1, threads)


@njit(**JIT)
def _put_together(team, k, threads, lights, gains, layers, out):
    """Every pixel from its layers."""
    while True:
        first = take(team, k) * PIXELS
        if first >= len(out):
            break
        last = min(len(out), first + PIXELS)
        for n in range(2):
            points, paint, brief, gleam, width, _height, kinds, _alike, like, taps, shares, visible = layers[
                n
            ][1]
            received, shine, used = layers[n][3]
            if used:
                shade(
                    lights[0], lights[1], lights[2], gains[0], gains[1], points, paint, brief, gleam,
                    width, kinds, like, taps, shares, received, shine, visible, first, last, n > 0, out,
                )  # fmt: skip
    meet(team, k + 1, threads)


@njit(**JIT)
def _smooth_edges(team, k, threads, outlines, out):
    """Outlines of the scene, mixed from the pixels round them."""
    edges, covers, mixed = outlines
    for step in range(2):
        while True:
            first = take(team, k + step) * PIXELS
            if first >= len(edges):
                break
            last = min(len(edges), first + PIXELS)
            if step == 0:
                mix_edges(covers, first, last, out, mixed)
            else:
                put_edges(edges, first, last, mixed, out)
        if step == 0:
            meet(team, k + 2, threads)


@njit(**JIT)
def relight(team, packets, begun, lights, gains, how, cells, layers, outlines, out):
    """Fill out (n, 3) cd/m2. gains (sun, sky); how (rounds, samples, phase, stride, turn, half).

    team (COUNTERS,) int64 of zeros; packets has a row of room for rays for each thread that takes part.
    """
    threads, row = len(packets), take(team, COUNTERS - 1)
    _light_cells(team, 0, threads, begun, lights, how, cells, packets, row)
    _send_rays(team, 2, threads, begun, lights, gains, how, cells, layers, packets, row)
    _send_again(team, 4, threads, begun, lights, how, layers, packets, row)
    _read_lists(team, 6, threads, begun, lights, how, cells, layers, packets, row)
    _help_thin(team, 8, threads, layers)
    most = 0
    for n in range(2):
        most = max(most, max(layers[n][2][8], layers[n][2][9]))
    for level in range(most):
        _even_level(team, 12 + 2 * level, threads, level, layers)
    _put_together(team, 12 + 2 * most, threads, lights, gains, layers, out)
    _smooth_edges(team, 14 + 2 * most, threads, outlines, out)
