# SPDX-License-Identifier: Apache-2.0
"""Skies between rungs: near the solved ones by day, the solved ones wherever a rung is missing."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.sky.air import Air
from gloamet.sky.sky_cache import NODES_DEG, SkyInterpolator
from gloamet.sky.sky_solver import SkySolver

CLEAR, HAZY = Air(2.5), Air(5.0, 12.0)


@pytest.fixture(scope="module", params=[CLEAR, HAZY], ids=["clear", "hazy"])
def full(request: pytest.FixtureRequest) -> tuple[SkyInterpolator, SkySolver, Air]:
    solver = SkySolver()
    ladder = SkyInterpolator(solver)
    assert ladder.precompute(request.param, 30.0, lambda: False, 300.0)
    return ladder, solver, request.param


@pytest.mark.parametrize(
    ("elevation", "apart"),
    [
        (-4.6, 0.03),
        (-2.2, 0.02),
        (0.6, 0.02),
        (3.3, 0.01),
        (8.9, 0.01),
        (15.0, 0.01),
        (58.1, 0.01),
        (77.7, 0.01),
    ],
)
def test_a_sky_between_rungs_is_nearly_the_solved_one(
    full: tuple[SkyInterpolator, SkySolver, Air], elevation: float, apart: float
) -> None:
    ladder, solver, air = full
    assert ladder.covers(air, elevation)
    quick, exact = (maker.dome(air, 140.0, elevation) for maker in (ladder, solver))
    off = np.abs(quick.table / exact.table - 1.0)
    assert np.quantile(off, 0.99) < apart
    assert quick.table.mean() == pytest.approx(exact.table.mean(), rel=apart / 2.0)
    # the sun itself is not interpolated
    assert quick.sun_irradiance == pytest.approx(exact.sun_irradiance, rel=1e-9)


def test_on_a_rung_it_is_the_solved_sky(full: tuple[SkyInterpolator, SkySolver, Air]) -> None:
    ladder, solver, air = full
    height = float(NODES_DEG[50])
    assert ladder.dome(air, 10.0, height).table == pytest.approx(
        solver.dome(air, 10.0, height).table, rel=1e-5
    )


@pytest.mark.parametrize("elevation", [-12.0, -7.0, -5.4])
def test_dusk_is_solved(full: tuple[SkyInterpolator, SkySolver, Air], elevation: float) -> None:
    ladder, solver, air = full
    assert not ladder.covers(air, elevation)
    assert np.array_equal(ladder.dome(air, 80.0, elevation).table, solver.dome(air, 80.0, elevation).table)


def test_another_air_is_solved_until_its_rungs_are_there() -> None:
    solver = SkySolver()
    ladder = SkyInterpolator(solver)
    ladder.precompute(CLEAR, 30.0, lambda: False, 300.0)
    assert not ladder.covers(HAZY, 30.0)
    assert np.array_equal(ladder.dome(HAZY, 80.0, 30.0).table, solver.dome(HAZY, 80.0, 30.0).table)
    ladder.precompute(HAZY, 30.0, lambda: False, 300.0)
    assert ladder.covers(HAZY, 30.0) and not ladder.covers(CLEAR, 30.0)


def test_filling_stops_when_told_and_begins_near_the_sun() -> None:
    ladder, left = SkyInterpolator(SkySolver()), iter([False] * 6)
    assert not ladder.precompute(CLEAR, 41.0, lambda: next(left, True), 300.0)
    assert ladder.covers(CLEAR, 41.0) and not ladder.covers(CLEAR, 75.0)
    assert ladder.precompute(CLEAR, 41.0, lambda: False, 300.0)
    assert ladder.covers(CLEAR, 75.0)


def test_the_light_on_level_ground_lies_between_its_rungs(solver: SkySolver) -> None:
    between, air = SkyInterpolator(solver), Air(3.0)
    assert between.level(air, 20.3) is None
    assert between.precompute(air, 20.0, lambda: False, 60.0)
    for elevation in (1.7, 8.0, 20.3, 61.0):
        level = between.level(air, elevation)
        assert level is not None
        exact = solver.spectral(air, elevation)[2]
        assert np.abs(level / exact - 1.0).max() < 0.02
