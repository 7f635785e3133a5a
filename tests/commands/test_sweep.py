# SPDX-License-Identifier: Apache-2.0
"""`gloamet sweep`, `suggest`, `compare` and `looks`."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from gloamet.cli import main
from gloamet.document.file import load_document, save_document
from gloamet.document.model import Document
from gloamet.output.images import save_light
from tests.desk_fixtures import HOUSE_OBJ

SMALL = ["--size", "64x40"]


@pytest.fixture
def house(tmp_path: Path) -> Path:
    """A box on a plane, Z up."""
    path = tmp_path / "house.obj"
    path.write_text(HOUSE_OBJ)
    return path


def test_a_folder_gets_a_picture_each_and_their_values(
    house: Path,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    out = tmp_path / "lights"
    words = [
        "sweep",
        str(house),
        "--vary",
        "sun.elevation_deg=10:50:2",
        "--vary",
        "air.turbidity=2:6:2",
        *SMALL,
    ]
    assert main([*words, "-o", str(out), "--json"]) == 0
    printed = json.loads(capsys.readouterr().out)
    rows = json.loads((out / "sweep.json").read_text())
    assert printed["pictures"] == rows
    assert [row["values"]["sun.elevation_deg"] for row in rows] == [10.0, 50.0, 10.0, 50.0]
    assert [row["values"]["air.turbidity"] for row in rows] == [2.0, 2.0, 6.0, 6.0]
    pixels = [oiio.ImageBuf(str(out / row["file"])).get_pixels(oiio.UINT8).astype(int) for row in rows]
    assert pixels[0].shape == (40, 64, 3)
    assert np.abs(pixels[0] - pixels[1]).mean() > 3.0
    assert rows[1]["ev"] > rows[0]["ev"] + 0.5


def test_a_sheet_is_written_and_suggestions_are_told(
    house: Path,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    assert main(["suggest", str(house), "-n", "3", *SMALL, "-o", str(tmp_path / "s.png"), "--json"]) == 0
    lights = json.loads(capsys.readouterr().out)["lights"]
    assert len(lights) == 3
    assert all(light["reason"] and 0.0 <= light["measured_sun_fraction"] <= 1.0 for light in lights)
    assert (tmp_path / "s.png").is_file()


@pytest.mark.parametrize(
    ("vary", "out", "messages"),
    [
        ("sun.hight=1:2:3", "a.png", "There is no number"),
        ("air.turbidity=2:8:3", "a.gif", "written as .png or .pdf"),
        ("air.turbidity=2:8:3", "gone/a.png", "is not there"),
    ],
)
def test_a_sweep_that_cannot_be_is_told(
    house: Path,
    tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
    vary: str,
    out: str,
    messages: str,
) -> None:
    assert main(["sweep", str(house), "--vary", vary, "-o", str(tmp_path / out)]) != 0
    assert messages in capsys.readouterr().err


def test_pictures_are_compared_in_colour_and_stops(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    light = np.full((16, 24, 3), 200.0, np.float32)
    save_light(tmp_path / "a.exr", light)
    save_light(tmp_path / "b.exr", 2.0 * light)
    save_light(tmp_path / "c.exr", light[:8])
    main(["compare", str(tmp_path / "a.exr"), str(tmp_path / "a.exr"), "--json"])
    assert json.loads(capsys.readouterr().out)["delta_e_mean"] == 0.0
    main(["compare", str(tmp_path / "a.exr"), str(tmp_path / "b.exr"), "--json"])
    found = json.loads(capsys.readouterr().out)
    assert found["stops_mean"] == pytest.approx(1.0)
    assert found["delta_e_mean"] > 5.0
    assert main(["compare", str(tmp_path / "a.exr"), str(tmp_path / "c.exr")]) != 0
    assert "compare two of one size" in capsys.readouterr().err


def test_a_look_is_applied_to_a_project(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    project = tmp_path / "p.gloamet"
    save_document(Document(), project)
    assert main(["looks", "--apply", "hazy noon", str(project), "--json"]) == 0
    assert load_document(project).air.turbidity == 5.5
    assert main(["looks", "--apply", "dreamy", str(project)]) != 0
    assert "There is no look “dreamy”" in capsys.readouterr().err
    assert main(["looks"]) == 0
    assert "blue hour" in capsys.readouterr().out
