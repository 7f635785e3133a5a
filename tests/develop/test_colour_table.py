# SPDX-License-Identifier: Apache-2.0
"""Colour tables: .cube files in and out, against OpenColorIO's own reading, and what is said of bad ones."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
import pytest

from gloamet.develop.colour_grade import grade_codes
from gloamet.develop.colour_table import apply_table, write_table
from gloamet.develop.links import ColourGrade
from gloamet.errors import GloametError

COLOURS = np.random.default_rng(5).uniform(0, 1, (200, 3)).astype(np.float32)


def warmer(codes: np.ndarray) -> np.ndarray:
    return codes ** np.array([0.8, 1.0, 1.3], np.float32)


def by_ocio(path: Path, codes: np.ndarray) -> np.ndarray:
    transform = ocio.FileTransform(str(path), interpolation=ocio.INTERP_LINEAR)
    processor = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    return np.array([processor.applyRGB(list(map(float, code))) for code in codes])


@pytest.mark.proof(
    ".cube tables, written and read", source="OpenColorIO's reading of the file", kind="library"
)
def test_a_written_table_is_read_back_as_the_same_colours(tmp_path: Path) -> None:
    path = tmp_path / "warm.cube"
    write_table(path, warmer, 33, "warm")
    # straight lines between 33 steps of a power of 0.8 err most near black
    assert by_ocio(path, COLOURS) == pytest.approx(warmer(COLOURS), abs=0.01)
    assert apply_table(COLOURS, str(path)) == pytest.approx(warmer(COLOURS), abs=0.01)
    # the reading program and ours agree but for the kind of interpolation
    assert apply_table(COLOURS, str(path)) == pytest.approx(by_ocio(path, COLOURS), abs=2e-3)


def test_a_table_of_one_dimension_acts_on_each_channel(tmp_path: Path) -> None:
    path = tmp_path / "curve.cube"
    path.write_text("LUT_1D_SIZE 3\n0 0 0\n0.25 0.5 0.75\n1 1 1\n")
    out = apply_table(np.full((1, 3), 0.5, np.float32), str(path))
    assert out[0] == pytest.approx([0.25, 0.5, 0.75], abs=1e-5)


def test_red_runs_fastest_in_the_file(tmp_path: Path) -> None:
    path = tmp_path / "same.cube"
    write_table(path, lambda codes: codes, 2, "same")
    rows = [line for line in path.read_text().splitlines() if line[:1].isdigit()]
    assert rows[:3] == [
        "0.000000 0.000000 0.000000",
        "1.000000 0.000000 0.000000",
        "0.000000 1.000000 0.000000",
    ]


def test_a_table_in_the_chain_is_mixed_by_its_strength(tmp_path: Path) -> None:
    path = tmp_path / "warm.cube"
    write_table(path, warmer, 33, "warm")
    whole = grade_codes(COLOURS, ColourGrade(table=str(path)))
    half = grade_codes(COLOURS, ColourGrade(table=str(path), table_strength=0.5))
    assert whole == pytest.approx(warmer(COLOURS), abs=0.01)
    assert half == pytest.approx(0.5 * (COLOURS + whole), abs=1e-5)


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("bad.cube", "LUT_3D_SIZE 2\n0 0 0\n", "bad.cube is not a look-up table"),
        ("notes.txt", "hello", "choose a .cube file"),
        ("gone.cube", None, "gone.cube does not exist"),
    ],
)
def test_what_is_no_table_is_told_in_a_sentence(
    tmp_path: Path, name: str, text: str | None, said: str
) -> None:
    path = tmp_path / name
    if text is not None:
        path.write_text(text)
    with pytest.raises(GloametError, match=said):
        apply_table(COLOURS, str(path))


def test_a_table_of_no_size_is_refused(tmp_path: Path) -> None:
    with pytest.raises(GloametError, match="2 to 129"):
        write_table(tmp_path / "one.cube", warmer, 1, "one")
