# SPDX-License-Identifier: Apache-2.0
"""The import sheet's drawing: a person of 1.75 m beside the model, to one scale."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.desk.files.silhouette import PERSON_RGB, silhouette
from gloamet.stage.scene import Material
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import box, make_scene

GREY = Material("grey", (0.5, 0.5, 0.5))
LINE = 0.94


def drawn(size: tuple[float, float, float]) -> tuple[np.ndarray, np.ndarray]:
    """Where the model is and where the person is."""
    scene = make_scene((box((0, 0, 0), size), GREY))
    pixels = silhouette(build_render_scene(scene), scene.subject_bounds(), 516, 300, LINE)
    person = (pixels[..., :3] == PERSON_RGB).all(-1) & (pixels[..., 3] > 0)
    return (pixels[..., 3] > 0) & ~person, person


@pytest.mark.parametrize("high", [0.8, 3.5, 7.0])
def test_model_and_person_are_drawn_to_one_scale_on_one_line(high: float) -> None:
    model, person = drawn((4.0, 2.0, high))
    rows = [np.flatnonzero(part.any(1)) for part in (model, person)]
    heights = [r[-1] - r[0] + 1 for r in rows]
    assert heights[0] / heights[1] == pytest.approx(high / 1.75, rel=0.06)
    assert abs(int(rows[0][-1]) - int(rows[1][-1])) <= 3
    assert rows[0][-1] == pytest.approx(LINE * 300, abs=3)
    # the person stands beside the model, to its left, and both are inside the picture
    assert np.flatnonzero(person.any(0))[-1] < np.flatnonzero(model.any(0))[0]
    assert not model[:, -1].any()
    assert rows[0][0] > 0


def test_beside_a_very_large_model_the_person_is_a_dot() -> None:
    model, person = drawn((900.0, 300.0, 60.0))
    assert 0 < person.sum() < 80
    assert model.sum() > 1000
