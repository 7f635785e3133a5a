# SPDX-License-Identifier: Apache-2.0
"""Places that stand for a cell: how well a few of them tell what fraction of it is lit."""

from __future__ import annotations

import numpy as np

from gloamet.trace.relight.cell_samples import morton_codes, stratified_subset

F = np.float32


def test_places_beyond_those_there_are_never_kept() -> None:
    dice = np.random.default_rng(1)
    positions, many = dice.random((50, 24, 3)).astype(F), dice.integers(8, 25, 50).astype(np.int32)
    kept = stratified_subset(positions, many, 8)
    assert (kept < many[:, None]).all()
    assert all(len(set(row)) == 8 for row in kept.tolist())


def test_neighbours_on_the_curve_lie_close() -> None:
    positions = np.random.default_rng(2).random((1, 512, 3)).astype(F)
    ordered = positions[0][np.argsort(morton_codes(positions)[0])]
    steps = np.linalg.norm(np.diff(ordered, axis=0), axis=1)
    assert steps.mean() < 0.35 * np.linalg.norm(np.diff(positions[0], axis=0), axis=1).mean()


def test_spread_places_tell_a_shadow_s_share_better_than_random_ones() -> None:
    dice = np.random.default_rng(3)
    positions = dice.random((2000, 96, 3)).astype(F)
    positions[..., 2] = 0.0  # a wall
    turn, edge = 2.0 * np.pi * dice.random((2000, 1)), dice.random((2000, 1)) * 0.5 - 0.25
    lit = (positions[..., 0] - 0.5) * np.cos(turn) + (positions[..., 1] - 0.5) * np.sin(turn) < edge
    told = np.take_along_axis(lit, stratified_subset(positions, np.full(2000, 96, np.int32), 8), 1).mean(1)
    wrong, drawn = told - lit.mean(1), lit[:, :8].mean(1) - lit.mean(1)
    assert abs(wrong.mean()) < 0.01
    assert wrong.std() < 0.7 * drawn.std()


def test_codes_are_the_bits_of_the_three_axes_one_after_another() -> None:
    steps = np.array([(0, 0, 0), (7, 7, 7), (1, 0, 0), (0, 1, 0), (0, 0, 1), (2, 5, 3), (4, 0, 6)])
    codes = morton_codes((steps / 7.0)[None].astype(F))[0]
    wanted = [
        sum(int(step[axis] >> bit & 1) * 8**bit * 2**axis for bit in range(3) for axis in range(3))
        for step in steps
    ]
    assert codes.tolist() == wanted
    assert wanted[:5] == [0, 511, 1, 2, 4]
