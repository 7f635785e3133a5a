# SPDX-License-Identifier: Apache-2.0
"""The air in front solved ahead: what a hand then asks for is there, and is what it would have been."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from gloamet.document.model import Document
from gloamet.preview import aerial_tables as air_tables
from gloamet.preview.aerial_tables import HEIGHTS_DEG, AerialTables
from gloamet.sky.dome import uniform_dome
from gloamet.sky.sky_cache import SkyInterpolator
from gloamet.stage.camera import Camera
from gloamet.translation.document_to_aerial import AerialInputs, SkyInputs

CAMERA = Camera((0.0, 0.0, 1.6), (0.0, 100.0, 1.6), 0.8)


def asked(document: Document, elevation_deg: float) -> AerialInputs:
    moved = document.change("sun", mode="manual", azimuth_deg=150.0, elevation_deg=elevation_deg)
    return AerialInputs.of(SkyInputs.of(moved), CAMERA, 1.5, quick=True)


@pytest.fixture
def solved(monkeypatch: pytest.MonkeyPatch) -> list[float]:
    """The heights that were solved, in their order."""
    heights: list[float] = []
    solve = air_tables.solve_aerial_perspective

    def recorded(inputs: AerialInputs, *rest: Any) -> Any:
        heights.append(inputs.elevation_deg)
        return solve(inputs, *rest)

    monkeypatch.setattr(air_tables, "solve_aerial_perspective", recorded)
    return heights


@pytest.fixture(scope="module")
def skies(solver: Any) -> SkyInterpolator:
    ladder = SkyInterpolator(solver)
    ladder.precompute(SkyInputs.of(Document()).air, 30.0, lambda: False, 300.0)
    return ladder


def test_air_solved_ahead_serves_every_height_of_the_sun(
    solver: Any, skies: SkyInterpolator, solved: list[float]
) -> None:
    tables, document = AerialTables(solver, skies), Document()
    assert tables.precompute(asked(document, 32.0), lambda: False, 300.0)
    ahead = list(solved)
    nearness = np.abs(np.array(ahead) - 32.0)
    assert (np.diff(nearness) >= 0.0).all()  # where the hand is first
    for elevation in np.arange(-4.9, 89.0, 0.37):
        assert tables.table(asked(document, float(elevation)), None) is not None
    assert solved == ahead
    assert len(set(ahead)) == len(ahead) <= len(HEIGHTS_DEG)
    kept, fresh = (made.table(asked(document, 17.0), None) for made in (tables, AerialTables(solver, skies)))
    assert np.array_equal(kept.light, fresh.light) and np.array_equal(kept.through, fresh.through)


def test_it_stops_when_a_hand_moves_or_its_time_is_over_and_goes_on_from_there(
    solver: Any, skies: SkyInterpolator, solved: list[float]
) -> None:
    tables, inputs = AerialTables(solver, skies), asked(Document(), 32.0)
    left = iter([False, False, False])
    assert not tables.precompute(inputs, lambda: next(left, True), 300.0)
    assert len(solved) == 3
    assert not tables.precompute(inputs, lambda: False, -1.0)
    assert len(solved) == 3
    assert tables.precompute(inputs, lambda: False, 300.0)
    assert len(set(solved)) == len(solved) > 30


def test_air_without_skies_ahead_or_lit_by_the_horizon_is_left_for_when_it_is_seen(
    solver: Any, skies: SkyInterpolator, solved: list[float]
) -> None:
    hazy = Document().change("air", turbidity=7.0)
    for tables, document in (
        (AerialTables(solver, SkyInterpolator(solver)), Document()),
        (AerialTables(solver, skies), hazy),
        (AerialTables(solver, skies), Document().change("air", sky_model="uniform")),
    ):
        assert tables.precompute(asked(document, 32.0), lambda: False, 300.0)
    assert solved == []


def test_of_air_lit_by_a_horizon_the_last_alone_is_kept(solver: Any, solved: list[float]) -> None:
    tables, even = (
        AerialTables(solver, SkyInterpolator(solver)),
        Document().change("air", sky_model="uniform"),
    )
    inputs, (first, second) = asked(even, 32.0), (uniform_dome(cd_m2) for cd_m2 in (300.0, 600.0))
    dim, bright = (tables.table(inputs, dome).light.max() for dome in (first, second))
    assert bright == pytest.approx(2.0 * dim, rel=1e-5)
    tables.table(inputs, second)
    assert len(solved) == 2
    tables.table(inputs, first)  # let go of, and its dome with it
    assert len(solved) == 3
