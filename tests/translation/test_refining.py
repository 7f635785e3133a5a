# SPDX-License-Identifier: Apache-2.0
"""A kept picture refined: the same picture, with less noise."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import numpy as np
import pytest

from gloamet.develop.exact import develop_exact
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.output.keeping import Kept, Snapshot, add_layers, keep, kept_document, replace_picture
from gloamet.output.layers import layers_of_film, read_layers
from gloamet.output.light_file import read_light_file
from gloamet.trace.film import Film, Renderer
from gloamet.translation.document_to_picture import develop_settings
from gloamet.translation.refining import refined
from tests.desk_fixtures import HOUSE_OBJ

WHEN = datetime(2026, 5, 24, 9, 30)
SIZE = (60, 40)


@pytest.fixture
def kept(tmp_path: Path) -> Kept:
    """A grainy one, 14 EV."""
    (tmp_path / "house.obj").write_text(HOUSE_OBJ)
    document = Document().change("stage", scene_file=str(tmp_path / "house.obj"), up="z")
    document = document.change("output", samples=16, noise=0.0)
    light = np.full((SIZE[1] // 2, SIZE[0] // 2, 3), 300.0, np.float32)
    pixels = np.full((SIZE[1], SIZE[0], 4), 128, np.uint8)
    return keep(tmp_path / "p.kept", Snapshot(document, pixels, light, 1, 0.5, 14.0), WHEN)


def test_a_refined_picture_has_the_size_the_exposure_and_the_samples(kept: Kept, tracer: Renderer) -> None:
    fractions: list[float] = []
    finer = refined(kept, tracer, progress=lambda p: fractions.append(p.fraction))
    assert finer is not None
    assert finer.pixels.shape == (SIZE[1], SIZE[0], 4)
    assert (finer.samples, finer.ev) == (16, 14.0)
    assert fractions[-1] == pytest.approx(1.0)
    codes = 255.0 * develop_exact(finer.light, develop_settings(finer.document, kept.ev))
    assert np.abs(codes - finer.pixels[..., :3]).max() <= 0.51  # rounded to whole codes
    again = replace_picture(kept, finer)
    assert finer.layers is not None
    again = add_layers(again, finer.layers)
    assert (again.samples, again.when, again.missing, again.layered) == (16, WHEN, (), True)
    assert again.seconds > kept.seconds
    assert kept_document(again) == kept_document(kept)
    assert read_light_file(again.light).picture.shape == (SIZE[1], SIZE[0], 3)


def test_rendered_twice_it_is_the_same_within_noise(kept: Kept, tracer: Renderer) -> None:
    first, second = refined(kept, tracer), refined(kept, tracer)
    assert first is not None and second is not None
    # the box and the ground: two renders of 16 samples, cleaned, differ by far less than a stop in the mean
    ratio = first.light.mean() / second.light.mean()
    assert ratio == pytest.approx(1.0, rel=0.01)
    assert np.abs(first.pixels.astype(int) - second.pixels).mean() < 2.0


def test_kept_lights_apart_add_up_to_the_light(kept: Kept, tracer: Renderer) -> None:
    finer = refined(kept, tracer)
    assert finer is not None and finer.layers is not None
    add_layers(kept, finer.layers)
    read = read_layers(kept.layers)
    assert set(read.lights) == {"sun", "sky"}
    whole = sum(light.mean() for light in read.lights.values())
    # cleaning keeps the mean, and the file's own loss is one no eye sees
    assert whole == pytest.approx(finer.light.mean(), rel=0.03)


def test_layers_of_a_dark_light_are_left_out() -> None:
    film = Film(8, 6)
    film.layers["counts"][...] = 1
    film.layers["sky"][...] = 5.0
    assert set(layers_of_film(film).lights) == {"sky"}


def test_a_stop_leaves_nothing(kept: Kept, tracer: Renderer) -> None:
    assert refined(kept, tracer, stopped=lambda: True) is None


def test_a_model_that_is_gone_is_told(kept: Kept, tracer: Renderer, tmp_path: Path) -> None:
    (tmp_path / "house.obj").unlink()
    with pytest.raises(GloametError, match="not there"):
        refined(kept, tracer)


def test_a_picture_that_is_gone_is_told(kept: Kept, tracer: Renderer) -> None:
    kept.picture.unlink()
    with pytest.raises(GloametError, match=kept.picture.name):
        refined(kept, tracer)
