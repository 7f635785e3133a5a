# SPDX-License-Identifier: Apache-2.0
"""Masks: where each kind covers, and what they make of light."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from gloamet.colour.spaces import AP1_LUMINANCE, AP1_TO_XYZ
from gloamet.colour.temperature import correlated_temperature
from gloamet.develop.links import Mask
from gloamet.develop.masks import NO_PLANES, MaskPlanes, light_masks, mask_weights

SHAPE = (120, 200)
HARD = {"softness": 0.0}


def light(value: float = 0.18) -> np.ndarray:
    return np.full((*SHAPE, 3), value, np.float32)


def covered(mask: Mask, planes: MaskPlanes = NO_PLANES) -> np.ndarray:
    return mask_weights(mask, SHAPE, planes)


def test_a_round_mask_covers_its_ellipse_and_turns_with_it() -> None:
    flat = Mask(x=0.5, y=0.5, width=1.0, height=0.4, **HARD)
    area = np.pi / 4.0 * (1.0 * 120) * (0.4 * 120)
    assert covered(flat).sum() == pytest.approx(area, rel=0.02)
    assert covered(flat)[60, 100 + 50] == 1.0
    assert covered(flat)[60 + 35, 100] == 0.0
    upright = replace(flat, rotation_deg=90.0)
    assert covered(upright)[60 + 50, 100] == 1.0
    assert covered(upright)[60, 100 + 35] == 0.0


def test_a_soft_border_fades_from_the_middle_out() -> None:
    soft = covered(Mask(softness=1.0))[60, 100:]
    assert soft[0] > 0.99
    assert (np.diff(soft) <= 0.0).all()
    assert 0.2 < soft[12] < 0.8


def test_a_gradient_is_whole_above_and_nothing_below_its_middle() -> None:
    weights = covered(Mask(kind="gradient", y=0.5, height=0.5))
    assert weights[5, 50] == 1.0
    assert weights[115, 50] == 0.0
    assert weights[59:61, 50].mean() == pytest.approx(0.5, abs=0.02)


def test_dabs_cover_where_they_were_painted() -> None:
    painted = Mask(kind="painted", strokes=((0.25, 0.25, 0.2), (0.75, 0.75, 0.1)), **HARD)
    weights = covered(painted)
    assert weights[30, 50] == weights[90, 150] == 1.0
    assert weights[60, 100] == weights[30, 150] == 0.0
    assert weights.sum() == pytest.approx(np.pi / 4.0 * (24.0**2 + 12.0**2), rel=0.08)


def test_an_inverted_mask_covers_the_rest() -> None:
    mask = Mask(softness=0.5)
    assert covered(mask) + covered(replace(mask, inverted=True)) == pytest.approx(np.ones(SHAPE))


def test_parts_and_materials_are_found_by_name() -> None:
    index = np.zeros(SHAPE, np.int32)
    index[:, 100:] = 1
    index[100:] = -2  # the ground
    planes = MaskPlanes(
        parts=index, part_names=("wall", "door"), materials=index, material_names=("paint", "oak")
    )
    door = covered(Mask(kind="part", target="door", **HARD), planes)
    oak = covered(Mask(kind="material", target="oak", **HARD), planes)
    assert (door == oak).all()
    assert door[50, 150] == 1.0
    assert door[50, 50] == door[110, 150] == 0.0
    assert not covered(Mask(kind="part", target="roof"), planes).any()


def test_a_distance_mask_covers_from_near_to_far_and_the_sky_is_beyond_all() -> None:
    depth = np.repeat(np.linspace(1.0, 100.0, SHAPE[1], dtype=np.float32)[None], SHAPE[0], 0)
    depth[:10] = 0.0  # sky
    mask = Mask(kind="distance", near_m=20.0, far_m=60.0, softness=0.02)
    weights = covered(mask, MaskPlanes(depth))
    at = [int(np.argmin(np.abs(depth[50] - d))) for d in (5.0, 40.0, 90.0)]
    assert weights[50, at] == pytest.approx([0.0, 1.0, 0.0])
    assert not weights[:9].any()
    assert (
        covered(Mask(kind="distance", near_m=50.0, far_m=1e5, softness=0.0), MaskPlanes(depth))[5, 5] == 0.0
    )


def test_sunlit_and_shaded_are_each_others_rest() -> None:
    fraction = np.zeros(SHAPE, np.float32)
    fraction[:, 100:] = 0.8
    planes = MaskPlanes(sun_fraction=fraction)
    sunlit, shaded = (covered(Mask(kind=kind, softness=0.2), planes) for kind in ("sunlit", "shaded"))
    assert sunlit[60, 150] == shaded[60, 50] == 1.0
    assert sunlit[60, 50] == shaded[60, 150] == 0.0


def test_planes_of_another_size_are_stretched_over_the_picture() -> None:
    half = np.zeros((60, 100), np.int32)
    half[:, 50:] = 1
    planes = MaskPlanes(parts=half, part_names=("a", "b"))
    weights = covered(Mask(kind="part", target="b", **HARD), planes)
    assert weights[60, 50] == 0.0
    assert weights[60, 150] == 1.0


def test_where_what_a_mask_asks_for_is_unknown_it_covers_nothing() -> None:
    for kind in ("part", "material", "distance", "sunlit", "shaded"):
        assert not covered(Mask(kind=kind)).any()


def test_no_mask_that_acts_leaves_the_very_picture() -> None:
    picture = light()
    idle = (Mask(on=False), Mask(exposure=0.0), Mask(strength=0.0))
    assert light_masks(picture, idle, NO_PLANES) is picture


def test_exposure_in_a_mask_is_stops_and_nothing_outside_changes() -> None:
    mask = Mask(exposure=1.5, **HARD)
    out = light_masks(light(), (mask,), NO_PLANES)
    assert out[60, 100] == pytest.approx([0.18 * 2.0**1.5] * 3, rel=1e-4)
    assert (out[5, 5] == np.float32(0.18)).all()
    half = light_masks(light(), (replace(mask, strength=0.5),), NO_PLANES)
    assert half[60, 100, 0] == pytest.approx(0.18 * 2.0**0.75, rel=1e-4)


def test_warmth_lowers_the_colour_temperature_and_keeps_luminance() -> None:
    warm, cool = (
        light_masks(light(), (Mask(exposure=0.0, mired=m, **HARD),), NO_PLANES)[60, 100]
        for m in (60.0, -60.0)
    )
    kelvin = [correlated_temperature(AP1_TO_XYZ @ c.astype(float)) for c in (warm, light()[0, 0], cool)]
    assert kelvin[0] < kelvin[1] < kelvin[2]
    # mired of the warm light less that of the plain one
    assert 1e6 / kelvin[0] - 1e6 / kelvin[1] == pytest.approx(60.0, abs=6.0)
    assert warm @ AP1_LUMINANCE == pytest.approx(0.18, rel=0.01)


def test_saturation_and_contrast_in_a_mask_turn_about_grey() -> None:
    picture = light()
    picture[60, 100] = (0.3, 0.1, 0.05)
    grey = light_masks(picture, (Mask(exposure=0.0, saturation=0.0, **HARD),), NO_PLANES)[60, 100]
    assert np.ptp(grey) < 1e-6
    assert grey[0] == pytest.approx(picture[60, 100] @ AP1_LUMINANCE, rel=1e-5)
    harder = Mask(exposure=0.0, contrast=1.0, **HARD)
    assert light_masks(light(0.18), (harder,), NO_PLANES)[60, 100, 0] == pytest.approx(0.18, rel=1e-4)
    assert light_masks(light(0.36), (harder,), NO_PLANES)[60, 100, 0] > 0.5


def test_a_picture_stored_column_by_column_is_lit_alike() -> None:
    picture, mask = np.random.default_rng(5).random((40, 60, 3), np.float32), Mask(exposure=1.0)
    lit = light_masks(picture, (mask,), NO_PLANES)
    assert (light_masks(np.asfortranarray(picture), (mask,), NO_PLANES) == lit).all()
    assert lit.max() > picture.max()
