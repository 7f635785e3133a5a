# SPDX-License-Identifier: Apache-2.0
"""The meter of a view: cards on the surfaces that spots show, measured again only when something changed."""

from __future__ import annotations

import math

import numpy as np
import pytest
from pydantic import ValidationError

from gloamet.colour.spaces import luminance
from gloamet.document.fill import FillState, SpotState
from gloamet.light_layers import LIGHT_LAYERS
from gloamet.meter.card_light import CardLight
from gloamet.preview.events import MeterRead
from gloamet.preview.relighting import RelightView
from gloamet.preview.scene_meter import SceneMeter, read_meter, read_spots
from gloamet.sky.air import Air
from gloamet.sky.dome import uniform_dome
from gloamet.sky.sky_solver import SkySolver
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.film import Renderer
from gloamet.trace.lights.environment import Environment, build_environment
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import level, make_scene, quad

BLACK = Material("black", (0.0, 0.0, 0.0))
DOWN, WALL, SKY = SpotState(x=0.5, y=0.9), SpotState(x=0.5, y=0.45), SpotState(x=0.02, y=0.02)


def lux(card: CardLight, name: str, k: int) -> float:
    return float(luminance(card.whole[k, LIGHT_LAYERS.index(name)].astype(float)))


@pytest.fixture(scope="module")
def view() -> RelightView:
    """Towards a black wall, 8 m wide and 4 high, that stands on black ground."""
    wall = quad((-4, 0, 0), (4, 0, 0), (4, 0, 4), (-4, 0, 4))
    scene = build_render_scene(make_scene((level(500.0), BLACK), (wall, BLACK)))
    return RelightView(scene, Camera(eye=(0.0, -9.0, 2.0), target=(0.0, 0.0, 2.0), fov_deg=60.0), 96, 64)


@pytest.mark.proof("A card on a picked surface", source="E and E / 2 of an even sky", kind="physics")
def test_cards_lie_on_what_spots_show(view: RelightView, tracer: Renderer) -> None:
    # far from the wall the ground sees nearly all of an even sky of luminance L, pi L; the wall half of it
    lights = build_environment(uniform_dome(1000.0))
    spots = read_spots(view, lights, (DOWN, WALL, SKY), 8, tracer)
    whole = 3.14159 * 1000.0
    assert lux(spots, "sky", 1) == pytest.approx(0.5 * whole, rel=0.02)
    # the wall, six metres off and four high, takes (1 - cos(atan(4 / 6))) / 2 = 8 % of it if it had no end
    assert 0.90 * whole < lux(spots, "sky", 0) < 0.97 * whole
    assert not spots.whole[2].any()  # no surface, no light


def test_the_sun_on_a_wall_falls_off_with_its_cosine(
    view: RelightView, tracer: Renderer, solver: SkySolver
) -> None:
    dome = solver.dome(Air(2.6), 180.0, 40.0)
    lights: Environment = build_environment(dome)
    spots = read_spots(view, lights, (DOWN, WALL), 8, tracer)
    # ground sin 40 degrees, a wall that faces the sun's bearing cos 40
    assert lux(spots, "sun", 1) / lux(spots, "sun", 0) == pytest.approx(0.76604 / 0.64279, rel=0.01)


def test_a_spot_that_moves_is_read_alone_and_nothing_twice(
    view: RelightView, tracer: Renderer, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[MeterRead] = []
    meter, lights = SceneMeter(told.append), build_environment(uniform_dome(1000.0))
    arguments = view, lights, "this light", 8, tracer
    meter.update(*arguments, FillState(spots=(DOWN,)))
    meter.update(*arguments, FillState(spots=(DOWN.model_copy(update={"name": "another name"}),)))
    assert len(told) == 1
    meter.update(*arguments, FillState(spots=(WALL,)))
    assert len(told) == 2
    assert told[1].cards is told[0].cards
    assert told[1].spots is not None and told[0].spots is not None
    assert lux(told[1].spots, "sky", 0) < lux(told[0].spots, "sky", 0)
    meter.update(view, lights, "another light", 8, tracer, FillState(spots=(WALL,)))
    assert told[2].cards is not told[1].cards


@pytest.mark.parametrize("metres", [-1e7, 1e7])
def test_cards_at_the_ends_of_what_a_project_allows_are_read(
    view: RelightView, tracer: Renderer, metres: float
) -> None:
    lights = build_environment(uniform_dome(1000.0))
    read = read_meter(view, lights, 8, tracer, (metres, metres, 1e7))
    assert read.position == (metres, metres, 1e7)
    for light in (*read.cards, *read.ball, read.mirror):
        assert np.isfinite(light).all() and (light >= 0.0).all()
    # nothing stands between so high a card and the sky: pi times 1000 cd/m2
    assert lux(read.cards, "sky", 0) == pytest.approx(math.pi * 1000.0, rel=0.02)


@pytest.mark.parametrize("metres", [math.nan, math.inf, 1.1e7])
def test_a_card_position_that_is_no_place_is_refused(metres: float) -> None:
    with pytest.raises(ValidationError):
        FillState(card_position=(0.0, metres, 0.0))
