# SPDX-License-Identifier: Apache-2.0
"""The command line as a user types it: JSON names, physics by black box, one sentence for bad input."""

from __future__ import annotations

import json
import math
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from gloamet.cli import main
from gloamet.document.demo import FOLDER
from gloamet.document.file import save_document
from gloamet.document.model import Document
from gloamet.document.stage import CameraView, NamedView
from gloamet.trace.quality import FEWEST_SAMPLES
from tests.conftest import box

SUN_NAMES = {
    "azimuth_deg",
    "elevation_deg",
    "elevation_true_deg",
    "declination_deg",
    "equation_of_time_min",
    "sunrise",
    "sunset",
    "solar_noon",
    "civil_dawn",
    "civil_dusk",
    "nautical_dawn",
    "nautical_dusk",
    "astronomical_dawn",
    "astronomical_dusk",
    "utc",
    "tz",
}
SKY_NAMES = {
    "sun_normal_lx",
    "sun_horizontal_lx",
    "sky_horizontal_lx",
    "zenith_cd_m2",
    "zenith_xy",
    "sun_cct_k",
    "sun_sky_stops",
    "aod550",
    "linke_turbidity",
    "visibility_km",
}


def ask(capsys: pytest.CaptureFixture[str], *tokens: str) -> dict:
    assert main([*tokens, "--json"]) == 0
    return dict(json.loads(capsys.readouterr().out))


def read(path: Path) -> dict[str, np.ndarray]:
    image = oiio.ImageBuf(str(path))
    pixels = image.get_pixels(oiio.FLOAT)
    return {name: pixels[..., k] for k, name in enumerate(image.spec().channelnames)}


def test_sun_at_a_place_and_time(capsys: pytest.CaptureFixture[str]) -> None:
    out = ask(capsys, "sun", "--lat", "57.4", "--lon", "21.5", "--when", "2026-06-21T12:00")
    assert set(out) >= SUN_NAMES
    assert out["tz"] == "Europe/Riga"
    assert out["utc"] == "2026-06-21T09:00:00+00:00"
    assert out["sunrise"].endswith("+03:00")
    assert out["astronomical_dawn"] is None
    assert out["declination_deg"] == pytest.approx(23.44, abs=0.01)
    fixed = ask(
        capsys, "sun", "--lat", "57.4", "--lon", "21.5", "--when", "2026-06-21T12:00", "--tz", "+03:00"
    )
    assert fixed["azimuth_deg"] == pytest.approx(out["azimuth_deg"])


def test_sky_in_numbers(capsys: pytest.CaptureFixture[str]) -> None:
    out = ask(capsys, "sky", "--elevation", "30", "--turbidity", "2.03")
    assert set(out) >= SKY_NAMES
    assert out["sun_horizontal_lx"] == pytest.approx(out["sun_normal_lx"] / 2, rel=1e-6)
    assert out["sun_sky_stops"] == pytest.approx(
        math.log2(out["sun_horizontal_lx"] / out["sky_horizontal_lx"])
    )
    night = ask(capsys, "sky", "--elevation", "-20")
    assert night["sun_sky_stops"] is None
    assert night["sky_horizontal_lx"] == pytest.approx(
        0.0006, rel=0.15
    )  # RCA Electro-Optics Handbook, from memory


def test_every_part_of_the_air_is_asked_for_by_its_option(capsys: pytest.CaptureFixture[str]) -> None:
    plain = ask(capsys, "sky", "--elevation", "10")
    for tokens, name, way in (
        (("--turbidity", "5"), "sun_normal_lx", -1),
        (("--haze-visibility", "5"), "visibility_km", -1),
        (("--ozone", "600"), "sun_normal_lx", -1),
        (("--albedo", "0.8"), "sky_horizontal_lx", 1),
        (("--particles", "urban"), "sky_horizontal_lx", -1),
        (("--particles", "dust"), "sun_cct_k", 1),
        (("--model", "cie:1"), "sun_normal_lx", -1),
    ):
        assert way * (ask(capsys, "sky", "--elevation", "10", *tokens)[name] - plain[name]) > 0.0, tokens
    low, high = (
        ask(capsys, "sky", "--elevation", "10", "--haze-visibility", "5", "--haze-height", metres)[
            "sun_normal_lx"
        ]
        for metres in ("100", "1000")
    )
    assert high < low
    even = ask(
        capsys, "sky", "--elevation", "10", "--model", "uniform", "--sky-lx", "4000", "--sky-kelvin", "3200"
    )
    assert even["sky_horizontal_lx"] == pytest.approx(4000.0, rel=2e-3)
    assert even["sky_cct_k"] == pytest.approx(3200.0, rel=0.01)
    assert "sun is hidden" in even["note"] and "note" not in plain


def test_a_sweep_is_a_table_of_single_skies(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["sky", "--elevation", "20", "--sweep", "turbidity=2:6:3", "--json"]) == 0
    rows = json.loads(capsys.readouterr().out)
    assert [row["turbidity"] for row in rows] == [2.0, 4.0, 6.0]
    one = ask(capsys, "sky", "--elevation", "20", "--turbidity", "4")
    assert rows[1] == {name: one.get(name, 4.0) for name in rows[1]}
    assert main(["sky", "--sweep", "elevation=-6:30:4"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert len(lines) == 5 and lines[1].split()[:2] == ["-6", "0"]
    assert main(["sky", "--elevation", "20", "--sweep", "haze-visibility=2:20:2", "--json"]) == 0
    near, far = json.loads(capsys.readouterr().out)
    assert near["visibility_km"] < 2.0 < far["visibility_km"]


def test_rendered_plane_reads_what_the_meter_says(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, obj_file: Path
) -> None:
    air = ("--turbidity", "3", "--particles", "maritime", "--haze-visibility", "9", "--haze-height", "500")
    sky = ask(capsys, "sky", "--elevation", "35", "--azimuth", "200", *air)
    out = tmp_path / "plane.exr"
    ask(
        capsys,
        "render",
        str(obj_file),
        "-o",
        str(out),
        "--aerial-start",
        "0",
        "--up",
        "z",
        "--size",
        "32x32",
        "--samples",
        "128",
        "--eye",
        "0,0,10",
        "--target",
        "0,0,0",
        "--fov",
        "20",
        "--sun-azimuth",
        "200",
        "--sun-elevation",
        "35",
        *air,
    )
    planes = read(out)
    y = 0.2722287 * planes["R"] + 0.6740818 * planes["G"] + 0.0536895 * planes["B"]
    wanted = 0.8 * (sky["sun_horizontal_lx"] + sky["sky_horizontal_lx"]) / math.pi
    assert y.mean() == pytest.approx(wanted, rel=0.01)
    assert planes["R"] == pytest.approx(planes["sun.R"] + planes["sky.R"] + planes["aerial.R"], rel=1e-5)
    # ten metres of haze that the eye pierces for nine kilometres: what it adds is about what it takes
    assert 0.0 < planes["aerial.R"].mean() < 0.01 * planes["R"].mean()


def test_a_plane_under_a_panorama_reads_the_level_asked_for_in_a_layer_of_its_own(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, obj_file: Path
) -> None:
    sky, out = str(tmp_path / "sky.exr"), tmp_path / "plane.exr"
    ask(capsys, "sky", "--elevation", "20", "--no-sun", "--panorama", sky, "--width", "256")
    shared = ["render", str(obj_file), "-o", str(out), "--up", "z", "--size", "32x32", "--samples", "128"]
    shared += ["--eye", "0,0,10", "--target", "0,0,0", "--fov", "20"]
    told = ask(capsys, *shared, "--panorama", sky, "--panorama-lux", "10000", "--panorama-rotation", "30")
    planes = read(out)
    y = 0.2722287 * planes["panorama.R"] + 0.6740818 * planes["panorama.G"] + 0.0536895 * planes["panorama.B"]
    assert y.mean() == pytest.approx(0.8 * 10_000 / math.pi, rel=0.01)
    whole = planes["sun.G"] + planes["sky.G"] + planes["panorama.G"] + planes["aerial.G"]
    assert planes["G"] == pytest.approx(whole, rel=1e-5)
    assert told["noise_panorama_percent"] > 0.0
    assert "noise_lamps_percent" not in told
    assert main([*shared, "--panorama-rotation", "30"]) == 2
    assert "give --panorama too" in capsys.readouterr().err
    assert main([*shared, "--panorama", str(tmp_path / "gone.exr")]) == 2
    assert "gone.exr is not in" in capsys.readouterr().err


def test_exposed_exr_is_the_same_light_over_the_white_of_the_ev(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, obj_file: Path
) -> None:
    shared = ["render", str(obj_file), "--up", "z", "--size", "16x16", "--samples", "4", "--ev", "13"]
    shared += ["--sun-elevation", "40"]
    ask(capsys, *shared, "-o", str(tmp_path / "a.exr"))
    ask(capsys, *shared, "-o", str(tmp_path / "b.exr"), "--exposed")
    a, b = read(tmp_path / "a.exr"), read(tmp_path / "b.exr")
    assert b["G"] * (1.2 * 2**13) == pytest.approx(a["G"], rel=1e-5)


def test_a_project_renders_with_its_own_decisions(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, obj_file: Path
) -> None:
    document = Document().change("stage", scene_file=str(obj_file), up="z")
    document = document.change("output", width=24, height=16, samples=2).change(
        "sun", mode="manual", elevation_deg=12.0
    )
    save_document(document, tmp_path / "p.gloamet")
    out = ask(capsys, "render", str(tmp_path / "p.gloamet"), "-o", str(tmp_path / "p.png"))
    assert (out["width"], out["height"], out["samples"]) == (24, 16, 2)
    assert out["sun_elevation_deg"] == 12.0
    assert (tmp_path / "p.png").stat().st_size > 0


INSPECTED = {
    "triangles",
    "instances",
    "parts",
    "materials",
    "cameras",
    "lights",
    "size_m",
    "up_axis",
    "units",
    "warnings",
}


@pytest.mark.parametrize("name", ["bathing_house", "pail", "net_loft"])
def test_inspect_tells_what_a_file_holds(capsys: pytest.CaptureFixture[str], name: str) -> None:
    out = ask(capsys, "inspect", str(FOLDER / f"{name}.glb"))
    assert set(out) >= INSPECTED
    assert out["units"] == "m"
    assert out["up_axis"] == "y"
    assert out["cameras"]
    assert out["warnings"] == []
    assert len(out["size_m"]) == 3
    assert out["triangles"] > 1000
    assert main(["inspect", str(FOLDER / f"{name}.glb")]) == 0
    assert "triangles" in capsys.readouterr().out


def test_inspect_names_what_is_missing(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    (tmp_path / "a.obj").write_text("mtllib none.mtl\nv 0 0 0\nv 9000 0 0\nv 0 9000 0\nf 1 2 3\n")
    out = ask(capsys, "inspect", str(tmp_path / "a.obj"))
    assert any("none.mtl" in w for w in out["warnings"])
    assert out["units"] == "mm"
    assert out["size_m"][:1] == pytest.approx([9.0])


@pytest.fixture
def pair(tmp_path: Path) -> Path:
    """A floor and a block on it, Z up, as two parts."""
    rows = [
        "o floor",
        *(f"v {x} {y} 0" for x, y in ((-9, -9), (9, -9), (9, 9), (-9, 9))),
        "f 1 2 3 4",
        "o block",
    ]
    for triangle in box((-1, -1, 0), (1, 1, 2)):
        rows += [f"v {x} {y} {z}" for x, y, z in triangle] + ["f -3 -2 -1"]
    path = tmp_path / "pair.obj"
    path.write_text("\n".join(rows))
    return path


FROM_ABOVE = (
    "--up",
    "z",
    "--size",
    "24x16",
    "--samples",
    "8",
    "--eye",
    "0,0,20",
    "--target",
    "0,0,0",
    "--fov",
    "40",
    "--sun-elevation",
    "50",
)


def test_render_leaves_muted_parts_out(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, pair: Path
) -> None:
    depths = []
    for tokens in ([], ["--mute", "block"]):
        ask(capsys, "render", str(pair), "-o", str(tmp_path / "a.exr"), *FROM_ABOVE, *tokens)
        depths.append(read(tmp_path / "a.exr")[_depth_name(tmp_path / "a.exr")][8, 12])
    assert depths == pytest.approx([18.0, 20.0], abs=0.05)
    assert main(["render", str(pair), "-o", str(tmp_path / "b.exr"), "--mute", "roof"]) == 2
    assert "roof" in capsys.readouterr().err


def _depth_name(path: Path) -> str:
    return next(name for name in read(path) if "depth" in name.lower())


def test_render_in_plaster_with_ink(capsys: pytest.CaptureFixture[str], tmp_path: Path, pair: Path) -> None:
    out = tmp_path / "a.exr"
    ask(capsys, "render", str(pair), "-o", str(out), *FROM_ABOVE, "--plaster", "0.7", "--size", "240x160")
    albedo = {k: v for k, v in read(out).items() if k.startswith("albedo")}
    assert all(v[80, 120] == pytest.approx(0.7, abs=0.02) for v in albedo.values())
    plain = read(out)["G"]
    ask(
        capsys,
        "render",
        str(pair),
        "-o",
        str(out),
        *FROM_ABOVE,
        "--plaster",
        "0.7",
        "--contours",
        "6",
        "--size",
        "240x160",
    )
    assert (read(out)["G"] / plain).min() < 0.3
    assert main(["render", str(pair), "-o", str(out), "--contours"]) == 2
    assert "--plaster" in capsys.readouterr().err


def test_render_refines_only_the_rectangle(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, pair: Path
) -> None:
    out = tmp_path / "a.exr"
    ask(capsys, "render", str(pair), "-o", str(out), *FROM_ABOVE, "--rectangle", "0.25,0.25,0.75,0.75")
    green = read(out)["G"]
    assert green[8, 12] > 0.0
    assert main(["render", str(pair), "-o", str(out), "--rectangle", "0,0,2,1"]) == 2
    capsys.readouterr()


def test_render_stops_at_the_noise_asked_for(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, pair: Path
) -> None:
    out = str(tmp_path / "a.exr")
    rough = ask(capsys, "render", str(pair), "-o", out, *FROM_ABOVE, "--noise", "10", "--samples", "512")
    fine = ask(capsys, "render", str(pair), "-o", out, *FROM_ABOVE, "--noise", "2", "--samples", "512")
    assert rough["noise_percent"] <= 10.0 and fine["noise_percent"] <= 2.0
    assert FEWEST_SAMPLES <= rough["samples_mean"] < fine["samples_mean"] < 512
    assert fine["memory_mb"] > 100.0


def test_an_interrupted_render_goes_on_from_its_checkpoint(tmp_path: Path, pair: Path) -> None:
    out, kept = tmp_path / "a.exr", tmp_path / "a.kept"
    tokens = [sys.executable, "-m", "gloamet", "render", str(pair), "-o", str(out), "--size", "160x100"]
    tokens += ["--samples", "65536", "--checkpoint", str(kept), "--json"]
    for seconds in (4.0, 12.0, 45.0):  # a busy machine may not have begun
        first = subprocess.Popen(tokens, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        assert first.stderr is not None and "of memory" in first.stderr.readline()
        time.sleep(seconds)
        first.send_signal(signal.SIGINT)
        printed, error = first.communicate(timeout=60)
        if first.returncode == 0:
            break
        assert "before the first pass" in error
    assert first.returncode == 0, error
    assert "resumes from" in error and kept.exists() and out.exists()
    done = json.loads(printed)["samples"]
    assert 0 < done < 65536
    other = subprocess.run([*tokens[:-1], "--bounces", "2"], capture_output=True, text=True, check=False)
    assert other.returncode == 2 and "another picture" in other.stderr
    tokens[tokens.index("65536")] = str(done + 4)
    again = subprocess.run(tokens, capture_output=True, text=True, timeout=120, check=True)
    assert "resuming" in again.stderr and json.loads(again.stdout)["samples"] == done + 4
    assert not kept.exists()


def test_render_looks_through_named_views_of_model_and_project(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, pair: Path
) -> None:
    document = (
        Document()
        .change("stage", scene_file=str(pair), up="z")
        .change("output", width=24, height=16, samples=2)
    )
    kept = NamedView(name="roof", view=CameraView(eye=(0.0, 0.0, 12.0), target=(0.0, 0.0, 0.0)))
    save_document(document.change("stage", views=(kept,)), tmp_path / "p.gloamet")
    out = tmp_path / "a.exr"
    ask(capsys, "render", str(tmp_path / "p.gloamet"), "-o", str(out), "--view", "roof")
    assert read(out)[_depth_name(out)][8, 12] == pytest.approx(10.0, abs=0.05)
    assert main(["render", str(tmp_path / "p.gloamet"), "-o", str(out), "--view", "cellar"]) == 2
    assert "roof" in capsys.readouterr().err


def test_panorama_from_the_command_line(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    ask(
        capsys,
        "sky",
        "--elevation",
        "20",
        "--panorama",
        str(tmp_path / "p.exr"),
        "--width",
        "128",
        "--no-sun",
    )
    assert read(tmp_path / "p.exr")["G"].shape == (64, 128)


@pytest.mark.parametrize(
    "tokens",
    [
        ["sun", "--lat", "91", "--lon", "0", "--when", "2026-01-01"],
        ["sun", "--lat", "nan", "--lon", "0", "--when", "2026-01-01"],
        ["sun", "--lat", "0", "--lon", "0", "--when", "2026-02-30T10:00"],
        ["sun", "--lat", "0", "--lon", "0", "--when", "2026-02-20T10:00", "--tz", "Mars/Base"],
        ["sun", "--lat", "0", "--lon", "0", "--when", "0020-02-20T10:00"],
        ["sun", "--lat", "0"],
        ["sky", "--elevation", "high"],
        ["sky", "--elevation", "30", "--turbidity", "0"],
        ["sky", "--elevation", "30", "--turbidity", "nan"],
        ["sky", "--elevation", "30", "--panorama", "out.tif"],
        ["sky"],
        ["sky", "--elevation", "30", "--model", "cie:16"],
        ["sky", "--elevation", "30", "--particles", "pollen"],
        ["sky", "--elevation", "30", "--haze-height", "200"],
        ["sky", "--elevation", "30", "--sky-lx", "5000"],
        ["sky", "--elevation", "30", "--sweep", "turbidity=2:90:5"],
        ["sky", "--elevation", "30", "--sweep", "turbidity=2:9"],
        ["sky", "--elevation", "30", "--sweep", "colour=2:9:3"],
        ["sky", "--elevation", "30", "--sweep", "turbidity=2:9:3", "--panorama", "a.exr"],
        ["render", "none.glb", "-o", "a.png", "--sky-model", "cie:0"],
        ["render", "none.glb", "-o", "a.png"],
        ["render", "none.glb", "-o", "a.gif"],
        ["render", "none.glb", "-o", "a.png", "--size", "10"],
        ["render", "none.glb", "-o", "a.png", "--eye", "1,2"],
        ["render", "none.glb", "-o", "no/where/a.png"],
        ["paint"],
        ["render"],
    ],
)
def test_bad_input_is_one_sentence_and_exit_code_2(
    capsys: pytest.CaptureFixture[str], tokens: list[str]
) -> None:
    assert main(tokens) == 2
    error = capsys.readouterr().err
    assert error.startswith("gloamet: ")
    assert error.count("\n") == 1
    assert "Traceback" not in error


SMALL = (
    "--up",
    "z",
    "--size",
    "24x16",
    "--samples",
    "8",
    "--eye",
    "0,-8,2",
    "--target",
    "0,0,1",
    "--fov",
    "40",
)


def test_the_hand_on_the_sky_is_an_option_and_is_said(capsys: pytest.CaptureFixture[str]) -> None:
    plain = ask(capsys, "sky", "--elevation", "30")
    tinted = ask(
        capsys, "sky", "--elevation", "30", "--tint", "#ffb080", "--luminance-by-elevation", "1,1,1,1,1"
    )
    assert tinted["sky_horizontal_lx"] == pytest.approx(2.0 * plain["sky_horizontal_lx"], rel=1e-3)
    assert tinted["sky_cct_k"] < plain["sky_cct_k"]
    assert tinted["note"] == "Not physical: tint 100 %, luminance by elevation."
    for wrong, said in (
        (("--tint", "pink"), "not a colour like #ffd9a0"),
        (("--hue-by-elevation", "1,2,3"), "not five numbers within ±60"),
        (("--luminance-by-elevation", "0,0,0,0,9"), "within ±4"),
    ):
        assert main(["sky", "--elevation", "30", *wrong]) == 2
        assert said in capsys.readouterr().err


def test_a_picture_without_a_backdrop_has_alpha_and_no_jpeg(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, obj_file: Path
) -> None:
    tokens = ["render", str(obj_file), *SMALL, "--sun-elevation", "30", "--ground", "none"]
    out = tmp_path / "alone.exr"
    ask(capsys, *tokens, "--backdrop", "none", "-o", str(out))
    planes = read(out)
    alpha = planes["A"]
    assert alpha.min() == 0.0 and alpha.max() == 1.0
    assert not planes["R"][alpha == 0.0].any()
    ask(capsys, *tokens, "-o", str(tmp_path / "whole.exr"))
    whole = read(tmp_path / "whole.exr")
    assert planes["R"][alpha == 1.0] == pytest.approx(whole["R"][alpha == 1.0], rel=1e-5)
    assert main([*tokens, "--backdrop", "none", "-o", str(tmp_path / "a.jpg")]) == 2
    assert "JPEG has no transparency" in capsys.readouterr().err
    assert main([*tokens, "--backdrop", "blueish", "-o", str(out)]) == 2
    assert "not a colour" in capsys.readouterr().err


def test_dust_is_a_layer_of_the_picture(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, obj_file: Path
) -> None:
    out = tmp_path / "dusty.exr"
    tokens = ["render", str(obj_file), *SMALL, "--sun-elevation", "30", "-o", str(out)]
    box = ["--medium-min=-5,-5,0", "--medium-max", "5,5,4"]
    ask(capsys, *tokens, "--light-shafts", "box", *box, "--medium-visibility", "20")
    planes = read(out)
    parts = [planes[f"{name}.G"] for name in ("sun", "sky", "aerial", "light_shafts")]
    assert planes["G"] == pytest.approx(sum(parts), rel=1e-4)
    assert planes["light_shafts.G"].max() > 0.0
    ask(capsys, *tokens, "--aerial-perspective", "off")
    assert not {"light_shafts.G", "aerial.G"} & set(read(out))
    for wrong, said in (
        (["--medium-visibility", "20"], "give --light-shafts too"),
        (["--light-shafts", "box", "--medium-min", "9,9,9"], "is empty"),
        (["--aerial-on-sky"], "give --aerial-visibility too"),
        (["--aerial-perspective", "off", "--aerial-visibility", "2"], "Aerial perspective is off"),
    ):
        assert main([*tokens, *wrong]) == 2
        assert said in capsys.readouterr().err
