# SPDX-License-Identifier: Apache-2.0
"""The meter in the scene: cards and balls at the centre of the view, measured once per view and light.

A view, its lights and the threads enter; a `MeterRead` leaves with every source apart, so that gains need no ray.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from gloamet.document.fill import FillState, SpotState
from gloamet.light_layers import LIGHT_LAYERS
from gloamet.meter.card_light import BALL_PX, CardLight, ball_pixels
from gloamet.meter.cards import CARD_BOUNCES, measure_cards, radiance_along
from gloamet.preview.events import MeterRead
from gloamet.preview.relighting import RelightView
from gloamet.trace.film import Renderer
from gloamet.trace.first_hits import probe
from gloamet.trace.lights.environment import Environment

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
CARD_SAMPLES, BALL_SAMPLES, MIRROR_SAMPLES = 1024, 32, 8
# places of the picture that are tried for the card, the middle first
PLACES = sorted(
    ((0.5 + 0.08 * i, 0.5 + 0.1 * j) for i in range(-4, 5) for j in range(-3, 5)),
    key=lambda position: math.hypot(position[0] - 0.5, position[1] - 0.5),
)
FARTHEST_M = 400.0  # no card hangs beyond
NEARER, LEAST_NEARER_M = 0.03, 0.05  # the card hangs before what is seen, by a fraction of its distance
OFF_SURFACE_M = 1e-3  # of a card that is laid on a surface
MANY_BOUNCES = 24  # beside which light that is still under way is counted


def card_position(view: RelightView, lights: Environment) -> Array:
    """Before what stands in the sun nearest to the middle of the picture, as a photographer holds a meter into the key;
    where nothing does, before what the middle shows, or at the camera's target where that is the sky."""
    eye, target = np.array(view.camera.eye, float), np.array(view.camera.target, float)
    sun = np.array(lights.sun.direction, float)
    shines = any(lights.sun.irradiance)
    first = None
    for x, y in PLACES:
        towards = np.array(view.camera.ray(x, y, view.width / view.height), float)
        hit = probe(view.compiled, eye, towards)
        if hit is None:
            continue
        far = float(np.linalg.norm(hit.point - eye))
        position = np.asarray(hit.point - towards * min(0.5 * far, NEARER * far + LEAST_NEARER_M))
        first = position if first is None else first
        if not shines:
            break
        if far < FARTHEST_M and probe(view.compiled, position, sun) is None:
            return position
    return target if first is None else first


def read_meter(
    view: RelightView,
    lights: Environment,
    bounces: int,
    renderer: Renderer,
    placed: tuple[float, float, float] | None = None,
) -> MeterRead:
    """Measure cards and balls of a view, where they are placed (metres), else near its centre."""
    position = card_position(view, lights) if placed is None else np.array(placed, float)
    ahead, up, right = _camera_frame(view)
    sun = np.array(lights.sun.direction, float)
    facing = np.stack([[0.0, 0.0, 1.0], -ahead, sun / max(float(np.linalg.norm(sun)), 1e-9)])
    where = np.broadcast_to(position, (3, 3))
    pool, limit = renderer.pool, max(1, bounces)
    cards = measure_cards(view.compiled, lights, where, facing, CARD_SAMPLES, pool, max(limit, CARD_BOUNCES))
    inside, normals = ball_pixels()
    of_world = normals @ np.stack([right, up, -ahead])
    points = np.broadcast_to(position, of_world.shape)
    ball = measure_cards(view.compiled, lights, points, of_world, BALL_SAMPLES, pool)
    # seen from far off, a mirror ball shows in each normal what lies there twice as far from the eye
    seen = ahead - 2.0 * (of_world @ ahead)[:, None] * of_world
    mirror = radiance_along(view.compiled, lights, points, seen, MIRROR_SAMPLES, pool)
    return MeterRead(
        (float(position[0]), float(position[1]), float(position[2])),
        cards,
        CardLight(_smooth(ball.whole, inside), _smooth(ball.indirect, inside)),
        mirror,
        _in_flight(view, lights, position, -ahead, limit, renderer),
    )


def _camera_frame(view: RelightView) -> tuple[Array, Array, Array]:
    """Unit vectors ahead, up and to the right of a camera."""
    towards = np.array(view.camera.target, float) - np.array(view.camera.eye, float)
    ahead = towards / max(float(np.linalg.norm(towards)), 1e-9)
    right = np.cross(ahead, [0.0, 0.0, 1.0] if abs(ahead[2]) < 0.999 else [0.0, 1.0, 0.0])
    right /= np.linalg.norm(right)
    return ahead, np.cross(right, ahead), right


def _in_flight(
    view: RelightView, lights: Environment, position: Array, facing: Array, limit: int, renderer: Renderer
) -> float:
    """Fraction of the light on a card that comes by more bounces than the limit."""
    if limit >= MANY_BOUNCES:
        return 0.0
    arguments = view.compiled, lights, position[None], facing[None], CARD_SAMPLES, renderer.pool
    # the same paths, cut off: what is left is not random
    cut, whole = (float(measure_cards(*arguments, n).whole.sum()) for n in (limit, MANY_BOUNCES))
    return max(0.0, 1.0 - cut / whole) if whole > 0.0 and math.isfinite(whole) else 0.0


def _smooth(light: Floats, inside: NDArray[np.bool_]) -> Floats:
    """Light of the ball's pixels (n, ...) without the worst of its noise: means over nine pixels of the ball."""
    plane = np.zeros((*inside.shape, *light.shape[1:]), np.float32)
    plane[inside] = light
    weight = np.pad(inside.astype(np.float32), 1)
    wide = np.pad(plane, ((1, 1), (1, 1), (0, 0), (0, 0)))
    total, count = np.zeros_like(plane), np.zeros(inside.shape, np.float32)
    for dy in range(3):
        for dx in range(3):
            total += wide[dy : dy + BALL_PX, dx : dx + BALL_PX]
            count += weight[dy : dy + BALL_PX, dx : dx + BALL_PX]
    return np.asarray((total / np.maximum(count, 1.0)[..., None, None])[inside], np.float32)


def read_spots(
    view: RelightView, lights: Environment, spots: tuple[SpotState, ...], bounces: int, renderer: Renderer
) -> CardLight:
    """Measure a card on the surface that each spot of a view shows."""
    aspect = view.width / view.height
    light = CardLight(*np.zeros((2, len(spots), len(LIGHT_LAYERS), 3), np.float32))
    found = []
    for index, spot in enumerate(spots):
        towards = np.array(view.camera.ray(spot.x, spot.y, aspect), float)
        hit = probe(view.compiled, np.array(view.camera.origin(spot.x, spot.y, aspect), float), towards)
        if hit is not None:
            normal = np.asarray(hit.normal, float) * (-1.0 if np.dot(hit.normal, towards) > 0.0 else 1.0)
            found.append((index, hit.point + OFF_SURFACE_M * normal, normal))
    if found:
        rows, positions, normals = (np.array(column) for column in zip(*found, strict=True))
        arguments = view.compiled, lights, positions, normals, CARD_SAMPLES, renderer.pool
        cards = measure_cards(*arguments, max(bounces, CARD_BOUNCES))
        light.whole[rows], light.indirect[rows] = cards.whole, cards.indirect
    return light


class SceneMeter:
    """What was measured last, and of what."""

    def __init__(self, report: Callable[[MeterRead], None]) -> None:
        self._report = report
        self._read: tuple[object, MeterRead] | None = None
        self._spots: object = None

    def update(
        self,
        view: RelightView,
        lights: Environment,
        inputs: object,
        bounces: int,
        renderer: Renderer,
        fill: FillState,
    ) -> None:
        """Measure a view in its light, where that is not what was measured last; parallel views have no meter."""
        spots, placed = fill.spots, fill.card_position
        key, positions = (view, inputs, bounces, placed), tuple((spot.x, spot.y) for spot in spots)
        if view.camera.parallel_m > 0.0:
            return
        fresh = self._read is None or self._read[0] != key
        if self._read is not None and not fresh and positions == self._spots:
            return
        kept = None if self._read is None or fresh else self._read[1]
        read = read_meter(view, lights, bounces, renderer, placed) if kept is None else kept
        read = replace(read, spots=read_spots(view, lights, spots, bounces, renderer))
        self._read, self._spots = (key, read), positions
        self._report(read)
