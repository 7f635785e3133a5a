# SPDX-License-Identifier: Apache-2.0
"""`gloamet develop` and `gloamet measure` on files of light."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from gloamet.cli import main
from gloamet.colour.spaces import linear_to_srgb
from gloamet.commands.develop import read_settings
from gloamet.document.file import save_document
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.output.images import save_light
from gloamet.output.light_file import read_light_file

EV = 12.0
GREY_CD_M2 = 0.18 * 2.5 * 2.0**EV / math.pi  # an 18 % card in the light of EV 12 (ISO 2720, C = 250)


@pytest.fixture
def light(tmp_path: Path) -> Path:
    """A grey card on the left, one three stops brighter on the right."""
    picture = np.full((20, 40, 3), GREY_CD_M2, np.float32)
    picture[:, 20:] *= 8.0
    save_light(tmp_path / "light.exr", picture)
    return tmp_path / "light.exr"


def developed(path: Path) -> np.ndarray:
    return np.asarray(oiio.ImageBuf(str(path)).get_pixels(oiio.UINT8))


def printed(capsys: pytest.CaptureFixture[str]) -> dict[str, object]:
    return json.loads(capsys.readouterr().out)


@pytest.mark.parametrize("view", ["film", "ACES 2.0", "ACES 1.3", "plain sRGB"])
def test_a_card_at_its_own_exposure_is_code_118(light: Path, tmp_path: Path, view: str) -> None:
    out = tmp_path / "out.png"
    assert main(["develop", str(light), "-o", str(out), "--ev", str(EV), "--view", view]) == 0
    assert developed(out)[10, 5] == pytest.approx([118] * 3, abs=3)  # common practice


def test_with_ev_and_view_alone_every_other_link_is_neutral(light: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.png"
    main(["develop", str(light), "-o", str(out), "--ev", "14", "--view", "plain sRGB"])
    # IEC 61966-2-1 of 18 % two stops down
    expected = 255.0 * linear_to_srgb(np.array([0.18 / 4.0, 0.18 * 2.0]))
    assert developed(out)[10, [5, 35], 1] == pytest.approx(expected, abs=1.0)


def test_the_files_own_white_stays_neutral_unless_one_is_balanced_on(tmp_path: Path) -> None:
    rec709, out = tmp_path / "other.exr", tmp_path / "out.png"
    spec = oiio.ImageSpec(8, 8, 3, "float")  # no chromaticities: Rec. 709 by the standard
    file = oiio.ImageOutput.create(str(rec709))
    file.open(str(rec709), spec)
    file.write_image(np.full((8, 8, 3), GREY_CD_M2, np.float32))
    file.close()
    main(["develop", str(rec709), "-o", str(out), "--ev", str(EV), "--wb", "none"])
    assert np.ptp(developed(out)[4, 4].astype(int)) <= 1
    main(["develop", str(rec709), "-o", str(out), "--ev", str(EV), "--wb", "3000,0"])
    red, _, blue = (int(v) for v in developed(out)[4, 4])
    assert blue > red + 40


def test_exposures_are_metered_from_the_file(
    light: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    base = ["develop", str(light), "-o", str(tmp_path / "out.png"), "--json"]
    main([*base, "--ev", "average"])
    # the mean of 1 and 8 grey cards
    assert printed(capsys)["ev"] == pytest.approx(EV + math.log2(4.5), abs=0.01)
    main([*base, "--ev", "incident", "--incident-lux", str(2.5 * 2.0**9)])
    assert printed(capsys)["ev"] == pytest.approx(9.0, abs=1e-6)
    main([*base, "--ev", "incident", "--incident-lux", str(2.5 * 2.0**9), "--compensation", "1.5"])
    assert printed(capsys)["ev"] == pytest.approx(7.5, abs=1e-6)


def test_settings_come_from_json_or_a_project(light: Path, tmp_path: Path) -> None:
    look, out = tmp_path / "look.json", tmp_path / "out.png"
    look.write_text(json.dumps({"colour": {"saturation": 0.0}, "balance": False, "tone": {"contrast": 0.5}}))
    assert read_settings(look).tone.contrast == 0.5
    project = tmp_path / "house.gloamet"
    save_document(Document().change("expose.tone", contrast=-0.5), project)
    assert read_settings(project).tone.contrast == -0.5
    main(["develop", str(light), "-o", str(out), "--settings", str(look), "--ev", str(EV)])
    codes = developed(out)
    main(["develop", str(light), "-o", str(out), "--ev", str(EV)])
    assert int(codes[10, 35, 1]) > int(developed(out)[10, 35, 1])  # more contrast lifts what is over grey
    assert codes[10, 5] == pytest.approx([118] * 3, abs=3)


def test_the_link_of_colour_is_written_as_a_table(light: Path, tmp_path: Path) -> None:
    look, table = tmp_path / "grey.json", tmp_path / "grey.cube"
    look.write_text(json.dumps({"colour": {"black_and_white": True}}))
    words = ["--settings", str(look), "--table-out", str(table), "--table-size", "5"]
    main(["develop", str(light), "-o", str(tmp_path / "out.png"), *words])
    rows = [list(map(float, line.split())) for line in table.read_text().splitlines() if line[:1].isdigit()]
    assert len(rows) == 125
    assert all(max(row) - min(row) < 1e-3 for row in rows)


def test_spots_are_measured(light: Path, capsys: pytest.CaptureFixture[str]) -> None:
    words = ["--spot", "0.1,0.5", "--spot", "0.9,0.5", "--ev", str(EV)]
    main(["measure", str(light), *words, "--json"])
    found = printed(capsys)
    first, second = found["spots"]  # type: ignore[misc]
    assert first["cd_m2"] == pytest.approx(GREY_CD_M2, rel=1e-4)
    assert first["stops_from_grey"] == pytest.approx(0.0, abs=1e-3)
    assert second["stops_from_grey"] == pytest.approx(3.0, abs=1e-3)
    assert found["stops_apart"] == pytest.approx(-3.0, abs=1e-3)
    assert first["screen_rgb"] == pytest.approx([118] * 3, abs=3)
    main(["measure", str(light), *words])
    assert "+3.00 stops from grey" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("words", "messages"),
    [
        (["develop", "gone.exr", "-o", "out.png"], "gone.exr is not in"),
        (["develop", "light.exr", "-o", "out.exr"], "saved as .png or .jpg"),
        (["develop", "light.exr", "-o", "out.png", "--view", "dreamy"], "There is no view “dreamy”"),
        (["develop", "light.exr", "-o", "out.png", "--ev", "99"], "EV 99 is out of range"),
        (["develop", "light.exr", "-o", "out.png", "--ev", "incident"], "--incident-lux"),
        (["develop", "light.exr", "-o", "out.png", "--wb", "warm"], "is not a number"),
        (
            ["develop", "light.exr", "-o", "out.png", "--settings", "bad.json"],
            "“tone.contrast” is not usable",
        ),
        (["develop", "light.exr", "-o", "out.png", "--settings", "broken.json"], "is not readable JSON"),
        (["develop", "torn.exr", "-o", "out.png"], "damaged"),
        (["develop", "light.exr", "-o", "out.png", "--table-out", "t.lut"], "written as .cube"),
        (["measure", "light.exr", "--spot", "2,0"], "outside the picture"),
        (["measure", "notes.txt", "--spot", "0,0"], "light is read from"),
    ],
)
def test_what_cannot_be_done_is_told_in_a_sentence(
    light: Path,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
    words: list[str],
    messages: str,
) -> None:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "bad.json").write_text('{"tone": {"contrast": 7}}')
    (tmp_path / "broken.json").write_text("{")
    (tmp_path / "notes.txt").write_text("hello")
    (tmp_path / "torn.exr").write_bytes(light.read_bytes()[:300])
    assert main(words) != 0
    error = capsys.readouterr().err
    assert messages in error
    assert "Traceback" not in error


def test_layers_of_a_rendered_file_tell_what_is_seen(tmp_path: Path) -> None:
    picture = np.full((10, 20, 3), 300.0, np.float32)
    planes = {
        "sun": 0.75 * picture,
        "sun_indirect": 0.25 * picture,
        "albedo": np.full((10, 20, 3), 0.5, np.float32),
        "depth": np.full((10, 20), 7.0, np.float32),
    }
    save_light(
        tmp_path / "layers.exr",
        picture / 1000.0,
        {k: v / (1000.0 if "sun" in k else 1.0) for k, v in planes.items()},
        1000.0,
    )
    found = read_light_file(tmp_path / "layers.exr")
    assert found.absolute
    assert found.picture == pytest.approx(picture, rel=1e-5)
    assert found.sun_fraction is not None
    assert found.sun_fraction == pytest.approx(
        np.full((10, 20), 0.5), abs=1e-4
    )  # indirect light is no sunshine
    assert (found.seen.depth == 7.0).all()
    with pytest.raises(GloametError, match="no red, green and blue"):
        save_one_channel(tmp_path / "one.exr")
        read_light_file(tmp_path / "one.exr")


def save_one_channel(path: Path) -> None:
    file = oiio.ImageOutput.create(str(path))
    file.open(str(path), oiio.ImageSpec(4, 4, 1, "float"))
    file.write_image(np.ones((4, 4, 1), np.float32))
    file.close()
