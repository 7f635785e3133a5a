# SPDX-License-Identifier: Apache-2.0
"""The shipped tables are what their tools make: run again, each gives the same values."""

from __future__ import annotations

import importlib.util
from importlib.resources import files
from pathlib import Path
from types import ModuleType

import numpy as np
import pytest

from gloamet.sky.spectrum import BANDS

TOOLS = Path(__file__).parents[1] / "tools"
DATA = Path(str(files("gloamet").joinpath("data")))


def tool(name: str) -> ModuleType:
    spec = importlib.util.spec_from_file_location(name, TOOLS / f"{name}.py")
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def test_the_sky_bands_are_those_of_the_reference_libraries(capsys: pytest.CaptureFixture[str]) -> None:
    tool("make_spectrum").main()
    printed = [line.strip().strip("[],").split(", ") for line in capsys.readouterr().out.splitlines()]
    made = np.array([[float(word) for word in row] for row in printed])
    assert made.shape == BANDS.shape
    assert np.array_equal(made, BANDS)


@pytest.mark.parametrize(
    ("name", "tables"),
    [("make_draws", ("draws", "shifts")), ("make_directional_albedo", ("directional_albedo",))],
)
def test_tables_of_numbers_come_out_as_they_are_shipped(
    name: str, tables: tuple[str, ...], monkeypatch: pytest.MonkeyPatch
) -> None:
    made: dict[str, np.ndarray] = {}
    monkeypatch.setattr(np, "save", lambda path, array: made.update({Path(path).stem: array}))
    tool(name).main()
    assert set(made) == set(tables)
    for table in tables:
        shipped = np.load(DATA / f"{table}.npy")
        # sums in another order on another processor may differ in the last digit
        assert made[table] == pytest.approx(shipped, rel=1e-5)
        assert made[table].dtype == shipped.dtype


@pytest.mark.proof(
    "Typical turbidity and altitude of a site",
    source="Remund et al. 2003; altitudes of pvlib (tables of pvlib, averaged)",
    kind="library",
)
def test_the_tables_of_the_climate_are_averages_of_the_published_ones(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    made: dict[str, np.ndarray] = {}
    monkeypatch.setattr(np, "savez_compressed", lambda path, **arrays: made.update(arrays))
    tool("make_climate").main()
    with np.load(DATA / "climate.npz") as shipped:
        assert set(shipped.files) == set(made)
        for name, table in made.items():
            assert np.array_equal(table, shipped[name])


@pytest.mark.parametrize(
    ("longitude", "latitude", "on_land"),
    [  # places whose land or sea is beyond doubt; the atlas file itself does not ship
        (24.1, 55.0, True),
        (-100.0, 40.0, True),
        (134.0, -25.0, True),
        (20.0, 0.0, True),
        (-30.0, 40.0, False),
        (-150.0, -20.0, False),
        (80.0, -20.0, False),
        (-40.0, 75.0, True),
    ],
)
def test_the_coasts_of_the_map_part_land_and_sea(longitude: float, latitude: float, on_land: bool) -> None:
    with np.load(DATA / "world.npz") as world:
        rings = np.split(world["points"], world["ends"][:-1])
    crossings = 0
    for ring in rings:  # even-odd rule along the parallel to the east
        x, y = ring.T
        u, v = np.roll(x, -1), np.roll(y, -1)
        cut = (y > latitude) != (v > latitude)
        at = x[cut] + (latitude - y[cut]) / (v[cut] - y[cut]) * (u[cut] - x[cut])
        crossings += int((at > longitude).sum())
    assert (crossings % 2 == 1) == on_land


def test_the_quick_check_runs_the_tests_that_import_what_changed() -> None:
    chosen = tool("check_changed").selected_tests(
        ["src/gloamet/sun/moon.py", "tests/aim/test_pins.py", "README.md"]
    )
    assert chosen[2] == "tests/aim/test_pins.py"
    assert "tests/sun/test_moon.py" in chosen
    assert "tests/develop/test_tone.py" not in chosen


@pytest.mark.parametrize("name", sorted(path.stem for path in TOOLS.glob("*.py")))
def test_every_tool_finds_what_it_imports(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(str(TOOLS))
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    tool(name)
