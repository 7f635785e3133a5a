# SPDX-License-Identifier: Apache-2.0
"""`gloamet panorama`: names, a known sun, a match in the calendar, and a file without its sun."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from gloamet.cli import main
from gloamet.document.demo import PANORAMAS
from gloamet.output.images import save_light

EVENING = str(PANORAMAS / "evening.exr")
NAMES = {
    "sun_found",
    "sun_azimuth_deg",
    "sun_elevation_deg",
    "sun_lx",
    "sky_lx",
    "clipped",
    "removed_lx",
    "candidates",
}


def ask(capsys: pytest.CaptureFixture[str], *words: str) -> dict:
    assert main(["panorama", *words, "--json"]) == 0
    return dict(json.loads(capsys.readouterr().out))


def test_the_shipped_evenings_have_their_sun_where_it_was_put(capsys: pytest.CaptureFixture[str]) -> None:
    # tools/demo/make_panorama.py puts it at 245 and 9 degrees
    found = ask(capsys, EVENING)
    assert set(found) >= NAMES
    assert (found["sun_azimuth_deg"], found["sun_elevation_deg"]) == pytest.approx((245.0, 9.0), abs=0.1)
    assert not found["clipped"] and found["absolute"]
    clipped = ask(capsys, str(PANORAMAS / "evening_clipped.jpg"))
    position = clipped["sun_azimuth_deg"], clipped["sun_elevation_deg"]
    assert clipped["clipped"] and position == pytest.approx((245.0, 9.0), abs=0.3)
    # what the clipped one has lost is estimated: within a third of a stop of what the whole one has over its sky
    fractions = [found["sun_lx"] / found["sky_lx"], clipped["estimated_sun_lx"] / clipped["sky_lx"]]
    assert abs(np.log2(fractions[1] / fractions[0])) < 0.5 and "estimated" in clipped["note"]


def test_lifting_takes_the_sun_and_tells_how_much(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out = tmp_path / "bare.exr"
    before = ask(capsys, EVENING, "--remove-sun", str(out))
    after = ask(capsys, str(out))
    assert not after["sun_found"] and after["sun_lx"] == 0.0
    whole = before["sun_lx"] + before["sky_lx"]
    assert after["sky_lx"] + before["removed_lx"] == pytest.approx(whole, rel=0.01)


def test_a_match_names_moments_of_the_real_sun(capsys: pytest.CaptureFixture[str]) -> None:
    found = ask(capsys, EVENING, "--match", "57.4,21.5", "--year", "2026")
    best = found["matches"][0]
    assert best["error_deg"] < 1.0 and best["when"].startswith("2026-")
    assert best["sun_elevation_deg"] == pytest.approx(9.0, abs=1.0)


@pytest.mark.parametrize(
    ("words", "messages"),
    [
        (("gone.exr",), "is not in"),
        ((EVENING, "--match", "north"), "is not a site"),
        ((EVENING, "--match", "99,0"), "out of range"),
        ((EVENING, "--remove-sun", "out.png"), "is written as .exr"),
    ],
)
def test_bad_words_get_one_sentence(
    words: tuple[str, ...], messages: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["panorama", *words]) == 2
    error = capsys.readouterr().err
    assert messages in error and error.count("\n") == 1


def test_a_panorama_without_a_sun_cannot_be_matched(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "even.exr"
    save_light(path, np.full((64, 128, 3), 800.0, np.float32))
    assert main(["panorama", str(path), "--match", "50,10"]) == 2
    assert "no sun that could be matched" in capsys.readouterr().err
