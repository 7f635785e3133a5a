# SPDX-License-Identifier: Apache-2.0
"""The layers that ship with the demos: true to what the program renders, balanced and developed without a kernel."""

from __future__ import annotations

import queue
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.document.demo import FOLDER, TITLES, demo_document
from gloamet.document.model import Document
from gloamet.light_layers import LIGHT_LAYERS
from gloamet.output.layers import read_layers
from gloamet.preview.events import Failed, Frame
from gloamet.preview.requests import RenderRequest
from gloamet.preview.shipped_picture import shipped_frame
from gloamet.preview.worker import RenderWorker
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Film, Renderer
from gloamet.translation.document_to_light import build_stage, dome_from_document, environment_from_document

LARGEST_BYTES = 3_000_000


def shown(document: Document) -> np.ndarray | None:
    frame = shipped_frame(RenderRequest(document, 744, 520))
    return None if frame is None else frame.pixels


@pytest.mark.parametrize("name", list(TITLES))
def test_shipped_layers_are_what_the_program_renders(name: str, tracer: Renderer) -> None:
    path = FOLDER / f"{name}.exr"
    assert path.stat().st_size <= LARGEST_BYTES
    layers, document = read_layers(path), demo_document(name)
    scene = place_in_world(read_file(Path(str(document.stage.scene_file))), document.stage)
    height, width = layers.depth.shape
    film = Film(width // 8, height // 8)
    lights = environment_from_document(document, dome_from_document(document), None)
    camera = camera_from_view(document.stage.view)
    assert tracer.accumulate(film, build_stage(document, scene), lights, camera, 16, 12)
    for light in LIGHT_LAYERS:
        traced = float((film.mean(light) @ AP1_LUMINANCE).mean())
        if light not in layers.lights:
            assert traced == 0.0
            continue
        stored = float((layers.lights[light] @ AP1_LUMINANCE).mean())
        # 16 samples of 6 000 pixels err by about 1 %; lamps met by chance have heavy tails
        assert stored == pytest.approx(traced, rel=0.15 if light == "lamps" else 0.04), light
    small = (
        layers.albedo[: height // 8 * 8, : width // 8 * 8]
        .reshape(height // 8, 8, width // 8, 8, 3)
        .mean((1, 3))
    )
    assert np.median(np.abs(small - film.mean("albedo"))) < 0.02


@pytest.mark.parametrize("name", list(TITLES))
def test_fill_and_exposure_work_on_the_shipped_picture(name: str) -> None:
    document = demo_document(name).change("expose", metering="manual", ev=12.0)
    plain = shown(document)
    assert plain is not None and 40.0 < plain[..., :3].mean() < 250.0
    dim = shown(document.change("expose", ev=14.0))
    no_sun = shown(document.change("fill", sun_stops=-6.0))
    assert dim is not None and dim[..., :3].mean() < plain[..., :3].mean() - 20.0
    assert no_sun is not None and no_sun[..., :3].mean() < plain[..., :3].mean()
    assert not np.array_equal(no_sun, dim)


def test_it_is_shown_only_in_the_demos_own_light() -> None:
    document = demo_document()
    assert shown(document) is not None
    assert shown(document.change("stage", quality="final")) is not None
    for moved in (
        document.change("sun", north_deg=3.0),
        document.change("air", turbidity=3.0),
        document.change("site", latitude_deg=50.0),
        document.change("stage.view", fov_deg=40.0),
        document.change("stage.plaster", on=True),
        document.change("output", width=1000, height=1000),
        document.change("stage", scene_file="/elsewhere.glb"),
    ):
        assert shown(moved) is None


def test_the_first_picture_needs_no_kernel() -> None:
    script = """
import sys
from gloamet.preview.shipped_picture import shipped_frame
from gloamet.preview.events import Failed, Frame
from gloamet.preview.requests import RenderRequest
from gloamet.document.demo import demo_document
assert shipped_frame(RenderRequest(demo_document(), 744, 520)) is not None
print([name for name in ("numba", "llvmlite", "pyoidn") if name in sys.modules])
"""
    ran = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, timeout=60, check=True
    )
    assert ran.stdout.strip() == "[]"


def test_layers_that_cannot_be_read_are_told_and_the_picture_comes_all_the_same(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr("gloamet.preview.shipped_picture.FOLDER", tmp_path)  # nothing is there
    events: queue.Queue[object] = queue.Queue()
    worker = RenderWorker(events.put)
    worker.request(demo_document("product").change("output", samples=1), 96, 64)
    seen: list[object] = []
    while not (seen and isinstance(seen[-1], Frame) and seen[-1].exact):
        seen.append(events.get(timeout=90))
    said = [event.sentence for event in seen if isinstance(event, Failed)]
    assert len(said) == 1 and "product.exr could not be read" in said[0]
    worker.close()
