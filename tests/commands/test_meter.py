# SPDX-License-Identifier: Apache-2.0
"""`gloamet meter` and the balance of `gloamet render`: the names a script counts on, and that numbers mean what they
say."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest

from gloamet.cli import main
from gloamet.document.demo import FOLDER, PANORAMAS

PAIL = str(FOLDER / "pail.glb")
NOON = ("--sun-azimuth", "180", "--sun-elevation", "45")
NAMES = {
    "sun_lx",
    "sky_lx",
    "panorama_lx",
    "lamps_lx",
    "key_to_fill_stops",
    "light_cct_k",
    "shade_cct_k",
    "checks",
}


def ask(capsys: pytest.CaptureFixture[str], *words: str) -> dict:
    assert main([*words, "--json"]) == 0
    return dict(json.loads(capsys.readouterr().out))


@pytest.fixture(scope="module")
def plain(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A lone small block as a model, without ground of its own."""
    from tests.conftest import box

    corners = box((-0.2, -0.2, 0.0), (0.2, 0.2, 0.4)).reshape(-1, 3)
    path = tmp_path_factory.mktemp("meter") / "block.obj"
    faces = [f"f {3 * k + 1} {3 * k + 2} {3 * k + 3}" for k in range(len(corners) // 3)]
    path.write_text("\n".join([*(f"v {x} {z} {-y}" for x, y, z in corners), *faces]))
    return path


def test_the_meter_agrees_with_the_sky_and_its_ratio_with_its_lux(
    plain: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    met = ask(capsys, "meter", str(plain), *NOON, "--turbidity", "3")
    sky = ask(capsys, "sky", "--elevation", "45", "--turbidity", "3")
    assert set(met) >= NAMES
    assert met["sun_lx"] == pytest.approx(sky["sun_horizontal_lx"], rel=1e-6)
    assert met["sky_lx"] == pytest.approx(sky["sky_horizontal_lx"], rel=1e-6)
    assert met["key_to_fill_stops"] == pytest.approx(math.log2(met["sun_lx"] / met["sky_lx"]), abs=1e-9)
    assert met["shade_cct_k"] > met["light_cct_k"]
    assert met["nature_low_stops"] < met["key_to_fill_stops"] < met["nature_high_stops"]


def test_gains_and_the_list_answer_to_options(plain: Path, capsys: pytest.CaptureFixture[str]) -> None:
    nature = ask(capsys, "meter", str(plain), *NOON)
    flat = ask(capsys, "meter", str(plain), *NOON, "--gain", "sun=-1", "--gain", "sky=+2")
    assert flat["sun_lx"] == pytest.approx(0.5 * nature["sun_lx"])
    assert flat["key_to_fill_stops"] == pytest.approx(nature["key_to_fill_stops"] - 3.0)
    rules = {check["rule"] for check in flat["checks"]}
    assert "key to fill" in rules
    (check,) = (c for c in flat["checks"] if c["rule"] == "key to fill")
    assert set(check) == {"rule", "value", "limit", "sentence"}
    assert "key to fill" not in {c["rule"] for c in nature["checks"]}


def test_an_evening_panorama_beside_a_noon_sun_is_two_suns_that_disagree(
    plain: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    words = "meter", str(plain), *NOON, "--panorama", str(PANORAMAS / "evening.exr")
    met = ask(capsys, *words, "--panorama-lux", "30000")
    assert met["panorama_lx"] == pytest.approx(30_000.0, rel=1e-3)
    rules = {check["rule"] for check in met["checks"]}
    assert {"two suns", "suns apart", "two skies"} <= rules
    lifted = ask(capsys, *words, "--panorama-remove-sun", "--gain", "panorama=-10")
    assert not {"two suns", "suns apart"} & {check["rule"] for check in lifted["checks"]}


def test_without_json_it_speaks_in_lines(plain: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["meter", str(plain), *NOON]) == 0
    messages = capsys.readouterr().out
    assert "card facing the sun:" in messages and "key_to_fill_stops" in messages


@pytest.mark.parametrize(
    ("words", "messages"),
    [
        (("--gain", "moon=1"), "lights are sun, sky, lamps, panorama"),
        (("--gain", "sun=11"), "out of range"),
        (("--gain", "sun"), "is not like sun=-1"),
        (("--tint", "moon=#ffffff"), "There is no light “moon” to tint"),
        (("--tint", "sky=#ffffff,2"), "out of range"),
        (("--light-warmth", "sky=900"), "out of range"),
        (("--panorama-rotation", "40"), "give --panorama too"),
    ],
)
def test_bad_words_get_one_sentence(
    words: tuple[str, ...], messages: str, plain: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["meter", str(plain), *NOON, *words]) == 2
    error = capsys.readouterr().err
    assert messages in error and error.count("\n") == 1


def test_a_sky_alone_has_no_lights_to_tint(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["sky", "--elevation", "30", "--tint", "sky=#aac4ff"]) == 2
    assert "no lights to balance" in capsys.readouterr().err


def test_a_rendered_file_holds_the_gains_and_what_has_bounced(plain: Path, tmp_path: Path) -> None:
    """The same paths under gains and tints: the ratio of the layers is the gain."""
    import OpenImageIO as oiio

    def layers(name: str, *words: str) -> dict[str, np.ndarray]:
        out = tmp_path / name
        base = ("render", str(plain), "-o", str(out), "--size", "32x24", "--samples", "8", *NOON)
        assert main([*base, *words]) == 0
        picture = oiio.ImageInput.open(str(out))
        names, pixels = picture.spec().channelnames, picture.read_image("float")
        picture.close()
        return {channel: pixels[..., k] for k, channel in enumerate(names)}

    off = "--aerial-perspective", "off"
    nature = layers("a.exr", *off)
    gained = layers(
        "b.exr",
        *off,
        "--gain",
        "sun=-1",
        "--gain",
        "sky=+0.5",
        "--gain",
        "sky-indirect=1",
        "--tint",
        "sun=#ff8000,0.5",
    )
    assert {"sun_indirect.R", "sky_indirect.G"} <= set(nature)
    straight = [a["sky.G"] - a["sky_indirect.G"] for a in (nature, gained)]
    assert straight[1] == pytest.approx(2.0**0.5 * straight[0], rel=1e-4, abs=1e-2)
    assert gained["sky_indirect.G"] == pytest.approx(2.0**1.5 * nature["sky_indirect.G"], rel=1e-4, abs=1e-3)
    bright = nature["sun.R"] > 1.0
    red, blue = (gained[c][bright] / nature[c][bright] for c in ("sun.R", "sun.B"))
    assert np.ptp(red) < 1e-3 and np.ptp(blue) < 1e-3 and red.mean() > 0.5 > blue.mean()
    for channel in "RGB":
        parts = sum(gained[f"{name}.{channel}"] for name in ("sun", "sky"))
        assert gained[channel] == pytest.approx(parts, rel=1e-4, abs=1e-2)


def test_the_meter_reads_where_the_project_has_placed_the_cards(
    plain: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    from gloamet.document.file import save_document
    from gloamet.document.model import Document

    document = Document().change("stage", scene_file=str(plain)).change("stage.ground", kind="endless")
    read = []
    for k, position in enumerate(((5.0, 5.0, 0.05), (0.0, 0.0, 0.2))):  # in the open, and inside the block
        path = tmp_path / f"{k}.gloamet"
        save_document(document.change("fill", card_position=position), path)
        met = ask(capsys, "meter", str(path), *NOON)
        level = met["cards"][0]
        read.append((level["sun_direct_lx"], level["sky_direct_lx"]))
    # a level card in the open has what falls on open ground, one in a closed block has nothing
    assert read[0] == pytest.approx((met["sun_lx"], met["sky_lx"]), rel=0.02)
    assert read[1] == (0.0, 0.0)
