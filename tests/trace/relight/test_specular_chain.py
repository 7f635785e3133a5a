# SPDX-License-Identifier: Apache-2.0
"""Chains of mirrors, panes and holes against Fresnel's formula and the angles of mirrors."""

from __future__ import annotations

import math

import numpy as np
import pytest
from numba import njit

from gloamet.stage.scene import Material, Scene, Texture
from gloamet.trace.geometry.embree import CAMERA_MASK
from gloamet.trace.geometry.records import Ray
from gloamet.trace.relight.specular_chain import AHEAD, ESCAPED, HIT, trace_specular_chain
from gloamet.trace.render_scene import build_render_scene
from gloamet.trace.surfaces.materials import TEXTURE_TO_AP1
from tests.conftest import level, make_scene

F = np.float32
DOWN = (0.0, 0.0, -1.0)
FLOOR = Material("floor", (0.5, 0.5, 0.5))
PANE = Material("pane", (0.9, 0.9, 0.9), 0.0, 0.0, 1.0)
SLANTED = (math.sin(math.radians(50.0)), 0.0, -math.cos(math.radians(50.0)))


@njit
def _chain(scene, mask, state, ray, out):  # type: ignore[no-untyped-def]
    end = trace_specular_chain(scene, mask, state, ray)
    out[0], out[1] = end.kind, end.material
    out[2], out[3], out[4] = end.weight
    out[5], out[6], out[7] = end.direction
    out[8], out[9], out[10] = end.position
    out[11] = end.reflection.weight
    out[12], out[13], out[14] = end.reflection.ray.direction


def chain(scene: Scene, direction: tuple[float, ...], state: int = 0, height: float = 10.0) -> np.ndarray:
    """Kind, material, weight, direction, position, and the first reflection's weight and direction."""
    start = (-direction[0] / -direction[2] * height, 0.0, height)  # towards the middle of the floor
    ray = Ray(tuple(F(v) for v in start), tuple(F(v) for v in direction))  # type: ignore[arg-type]
    built, out = build_render_scene(scene), np.zeros(15)
    _chain(built.arrays(), np.int32(CAMERA_MASK), np.uint64(state), ray, out)
    return out


def glass_faces(cosine: float, ior: float = 1.5) -> float:
    """Share that a sheet reflects by Fresnel, its two faces and all between them."""
    sine = math.sqrt(1.0 - cosine**2) / ior
    inside = math.sqrt(1.0 - sine**2)
    s = ((cosine - ior * inside) / (cosine + ior * inside)) ** 2
    p = ((inside - ior * cosine) / (inside + ior * cosine)) ** 2
    face = 0.5 * (s + p)
    return 2.0 * face / (1.0 + face)


def test_a_matt_floor_ends_the_chain_where_it_is_met_and_the_sky_lets_it_go() -> None:
    found = chain(make_scene((level(50.0), FLOOR)), SLANTED)
    assert found[0] == HIT and found[2:5].tolist() == [1.0, 1.0, 1.0] and found[11] == 0.0
    assert (
        found[8:11] == pytest.approx([0.0, 0.0, 0.0], abs=1e-2) and found[10] > 0.0
    )  # off it, on the viewer's side
    away = chain(make_scene((level(0.01, -900.0), FLOOR)), SLANTED)
    assert away[0] == ESCAPED and away[5:8] == pytest.approx(SLANTED)


@pytest.mark.parametrize("angle_deg", [0.5, 50.0, 75.0])
def test_a_pane_lets_through_and_reflects_by_fresnel(angle_deg: float) -> None:
    a = math.radians(angle_deg)
    direction = (math.sin(a), 0.0, -math.cos(a))
    found = chain(make_scene((level(50.0), FLOOR), (level(50.0, 2.0), PANE)), direction)
    fraction = glass_faces(math.cos(a))
    assert found[0] == HIT and found[1] == 0.0
    assert found[2:5] == pytest.approx([0.9 * (1.0 - fraction)] * 3, rel=1e-3)
    assert found[11] == pytest.approx(fraction, rel=1e-3)
    assert found[12:15] == pytest.approx([direction[0], 0.0, -direction[2]], abs=1e-5)


def test_a_second_pane_is_taken_to_reflect_what_lies_ahead() -> None:
    panes = ((level(50.0), FLOOR), (level(50.0, 2.0), PANE), (level(50.0, 4.0), PANE))
    found, fraction = chain(make_scene(*panes), DOWN), glass_faces(1.0)
    # the tint of both, the loss of the first alone
    assert found[2:5] == pytest.approx([0.81 * (1.0 - fraction)] * 3, rel=1e-3)
    assert found[11] == pytest.approx(fraction, rel=1e-3)


def test_chosen_at_random_the_shares_come_out_on_average() -> None:
    built = build_render_scene(make_scene((level(50.0), FLOOR), (level(50.0, 2.0), PANE)))
    scene = built.arrays()
    ray = Ray((F(0.0), F(0.0), F(10.0)), tuple(F(v) for v in SLANTED))  # type: ignore[arg-type]
    out, ends = np.zeros(15), []
    for state in np.random.default_rng(3).integers(1, 2**63, 4000, dtype=np.uint64):
        _chain(scene, np.int32(CAMERA_MASK), state, ray, out)
        ends.append(out.copy())
    found, fraction = np.array(ends), glass_faces(-SLANTED[2])
    escaped = found[:, 0] == ESCAPED
    assert escaped.mean() == pytest.approx(
        fraction, abs=4.0 * math.sqrt(fraction / 4000)
    )  # four standard errors
    assert found[escaped, 2:5] == pytest.approx(np.ones((escaped.sum(), 3)))
    # light that is let through counts as much more as it is chosen more rarely
    assert found[~escaped, 2] == pytest.approx(np.full((~escaped).sum(), 0.9), rel=1e-4)
    assert AHEAD == 0


@pytest.mark.parametrize("angle_deg", [0.5, 50.0])
def test_a_metal_mirror_throws_on_and_whitens_towards_the_rim(angle_deg: float) -> None:
    a = math.radians(angle_deg)
    direction = (math.sin(a), 0.0, -math.cos(a))
    mirror = Material("mirror", (0.8, 0.6, 0.4), 0.0, 1.0)
    found = chain(make_scene((level(50.0), mirror)), direction)
    colour = TEXTURE_TO_AP1 @ np.array([0.8, 0.6, 0.4])
    schlick = (1.0 - math.cos(a)) ** 5  # Schlick 1994
    assert found[0] == ESCAPED
    assert found[2:5] == pytest.approx(colour + (1.0 - colour) * schlick, abs=2e-3)
    assert found[5:8] == pytest.approx([direction[0], 0.0, -direction[2]], abs=1e-5)


def test_two_mirrors_that_face_each_other_are_given_up() -> None:
    mirror = Material("mirror", (0.8, 0.8, 0.8), 0.0, 1.0)
    found = chain(make_scene((level(50.0), mirror), (level(50.0, 20.0), mirror)), DOWN)
    assert found[0] == HIT
    # three of them; the fourth is taken for a surface under a gloss of 4 %
    assert found[2] == pytest.approx(0.8**3 * 0.96, rel=1e-3)
    assert found[11] == pytest.approx(0.8**3 * 0.04, rel=1e-2)


def test_a_gloss_and_a_coat_reflect_beside_what_lies_under_them() -> None:
    sharp = chain(make_scene((level(50.0), Material("tile", (0.5, 0.5, 0.5), 0.0))), DOWN)
    assert sharp[11] == pytest.approx(0.04, rel=0.01) and sharp[2] == pytest.approx(0.96, rel=1e-3)
    coated = chain(make_scene((level(50.0), Material("c", (0.5, 0.5, 0.5), 1.0, coat=0.5))), DOWN)
    assert coated[11] == pytest.approx(0.5 * 0.04, rel=0.01)  # index 1.5
    dull = chain(make_scene((level(50.0), Material("d", (0.5, 0.5, 0.5), 0.5))), DOWN)
    assert dull[11] == 0.0 and dull[2] == 1.0


@pytest.mark.parametrize(("alpha", "material"), [(255, 1.0), (0, 0.0)])
def test_a_chain_goes_through_a_hole(alpha: int, material: float) -> None:
    pixels = np.full((2, 2, 4), 255, np.uint8)
    pixels[..., 3] = alpha
    leaf = Material("leaf", (0.5, 0.5, 0.5), base_texture=0, alpha_cutoff=0.5)
    scene = make_scene((level(50.0), FLOOR), (level(50.0, 2.0), leaf))
    scene = Scene(None, scene.parts, scene.materials, (Texture("t", pixels),))
    found = chain(scene, SLANTED)
    assert found[0] == HIT and found[1] == material


@pytest.mark.parametrize(
    ("tile", "fraction"),
    [
        (Material("tile", (0.5, 0.5, 0.5), 0.0), 0.04),  # index 1.5 straight on
        (Material("coated", (0.5, 0.5, 0.5), 1.0, coat=1.0), 0.04),
        (Material("dull", (0.5, 0.5, 0.5), 1.0), 0.0),
    ],
)
def test_a_gloss_is_followed_as_often_as_it_reflects(tile: Material, fraction: float) -> None:
    built = build_render_scene(make_scene((level(50.0), tile)))
    scene, ray = built.arrays(), Ray((F(0.0), F(0.0), F(10.0)), (F(0.0), F(0.0), F(-1.0)))
    out, away = np.zeros(15), 0
    for state in np.random.default_rng(5).integers(1, 2**63, 6000, dtype=np.uint64):
        _chain(scene, np.int32(CAMERA_MASK), state, ray, out)
        away += out[0] == ESCAPED
        assert out[2] == 1.0  # as many ways as there is light: none counts more
    assert away / 6000 == pytest.approx(fraction, abs=4.0 * math.sqrt(fraction / 6000) + 1e-9)
