# SPDX-License-Identifier: Apache-2.0
"""Small pictures of one stage in many lights: as the exact ones are, and quick to ask for again."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.document.model import Document
from gloamet.preview.suggest import candidates, suggest
from gloamet.preview.thumbnail_renderer import ThumbnailRenderer
from gloamet.stage.assembly import place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Renderer
from gloamet.translation.document_to_light import build_stage, sun_from_document
from tests.desk_fixtures import HOUSE_OBJ

SIZE = (96, 64)


@pytest.fixture
def house(tmp_path: Path) -> Path:
    """A box on a plane, Z up."""
    path = tmp_path / "house.obj"
    path.write_text(HOUSE_OBJ)
    return path


@pytest.fixture(scope="module")
def tracer() -> Renderer:
    return Renderer()


def table_of(path: Path, renderer: Renderer) -> tuple[Document, ThumbnailRenderer]:
    document = Document().change("stage", scene_file=str(path), up="z")
    document = document.change("stage.view", eye=(9.0, -9.0, 4.0), target=(0.0, 0.0, 1.0))
    scene = place_in_world(read_file(path), document.stage)
    return document, ThumbnailRenderer(document, build_stage(document, scene), SIZE, renderer, lambda: False)


def test_a_relit_picture_has_the_light_of_a_traced_one(house: Path, tracer: Renderer) -> None:
    document, table = table_of(house, tracer)
    relit = table.picture(document)
    # another view of the same stage cannot be relit: the same camera, a hair farther, is traced
    eye = tuple(np.array(document.stage.view.eye) * 1.0001)
    traced = table.picture(document.change("stage.view", eye=eye))
    assert relit is not None and traced is not None
    assert relit.pixels.shape == traced.pixels.shape == (SIZE[1], SIZE[0], 4)
    means = [float((p.light @ AP1_LUMINANCE).mean()) for p in (relit, traced)]
    assert means[0] == pytest.approx(means[1], rel=0.05)  # 24 samples, cleaned
    assert relit.ev == pytest.approx(traced.ev, abs=0.15)
    assert relit.reading == traced.reading


def test_another_light_is_another_picture_at_its_own_exposure(house: Path, tracer: Renderer) -> None:
    document, table = table_of(house, tracer)
    day = table.picture(document)
    low = table.picture(document.change("sun", mode="manual", elevation_deg=4.0))
    assert day is not None and low is not None
    assert day.ev - low.ev > 1.0
    half = table.picture(document.change("fill", sun_stops=-1.0, sky_stops=-1.0, lamps_stops=-1.0))
    assert half is not None
    assert day.ev - half.ev == pytest.approx(1.0, abs=0.02)
    told = table.picture(document, with_sun=True)
    assert told is not None and told.sun is not None
    assert 0.0 < float(told.sun.mean()) < float(day.light.mean())
    assert day.sun is None


def test_candidates_stand_all_round_the_camera_and_suggestions_have_reasons(
    house: Path, tracer: Renderer
) -> None:
    document, table = table_of(house, tracer)
    lights = candidates(document, 30.0)
    suns = [sun_from_document(light.document) for light in lights]
    assert len({round((azimuth - 30.0) / 30.0) % 12 for azimuth, _ in suns}) >= 10
    assert min(height for _, height in suns) == pytest.approx(-4.0, abs=0.05)
    real = [light for light in lights if light.real is not None]
    assert len(real) > len(lights) / 4
    for light in real:  # the clock says when, and the sun stands there
        assert light.document.sun.mode == "almanac"
        assert light.real is not None
        assert light.document.sun.wall_time == light.real.replace(tzinfo=None)
    fractions: list[float] = []
    found = suggest(document, table, 4, fractions.append)
    assert len(found) == 4 and fractions[-1] == 1.0
    assert all(s.reason and s.picture.pixels.shape[2] == 4 for s in found)
    assert all(s.real is not None for s in found)  # there are enough that happen at the place
    assert all(s.delta_e > 2.0 for s in found)  # and none looks like another
