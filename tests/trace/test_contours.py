# SPDX-License-Identifier: Apache-2.0
"""Ink lines of maps with known edges: where they run, how wide they are, and where they give way."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.trace.contours import INK, composite_lines, contours
from gloamet.trace.first_hits import FirstHits

H, W = 100, 80


def maps() -> FirstHits:
    """A wall two metres away that faces the eye, of one part."""
    normal = np.zeros((H, W, 3), np.float32)
    normal[..., 2] = 1.0
    return FirstHits(np.zeros((H, W), np.int32), np.full((H, W), 2.0, np.float32), normal)


def lines(found: FirstHits, width_px: float = 1.0) -> np.ndarray:
    """Ink of lines so wide in this picture."""
    return np.asarray(contours(found, width_px * 1000.0 / H))


def columns_of(ink: np.ndarray) -> list[int]:
    """Columns that are inked from top to bottom."""
    return np.flatnonzero((ink > 0.5).all(0)).tolist()


def test_a_wall_has_no_lines_and_neither_has_a_plane_that_leads_away() -> None:
    assert not lines(maps()).any()
    leading = maps()
    # inverse depth of any plane is linear across a picture
    leading.depth[:] = 1.0 / np.linspace(0.05, 0.9, W, dtype=np.float32)
    assert not lines(leading).any()


def test_a_step_within_a_part_is_drawn_once_on_its_nearer_side() -> None:
    for near in (slice(0, 40), slice(40, W)):
        stepped = maps()
        stepped.depth[:] = 3.0
        stepped.depth[:, near] = 2.0
        assert columns_of(lines(stepped)) == [39 if near.start == 0 else 40]
    small = maps()
    small.depth[:, 40:] = 2.01  # half a percent: within a surface
    assert not lines(small).any()


@pytest.mark.parametrize(("turned_deg", "drawn"), [(20.0, False), (40.0, True), (90.0, True)])
def test_a_crease_is_drawn_from_thirty_degrees_on(turned_deg: float, drawn: bool) -> None:
    folded = maps()
    folded.normal[:, 40:] = (np.sin(np.radians(turned_deg)), 0.0, np.cos(np.radians(turned_deg)))
    assert (columns_of(lines(folded)) == [39]) is drawn
    across = maps()
    across.normal[50:] = (np.sin(np.radians(turned_deg)), 0.0, np.cos(np.radians(turned_deg)))
    assert bool((lines(across)[49] > 0.5).all()) is drawn


def test_parts_are_parted_and_the_sky_has_no_lines_of_its_own() -> None:
    two = maps()
    two.part[:, 40:] = 1
    assert columns_of(lines(two)) == [39]
    sky = maps()
    sky.part[:], sky.depth[:], sky.normal[:] = -1, 0.0, 0.0
    assert not lines(sky).any()


@pytest.mark.parametrize("width", [0.4, 1.0, 2.0, 3.0])
def test_a_line_is_as_wide_as_asked_and_fainter_below_a_pixel(width: float) -> None:
    two = maps()
    two.part[:, 40:] = 1
    ink = lines(two, width)
    assert ink.sum(1) == pytest.approx(np.full(H, width), rel=1e-4)
    assert ink.max() == pytest.approx(min(1.0, width))


def test_slats_too_fine_to_draw_are_left_out_and_crowded_lines_fade() -> None:
    for wide, drawn in ((1, False), (2, False), (6, True)):
        slat = maps()
        slat.part[:, 40 : 40 + wide] = 1
        slat.depth[:, 40 : 40 + wide] = 1.9
        assert bool(lines(slat).any()) is drawn
    leaves = maps()
    leaves.part[:] = np.random.default_rng(4).integers(0, 50, (H, W))
    assert lines(leaves)[5:-5, 5:-5].mean() < 0.05


def test_finer_maps_give_the_same_picture() -> None:
    two = maps()
    two.part[:, 40:] = 1
    ink = np.asarray(contours(two, 4.0 * 1000.0 / H, 2))
    assert ink.shape == (H // 2, W // 2)
    assert ink.sum(1) == pytest.approx(np.full(H // 2, 2.0), rel=1e-4)  # four of its samples are two pixels


def test_under_ink_a_trace_of_the_light_is_left() -> None:
    picture = np.full((2, 3, 3), 10.0, np.float32)
    cover = np.array([[0.0, 0.5, 1.0]] * 2, np.float32)
    inked = composite_lines(picture, cover)[0, :, 1]
    assert inked == pytest.approx([10.0, 5.0 + 5.0 * INK, 10.0 * INK])
    assert 0.0 < INK < 0.1
