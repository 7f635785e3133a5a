# SPDX-License-Identifier: Apache-2.0
"""Where a model stands: units, axes, turns, guesses; and the artist's decisions applied to it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gloamet.document.model import Document
from gloamet.document.stage import CameraView, LampEdit, MaterialEdit, Prop
from gloamet.errors import GloametError
from gloamet.stage.assembly import (
    StageEdits,
    apply_edits,
    camera_from_view,
    edit_material_values,
    focal_mm,
    fov_of_focal,
    ground_from_stage,
    lumens,
    place_in_world,
    plaster_material,
)
from gloamet.stage.camera import Camera
from gloamet.stage.placing import Placement, guess_units, guess_up, size_warning, to_world, to_world_scene
from gloamet.stage.scene import Lamp, Material, Motion, Scene, Texture, make_shape, unique_name, usable
from tests.conftest import box, level, make_scene

GREY = Material("grey", (0.5, 0.5, 0.5))
HOUSE = make_scene((level(4.0), GREY), (box((-1, -2, 0), (1, 2, 3)), GREY))


def test_y_up_maps_x_to_east_and_minus_z_to_north() -> None:
    turn = to_world("y", "m")[:3, :3]
    assert turn @ [1, 0, 0] == pytest.approx([1, 0, 0])
    assert turn @ [0, 1, 0] == pytest.approx([0, 0, 1])
    assert turn @ [0, 0, -1] == pytest.approx([0, 1, 0])
    assert np.linalg.det(turn) == pytest.approx(1.0)
    with pytest.raises(GloametError, match="furlong"):
        to_world("z", "furlong")


@pytest.mark.parametrize(
    ("turn", "front"), [(0.0, (0, -1)), (90.0, (-1, 0)), (180.0, (0, 1)), (-90.0, (1, 0)), (45.0, None)]
)
def test_turning_is_clockwise_from_above(turn: float, front: tuple[int, int] | None) -> None:
    scene = to_world_scene(HOUSE, Placement(up="z", rotation_deg=turn))
    way = (scene.parts[1].matrix[:3, :3] @ [0, -1, 0])[:2]
    expected = front or (-math.sin(math.radians(turn)), -math.cos(math.radians(turn)))
    assert way == pytest.approx(expected, abs=1e-9)


def test_dropping_puts_the_lowest_point_at_zero_and_the_offset_comes_after() -> None:
    high = to_world_scene(HOUSE, Placement(up="z", offset=(0, 0, 7.0)))
    assert high.bounds()[0][2] == pytest.approx(7.0)
    low = to_world_scene(high, Placement(up="z", drop=True))
    assert low.bounds()[0][2] == pytest.approx(0.0)
    both = to_world_scene(high, Placement(up="z", drop=True, offset=(1.0, 2.0, 0.5)))
    assert both.bounds()[0] == pytest.approx([-3.0, -2.0, 0.5])


def test_views_lamps_and_motions_move_with_the_model() -> None:
    lamp = Lamp("bulb", "point", (0, 0, 2.0), (0, 1, 0), 10.0)
    motion = Motion(np.zeros(1), np.eye(4)[None])
    scene = replace(
        HOUSE, views={"front": Camera((0, -5, 1), (0, 0, 1))}, lamps=(lamp,), motions={"front": motion}
    )
    moved = to_world_scene(scene, Placement("cm", "z", 90.0, offset=(1.0, 0.0, 0.0)))
    assert moved.views["front"].eye == pytest.approx((1 - 0.05, 0, 0.01))
    assert moved.lamps[0].position == pytest.approx((1.0, 0.0, 0.02))
    assert moved.lamps[0].direction == pytest.approx((1.0, 0.0, 0.0), abs=1e-9)
    assert moved.motions["front"].matrices[0, :3, 3] == pytest.approx([1.0, 0.0, 0.0])


@given(st.floats(-180, 180), st.sampled_from(["m", "cm", "mm", "in", "ft"]), st.booleans())
def test_sizes_follow_the_unit_whatever_the_turn(turn: float, unit: str, drop: bool) -> None:
    scene = to_world_scene(HOUSE, Placement(unit, "z", turn, drop))
    metres = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}[unit]
    p = scene.parts[1].positions
    assert np.linalg.norm(p.max(0)[2] - p.min(0)[2]) == pytest.approx(3.0 * metres)
    span = np.linalg.norm(p[:, None] - p[None], axis=-1).max()
    assert span == pytest.approx(math.sqrt(4 + 16 + 9) * metres)


def test_a_model_out_of_reach_is_refused() -> None:
    with pytest.raises(GloametError, match="10 000 km"):
        to_world_scene(HOUSE, Placement(up="z", offset=(5e7, 0, 0)))


@pytest.mark.parametrize(("size", "unit"), [(12.0, "m"), (180.0, "m"), (900.0, "cm"), (12_000.0, "mm")])
def test_units_are_guessed_from_the_size_with_a_reason(size: float, unit: str) -> None:
    guess, why = guess_units(size)
    assert guess == unit
    assert "fits" in why


def test_the_up_axis_is_guessed_from_level_faces() -> None:
    assert guess_up(HOUSE)[0] == "z"
    turned = to_world_scene(HOUSE, Placement(up="z"))
    sideways = replace(
        turned,
        parts=tuple(replace(p, matrix=np.linalg.inv(to_world("y", "m")) @ p.matrix) for p in turned.parts),
    )
    assert guess_up(sideways)[0] == "y"
    assert guess_up(Scene(None, (), (GREY,)))[0] == "z"


@pytest.mark.parametrize(
    ("size", "word"),
    [
        ((12_000.0, 3.0, 3.0), "km"),
        ((0.01, 0.01, 0.005), "mm"),
        ((50.0, 50.0, 900.0), "times the height of a person"),
        ((9.0, 9.0, 4.0), None),
    ],
)
def test_implausible_sizes_are_said(size: tuple[float, float, float], word: str | None) -> None:
    warning = size_warning(np.array(size))
    assert (warning is None) == (word is None)
    assert word is None or (word in str(warning) and "unit" in str(warning))


def test_names_stay_unique_and_squeezed_matrices_are_useless() -> None:
    taken: dict[str, int] = {}
    assert [unique_name(n, taken) for n in ("a", "a", "a 2", "a")] == ["a", "a 2", "a 2 2", "a 3"]
    assert usable(np.eye(4))
    assert not usable(np.diag([1.0, 0.0, 1.0, 1.0]))
    assert not usable(np.full((4, 4), np.nan))


def test_shapes_lose_bad_triangles_and_unused_vertices() -> None:
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [np.nan, 0, 0], [9, 9, 9], [2, 0, 0]], float)
    faces = np.array([[0, 1, 2], [0, 1, 3], [0, 1, 5], [1, 1, 2]])
    shape = make_shape(points, faces, np.tile([0.0, 0.0, 2.0], (6, 1)))
    assert shape is not None
    assert shape.triangles.tolist() == [[0, 1, 2]]
    assert shape.bounds[1].tolist() == [1, 1, 0]
    assert shape.normals is not None
    assert shape.normals.tolist() == [[0, 0, 1]] * 3
    assert make_shape(points, faces[1:]) is None


# -- decisions


def test_edits_change_only_what_they_name() -> None:
    assert edit_material_values(GREY, MaterialEdit()) == GREY
    changed = edit_material_values(GREY, MaterialEdit(roughness=0.2, emission_cd_m2=100.0))
    assert changed.roughness == 0.2
    assert changed.base_colour == GREY.base_colour
    assert np.dot(changed.emission, [0.2126, 0.7152, 0.0722]) == pytest.approx(100.0)
    red = replace(GREY, emission=(10.0, 0.0, 0.0))
    assert edit_material_values(red, MaterialEdit(emission_cd_m2=5.0)).emission[1:] == (0.0, 0.0)
    assert (
        edit_material_values(replace(GREY, alpha_cutoff=0.5), MaterialEdit(alpha_cutoff=0.0)).alpha_cutoff
        is None
    )


def test_lumens_of_points_and_spots_are_their_candela_over_the_cone() -> None:
    point = Lamp("bulb", "point", intensity_cd=100.0)
    assert lumens(point) == pytest.approx(4 * math.pi * 100)
    # a spot with a hard edge of half angle a: 2 pi (1 - cos a) I
    spot = Lamp("spot", "spot", intensity_cd=100.0, full_deg=30.0, outer_deg=30.0)
    assert lumens(spot) == pytest.approx(2 * math.pi * (1 - math.cos(math.radians(30))) * 100)
    # glTF's KHR_lights_punctual: between the cones it falls as the square of a ramp in the cosine
    soft = Lamp("spot", "spot", intensity_cd=100.0, full_deg=20.0, outer_deg=50.0)
    inner, outer = math.cos(math.radians(20.0)), math.cos(math.radians(50.0))
    c = outer + (np.arange(20_000) + 0.5) / 20_000 * (1.0 - outer)
    ramp = np.clip((c - outer) / (inner - outer), 0.0, 1.0) ** 2
    assert lumens(soft) == pytest.approx(2 * math.pi * 100.0 * ramp.mean() * (1.0 - outer), rel=1e-4)
    scene = replace(HOUSE, lamps=(point,))
    stage = Document().change("stage", lamps={"bulb": LampEdit(lumens=800.0)}).stage
    assert lumens(apply_edits(scene, StageEdits.of(stage)).lamps[0]) == pytest.approx(800.0)


def test_plaster_replaces_opaque_keeps_glass_lamps_and_holes() -> None:
    glass = Material("glass", (0.9, 1.0, 0.9), 0.0, transmission=1.0)
    assert plaster_material(glass, 0.6, True).transmission == 1.0
    assert plaster_material(glass, 0.6, False) == Material("glass", (0.6, 0.6, 0.6))
    metal = Material("metal", (0.9, 0.5, 0.1), 0.1, 1.0, base_texture=0, normal_texture=1, coat=1.0)
    assert plaster_material(metal, 0.4, True) == Material("metal", (0.4, 0.4, 0.4), texture_strength=0.0)
    leaf = Material("leaf", (0.1, 0.5, 0.1), base_texture=0, alpha_cutoff=0.5, emission=(3.0, 3.0, 3.0))
    kept = plaster_material(leaf, 0.6, True)
    assert (kept.base_texture, kept.alpha_cutoff, kept.emission, kept.texture_strength) == (
        0,
        0.5,
        (3.0,) * 3,
        0.0,
    )


def test_muted_parts_are_gone_and_the_ground_does_not_move() -> None:
    stage = Document().change("stage", up="z", muted=("part 1",)).stage
    scene = place_in_world(HOUSE, stage)
    assert [p.name for p in apply_edits(scene, StageEdits.of(stage)).parts] == ["part 0"]
    assert (
        ground_from_stage(stage.ground, stage.muted, 0.2, scene).height_m
        == ground_from_stage(Document().stage.ground, (), 0.2, scene).height_m
    )


def test_focal_lengths_and_openings_follow_from_film_of_36_by_24() -> None:
    # a 24 mm lens sees 53.1 degrees upright, an 85 mm lens 16.1 (common practice)
    assert fov_of_focal(24.0) == pytest.approx(53.13, abs=0.01)
    assert fov_of_focal(85.0) == pytest.approx(16.07, abs=0.01)
    assert focal_mm(fov_of_focal(35.0)) == pytest.approx(35.0)
    view = CameraView(fov_deg=fov_of_focal(50.0), f_number=2.0, depth_of_field=True, focus_m=3.0)
    camera = camera_from_view(view)
    assert (camera.aperture_m, camera.focus_m) == (pytest.approx(0.025), 3.0)
    assert camera_from_view(view.model_copy(update={"depth_of_field": False})).aperture_m == 0.0


# -- props


def _grown(**values: object) -> Scene:
    prop = Prop(**{"name": "one", **values})  # type: ignore[arg-type]
    return apply_edits(Scene(None, (), ()), StageEdits.of(Document().change("stage", props=(prop,)).stage))


def test_a_tree_has_its_height_and_crown_and_stands_where_it_is_put() -> None:
    scene = _grown(height_m=9.0, extent_m=5.0, position=(3.0, 4.0, 0.5))
    low, high = scene.bounds()
    assert high[2] - 0.5 == pytest.approx(9.0, rel=0.15)
    assert (high - low)[:2] == pytest.approx([5.0, 5.0], rel=0.35)
    assert low[2] == pytest.approx(0.5, abs=0.3)
    assert 0.5 * (low + high)[:2] == pytest.approx([3.0, 4.0], abs=1.0)


def test_the_same_seed_grows_the_same_tree_and_another_another() -> None:
    a, b, c = (_grown(seed=s).parts[1].shape.positions for s in (4, 4, 5))
    assert (a == b).all()
    assert a.shape != c.shape or (a != c).any()


def test_denser_trees_have_more_leaves_and_bare_ones_none() -> None:
    counts = [len(_grown(density=d).parts[1].triangles) for d in (0.1, 0.5, 1.0)]
    assert counts == sorted(counts)
    assert counts[2] > 5 * counts[0]
    assert len(_grown(leafed=False).parts) == 1


@pytest.mark.parametrize("kind", ["tree", "screen", "figure", "mirror ball", "grey ball", "grey card"])
def test_every_kind_can_cast_without_being_seen_and_be_seen_without_casting(kind: str) -> None:
    unseen = _grown(kind=kind, visible=False)
    assert unseen.parts
    assert all(p.casts and not p.visible for p in unseen.parts)
    assert all(p.visible and not p.casts for p in _grown(kind=kind, casts_shadow=False).parts)
    assert _grown(kind=kind, casts_shadow=False, visible=False).parts == ()


def test_references_are_what_they_say() -> None:
    figure = _grown(kind="figure").bounds()
    assert figure[1][2] - figure[0][2] == pytest.approx(1.75, abs=0.03)
    card = _grown(kind="grey card")
    # 18 % card (common practice)
    assert card.materials[card.parts[0].material].base_colour == pytest.approx((0.18, 0.18, 0.18))
    mirror = _grown(kind="mirror ball")
    m = mirror.materials[mirror.parts[0].material]
    assert (m.metalness, m.roughness) == (1.0, 0.0)


def test_a_tree_in_a_plastered_scene_keeps_its_shade() -> None:
    prop = Prop(name="one")
    stage = Document().change("stage", props=(prop,)).change("stage.plaster", on=True).stage
    scene = apply_edits(
        Scene(None, (), (), (Texture("t", np.zeros((1, 1, 4), np.uint8)),)), StageEdits.of(stage)
    )
    assert {m.base_colour for m in scene.materials} == {(0.6, 0.6, 0.6)}
