# SPDX-License-Identifier: Apache-2.0
"""Cells and the table of light: which pieces of surface share a light, and what the sky's bins hold."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.sky.air import Air
from gloamet.sky.dome import dome_radiance, uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.relight.points import UNIT_SOURCE_GAINS
from gloamet.trace.relight.radiance_cells import (
    FIRST_CELL,
    GROUND_ROW,
    SKY_BINS,
    UNKNOWN_ROW,
    CellLookup,
    cell_key,
    cell_row,
    empty_slots,
    insert_hits,
    resample_members,
    sky_bin,
    write_sky_rows,
)
from tests.conftest import called

F = np.float32
ANCHOR = np.zeros(3, np.float32)


def key(position: tuple[float, ...], normal: tuple[float, ...], material: int = 1, coarser: int = 0) -> int:
    return int(
        called(cell_key)(ANCHOR, tuple(np.float32(position)), tuple(np.float32(normal)), material, coarser)
    )


def test_neighbours_on_one_wall_share_a_cell() -> None:
    assert key((10.1, 3.1, 1.1), (1, 0, 0)) == key((10.1, 3.2, 1.2), (1, 0, 0))


def test_the_two_sides_of_a_thin_wall_are_two_cells() -> None:
    assert key((10.1, 3.1, 1.1), (1, 0, 0)) != key((10.1, 3.1, 1.1), (-1, 0, 0))


def test_two_materials_are_two_cells_but_one_coarse_cube() -> None:
    position, up = (9.6, 3.1, 0.0), (0, 0, 1)
    assert key(position, up, 1) != key(position, up, 2)
    assert key(position, up, 1023, 3) == key((10.1, 3.4, 0.0), up, 1023, 3)


def test_cells_grow_with_the_distance_from_the_eye() -> None:
    near = {key((1.5 + 0.01 * k, 0.2, 0.0), (0, 0, 1)) for k in range(40)}
    far = {key((150.0 + 0.01 * k, 0.2, 0.0), (0, 0, 1)) for k in range(40)}
    assert len(near) >= 4
    assert len(far) <= 2


def test_a_place_is_found_again_and_a_strange_one_falls_back() -> None:
    lookup = CellLookup(ANCHOR, *empty_slots(64))
    hits = np.zeros((2, 12), np.float32)
    hits[0, :6], hits[1, :6] = (10.1, 3.1, 1.1, 1, 0, 0), (10.1, 3.1, 1.1, -1, 0, 0)
    members, filled = np.zeros((64, 8), np.int32), np.zeros(64, np.int32)
    count = insert_hits(lookup, hits, np.zeros(2, np.int32), 0, 64, members, filled)
    assert count == 4  # two cells and the coarse cubes round them
    assert filled[:4].tolist() == [1, 1, 1, 1]

    def row(position: tuple[float, ...], normal: tuple[float, ...], material: int = 0) -> int:
        return int(called(cell_row)(lookup, tuple(np.float32(position)), tuple(np.float32(normal)), material))

    assert row((10.1, 3.15, 1.15), (1, 0, 0)) == FIRST_CELL
    assert row((10.1, 3.15, 1.15), (1, 0, 0), material=7) == FIRST_CELL + 1
    assert row((90.0, 3.1, 1.1), (1, 0, 0)) == UNKNOWN_ROW


def test_further_hits_belong_to_their_cell_or_to_the_cube_around_it_not_both() -> None:
    lookup = CellLookup(ANCHOR, *empty_slots(64))
    first = np.array([[10.1, 3.1, 1.1, 1, 0, 0]], np.float32)
    members, filled = np.zeros((64, 8), np.int32), np.zeros(64, np.int32)
    assert insert_hits(lookup, first, np.zeros(1, np.int32), 0, 64, members, filled) == 2
    positions = [(10.1, 3.15, 1.15), (10.1, 3.15, 1.15), (10.1, 3.6, 1.6), (90.0, 3.1, 1.1)]
    hits = np.array([(*position, 1, 0, 0) for position in positions], np.float32)
    members, filled = np.zeros((2, 8), np.int32), np.zeros(2, np.int32)
    resample_members(lookup, hits, np.array([0, -1, 0, 0], np.int32), members, filled)
    assert filled.tolist() == [1, 1]  # what has no material was no hit, what lies far off is in neither
    assert (members[0, 0], members[1, 0]) == (0, 2)


def test_no_more_cells_are_made_than_there_is_room_for() -> None:
    lookup = CellLookup(ANCHOR, *empty_slots(16))
    hits = np.zeros((400, 12), np.float32)
    hits[:, 0], hits[:, 5] = np.arange(400) * 3.0, 1.0
    members, filled = np.zeros((16, 8), np.int32), np.zeros(16, np.int32)
    assert insert_hits(lookup, hits, np.zeros(400, np.int32), 0, 16, members, filled) == 16


def test_every_direction_above_the_horizon_has_a_bin_and_the_rest_is_ground() -> None:
    rng = np.random.default_rng(1)
    d = rng.normal(size=(2000, 3))
    d /= np.linalg.norm(d, axis=1, keepdims=True)
    found = np.array([called(sky_bin)(tuple(row)) for row in d.astype(np.float32)])
    assert (found[d[:, 2] < 0] == GROUND_ROW).all()
    assert (found[d[:, 2] > 0] < SKY_BINS).all()
    assert len(set(found.tolist())) > 500  # a thousand directions among 1152 bins


def test_bins_of_an_even_sky_are_all_its_radiance_times_the_gain() -> None:
    lights = build_environment(uniform_dome(300.0))
    table = np.zeros((FIRST_CELL, 3), np.float32)
    half = UNIT_SOURCE_GAINS._replace(sky_indirect=(F(0.5), F(0.25), F(1)))
    write_sky_rows(lights.arrays(), half, table)
    assert table[:SKY_BINS] == pytest.approx(np.tile([150.0, 75.0, 300.0], (SKY_BINS, 1)), rel=1e-5)


def test_a_bin_holds_what_the_sky_shows_in_its_directions(solver: SkySolver) -> None:
    dome = solver.dome(Air(3.0), 130.0, 40.0)
    lights = build_environment(dome)
    table = np.zeros((FIRST_CELL, 3), np.float32)
    write_sky_rows(lights.arrays(), UNIT_SOURCE_GAINS, table)
    rng = np.random.default_rng(2)
    d = rng.normal(size=(3000, 3))
    d[:, 2] = np.abs(d[:, 2])
    d = (d / np.linalg.norm(d, axis=1, keepdims=True)).astype(np.float32)
    away = d @ dome.sun_direction < 0.9  # beside the sun a bin is wider than the light is smooth
    bins = np.array([called(sky_bin)(tuple(row)) for row in d])
    seen = dome_radiance(dome, d)[:, 1]
    assert np.median(np.abs(table[bins, 1] / seen - 1)[away]) < 0.03
    assert table[bins, 1].mean() == pytest.approx(seen.mean(), rel=0.02)
