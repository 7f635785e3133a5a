# SPDX-License-Identifier: Apache-2.0
"""Walks from points on surfaces: where they come, and what they note of what they meet."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import REC709_TO_AP1
from gloamet.stage.scene import Material
from gloamet.trace.relight import final_gather as gather
from gloamet.trace.relight import points as p
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import level, make_scene

WALKS = 20_000


def test_walks_fall_by_the_cosine_and_note_the_surface_they_meet() -> None:
    colour, rough, metal, translucent = (0.6, 0.3, 0.2), 0.4, 0.25, 0.1
    lacquer = Material("lacquer", colour, rough, metal, diffuse_transmission=translucent)
    scene = build_render_scene(make_scene((level(4000.0), lacquer)))
    ceiling = np.zeros((WALKS, p.POINT_WORDS), np.float32)
    ceiling[:, p.POINT_POSITION + 2], ceiling[:, p.POINT_NORMAL + 2] = 1.0, -1.0
    hits = np.full((WALKS, 2, gather.HIT_WORDS), 7.0, np.float32)
    met = np.empty((WALKS, 2), np.int32)
    gather.random_walk(scene.arrays(), ceiling, np.arange(WALKS, dtype=np.int32), 0, WALKS, 2, 5, hits, met)
    assert (met[:, 0] == met[0, 0]).all() and met[0, 0] >= 0
    assert (met[:, 1] == -1).all()  # from the floor there is only sky
    noted = hits[:, 0]
    away = np.hypot(*noted[:, gather.HIT_POSITION : gather.HIT_POSITION + 2].T.astype(float))
    # Lambert's law: a quarter of the light falls within 30 degrees of straight down, half within 45
    for degrees, fraction in ((30.0, 0.25), (45.0, 0.5), (60.0, 0.75)):
        spread = np.sqrt(fraction * (1.0 - fraction) / WALKS)
        assert np.mean(away < np.tan(np.radians(degrees))) == pytest.approx(fraction, abs=4.0 * spread)
    turn = np.arctan2(*noted[:, gather.HIT_POSITION : gather.HIT_POSITION + 2].T)
    assert abs(np.exp(1j * turn).mean()) < 4.0 / np.sqrt(WALKS)  # none more than another
    near = away < 50.0
    for position, wanted in (
        (gather.HIT_POSITION + 2, [0.0]),
        (gather.HIT_NORMAL, [0.0, 0.0, 1.0]),
        (gather.HIT_ALBEDO, REC709_TO_AP1 @ np.array(colour)),
        (gather.HIT_SPECULAR, [1.0 - metal]),
        (gather.HIT_ALPHA, [rough**2]),
        (gather.HIT_TRANSLUCENCY, [translucent]),
        (gather.HIT_ON_GROUND, [0.0]),
    ):
        found = noted[near, position : position + len(wanted)]
        assert found == pytest.approx(np.broadcast_to(wanted, found.shape), abs=2e-3), position
