# SPDX-License-Identifier: Apache-2.0
"""What of a scene the sun can follow, still and along its motion."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gloamet.errors import GloametError
from gloamet.stage.camera import Camera
from gloamet.stage.placing import Placement, to_world_scene
from gloamet.stage.readers.gltf import read_gltf
from gloamet.stage.readers.progress import ProgressToken
from gloamet.stage.scene import Lamp, Motion, Scene
from gloamet.stage.sun_drivers import driven_direction, motion_span_s, sun_drivers
from gloamet.sun.position import direction


def pose(towards: np.ndarray) -> np.ndarray:
    """A matrix whose -Z looks along `towards`."""
    forward, right, up = Camera((0, 0, 0), tuple(towards)).frame()  # type: ignore[arg-type]
    matrix = np.eye(4)
    matrix[:3, 0], matrix[:3, 1], matrix[:3, 2] = right, up, -forward
    return matrix


DOWN = -direction(140.0, 35.0)
SCENE = Scene(
    None,
    (),
    (),
    views={"eye": Camera((0, 0, 0), (0, 10, 0))},
    lamps=(Lamp("key", "distant", direction=tuple(DOWN)), Lamp("bulb", "point")),
    motions={
        "swing": Motion(np.array([1.0, 3.0]), np.array([pose(-direction(a, 10.0)) for a in (90.0, 180.0)]))
    },
    empties={"swing": np.eye(4), "mark": pose(direction(200.0, 50.0))},
)


def test_lights_cameras_and_empties_can_lead_and_lamps_with_a_place_cannot() -> None:
    assert sun_drivers(SCENE) == {
        "key": "distant light",
        "eye": "camera",
        "swing": "moving empty",
        "mark": "empty",
    }


def test_the_sun_shines_along_a_light_and_stands_where_an_empty_points() -> None:
    assert driven_direction(SCENE, "key", "along") == pytest.approx(direction(140.0, 35.0))
    assert driven_direction(SCENE, "mark", "opposite") == pytest.approx(direction(200.0, 50.0))
    assert driven_direction(SCENE, "eye", "opposite") == pytest.approx([0.0, 1.0, 0.0])
    assert driven_direction(SCENE, "eye", "up") == pytest.approx([0.0, 0.0, 1.0])


def test_a_moving_one_is_followed_between_its_keys_and_held_at_its_ends() -> None:
    assert motion_span_s(SCENE, "swing") == (1.0, 3.0)
    more = Motion(
        np.array([1.0, 3.0, 7.5]), np.array([pose(-direction(a, 0.0)) for a in (90.0, 180.0, 120.0)])
    )
    longer = replace(SCENE, motions={"swing": more})
    assert motion_span_s(longer, "swing") == (1.0, 7.5)
    for time, azimuth in ((2.0, 135.0), (5.25, 150.0)):  # half-way between two keys, on the line between them
        assert driven_direction(longer, "swing", "along", time) == pytest.approx(
            direction(azimuth, 0.0), abs=1e-6
        )
    assert driven_direction(SCENE, "swing", "along", 2.0)[:2] == pytest.approx(
        direction(135.0, 0.0)[:2] * 0.99, abs=0.02
    )
    for time, azimuth in ((-5.0, 90.0), (1.0, 90.0), (3.0, 180.0), (99.0, 180.0)):
        assert driven_direction(SCENE, "swing", "along", time) == pytest.approx(
            direction(azimuth, 10.0), abs=1e-6
        )


def test_what_is_not_there_gets_one_sentence() -> None:
    with pytest.raises(GloametError, match="no “moonlamp” to drive the sun: there are key, eye, swing, mark"):
        driven_direction(SCENE, "moonlamp", "along")
    with pytest.raises(GloametError, match="has no up axis"):
        driven_direction(SCENE, "key", "up")


def test_an_empty_of_a_gltf_file_leads_in_the_worlds_axes(tmp_path: Path) -> None:
    # turned about X by 90 degrees, its -Z looks along the file's +Y, which is up
    half = np.sqrt(0.5)
    tree = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0, 1, 2]}],
        "nodes": [
            {"name": "pointer", "rotation": [half, 0, 0, half]},
            {"name": "holder", "children": []},
            {"name": "finger"},
        ],
        "skins": [{"joints": [2]}],
    }
    path = tmp_path / "marks.gltf"
    path.write_text(json.dumps(tree))
    scene = read_gltf(path, ProgressToken(), False)
    world = to_world_scene(scene, Placement("m", "y"))
    assert set(world.empties) == {"pointer"}
    assert driven_direction(world, "pointer", "opposite") == pytest.approx([0.0, 0.0, 1.0], abs=1e-6)


def test_the_up_of_a_moving_one_is_its_own_y() -> None:
    # what looks ten degrees down has its upper side eighty degrees up, leaning the way it looks
    first, last = direction(270.0, 80.0), direction(0.0, 80.0)
    middle = (first + last) / np.linalg.norm(first + last)
    for time, up in ((1.0, first), (2.0, middle), (3.0, last)):
        assert driven_direction(SCENE, "swing", "up", time) == pytest.approx(up, abs=1e-6)
