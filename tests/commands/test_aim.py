# SPDX-License-Identifier: Apache-2.0
"""`gloamet aim` as a user types it."""

from __future__ import annotations

from pathlib import Path

import pytest

from gloamet.cli import main
from tests.test_cli import ask


def test_aim_shadow_finds_the_direction_and_real_moments(capsys: pytest.CaptureFixture[str]) -> None:
    words = [
        "aim",
        "shadow",
        "--from",
        "0,0,2",
        "--to",
        "0,2,0",
        "--lat",
        "57.4",
        "--lon",
        "21.5",
        "--year",
        "2026",
    ]
    found = ask(capsys, *words)
    assert found["azimuth_deg"] == pytest.approx(180.0, abs=0.05)
    assert found["elevation_deg"] == pytest.approx(45.0, abs=0.05)
    errors = [row["error_deg"] for row in found["candidates"]]
    assert errors[0] == min(errors) < 0.27
    assert found["candidates"][0]["when"].startswith("2026-")
    turned = ask(capsys, *words, "--north", "30")
    assert turned["azimuth_deg"] == pytest.approx(150.0, abs=0.05)


def test_aim_frame_and_glint_read_a_view_in_numbers(
    capsys: pytest.CaptureFixture[str], obj_file: Path
) -> None:
    view = ["--view", "0,-10,2/0,0,2/40"]
    middle = ask(capsys, "aim", "frame", *view, "--pixel", "640,360", "--size", "1280x720")
    assert (middle["azimuth_deg"], middle["elevation_deg"]) == pytest.approx((0.0, 0.0), abs=1e-6)
    glint = ask(capsys, "aim", "glint", *view, "--scene", str(obj_file), "--up", "z", "--pixel", "0.5,0.9")
    assert glint["elevation_deg"] > 0.0


def test_aim_windows_tells_spans_of_a_part(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    model = tmp_path / "terrace.obj"
    model.write_text("o terrace\nv -5 -5 0\nv 5 -5 0\nv 5 5 0\nv -5 5 0\nf 1 2 3 4\n")
    position = ["--up", "z", "--lat", "57.4", "--lon", "21.5", "--year", "2026"]
    assert main(["aim", "windows", str(model), "--part", "balcony", *position]) == 2
    assert "There is no part “balcony”" in capsys.readouterr().err
    words = ["--side", "0,0,1", "--from", "08:00", "--to", "12:00", "--season", "05-01..05-10"]
    found = ask(capsys, "aim", "windows", str(model), "--part", "terrace", *position, *words)
    assert found["gap"] == "from the open sky"
    span = found["spans"][0]
    assert (span["from"], span["to"]) == ("2026-05-01", "2026-05-10")
    assert (span["clock_from"], span["clock_to"], span["share"]) == ("08:00", "12:10", 1.0)
    assert main(["aim", "windows", str(model), "--part", "terrace", *position, *words]) == 0
    assert "reaches “terrace” from 1 May to 10 May, 8:00–12:10" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (["aim", "shadow", "--from", "0,0,1", "--to", "0,0,1"], "at the same point"),
        (["aim", "shadow", "--from", "0,0,1", "--to", "0,1,0", "--lat", "5"], "needs both --lat and --lon"),
        (["aim", "frame", "--view", "garden", "--pixel", "0.5,0.5"], "A view by name needs --scene"),
        (["aim", "frame", "--view", "0,0,1/0,1,1/40", "--pixel", "7,5"], "--pixel is outside the picture"),
        (
            ["aim", "shadow", "--from", "0,0,1", "--to", "0,1,0", "--season", "13-01..02-01"],
            "is not two days like",
        ),
        (
            ["aim", "shadow", "--from", "0,0,1", "--to", "0,1,0", "--hour-from", "25:00"],
            "is not a clock time",
        ),
    ],
)
def test_aims_that_cannot_be_get_one_sentence(
    capsys: pytest.CaptureFixture[str], words: list[str], sentence: str
) -> None:
    assert main(words) == 2
    error = capsys.readouterr().err
    assert sentence in error and error.count("\n") == 1


def test_points_may_lie_on_the_negative_side(capsys: pytest.CaptureFixture[str]) -> None:
    found = ask(capsys, "aim", "shadow", "--from", "-1,-1,2", "--to", "-3,-1,0")
    assert (found["azimuth_deg"], found["elevation_deg"]) == pytest.approx((90.0, 45.0))
    assert found["candidates"] is None


def test_a_sun_that_never_comes_is_told_as_such(capsys: pytest.CaptureFixture[str]) -> None:
    words = [
        "aim",
        "shadow",
        "--from",
        "0,0,2",
        "--to",
        "0,-2,0",
        "--lat",
        "57.4",
        "--lon",
        "21.5",
        "--year",
        "2026",
    ]
    assert main(words) == 0
    out = capsys.readouterr().out
    assert "does not occur there" in out and "Jun 2026" in out
