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
    ("name", "tables"), [("make_draws", ("draws", "shifts")), ("make_gloss", ("gloss",))]
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
