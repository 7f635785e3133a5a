# SPDX-License-Identifier: Apache-2.0
"""What masks ask of a film: the sun's share, parts and materials, and nothing that nobody asked for."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from gloamet.develop.links import Mask
from gloamet.light_layers import Gain, Gains
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material, Part, Scene, Shape
from gloamet.trace.film import Film
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.translation.document_to_masks import mask_planes, sun_fraction_of_film

CAMERA = Camera((0.0, -5.0, 1.0), (0.0, 0.0, 1.0), 40.0)


def film(sun: float, sky: float, indirect: float = 0.0) -> Film:
    made = Film(40, 30)
    made.layers["counts"][:] = 2.0
    made.layers["sun"][:], made.layers["sky"][:] = 2.0 * (sun + indirect), 2.0 * sky
    made.layers["sun_indirect"][:] = 2.0 * indirect
    made.layers["depth"][:] = 2.0 * 7.0
    return made


def stage() -> RenderScene:
    """A wall on the left and a door on the right of the picture, of their own materials."""

    def wall(x0: float, x1: float) -> Shape:
        corners = np.array([[x0, 0, -9], [x1, 0, -9], [x1, 0, 9], [x0, 0, 9]], np.float32)
        return Shape(corners, np.array([[0, 1, 2], [0, 2, 3]], np.uint32))

    parts = (Part("wall", 0, wall(-9.0, 0.0)), Part("door", 1, wall(0.0, 9.0)))
    return build_render_scene(Scene(None, parts, (Material("lime"), Material("oak"))))


def test_the_suns_share_is_its_direct_light_under_the_gains() -> None:
    assert sun_fraction_of_film(film(3.0, 1.0), Gains()) == pytest.approx(np.full((30, 40), 0.75), rel=1e-5)
    # the indirect part is no sunshine
    assert sun_fraction_of_film(film(3.0, 0.0, 1.0), Gains())[15, 20] == pytest.approx(0.75, rel=1e-5)
    off = Gains(sun=Gain((0.0, 0.0, 0.0), (0.0, 0.0, 0.0)))
    assert not sun_fraction_of_film(film(3.0, 1.0), off).any()
    assert not sun_fraction_of_film(Film(8, 8), Gains()).any()


def test_only_what_the_masks_ask_for_is_made() -> None:
    def planes(*kinds: str) -> tuple[bool, ...]:
        masks = tuple(Mask(kind=kind) for kind in kinds)  # type: ignore[arg-type]
        with ThreadPoolExecutor() as pool:
            made = mask_planes(masks, film(1.0, 1.0), Gains(), (stage(), CAMERA), pool)
        return tuple(
            plane is not None for plane in (made.depth, made.sun_fraction, made.parts, made.materials)
        )

    assert planes("round", "painted") == (False, False, False, False)
    assert planes("distance") == (True, False, False, False)
    assert planes("shaded", "material") == (False, True, True, True)


def test_parts_and_materials_are_those_of_the_picture() -> None:
    with ThreadPoolExecutor() as pool:
        made = mask_planes((Mask(kind="part"),), film(1.0, 1.0), Gains(), (stage(), CAMERA), pool)
    assert made.parts is not None and made.materials is not None
    assert made.part_names == ("wall", "door")
    assert made.material_names == ("lime", "oak")
    assert (made.parts[15, 5], made.parts[15, 35]) == (0, 1)
    assert (made.materials[15, 5], made.materials[15, 35]) == (0, 1)
    assert made.parts.shape == (30, 40)
