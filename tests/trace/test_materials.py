# SPDX-License-Identifier: Apache-2.0
"""Tables for the kernels: colours in the renderer's primaries, lamps picked by their lumens, pictures in a row."""

from __future__ import annotations

import math

import colour
import numpy as np
import pytest

from gloamet.colour.spaces import luminance
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Lamp, Material, Scene, Texture
from gloamet.trace.surfaces import materials as m
from tests.conftest import box, level, make_scene

GREEN, WARM = (0.1, 0.7, 0.2), (1.0, 0.6, 0.2)


def ap1(rgb: tuple[float, float, float]) -> np.ndarray:
    """By colour-science: ACEScg from Rec.709, white to white by CAT02."""
    spaces = colour.RGB_COLOURSPACES
    return np.asarray(colour.RGB_to_RGB(rgb, spaces["ITU-R BT.709"], spaces["ACEScg"], "CAT02"))


def lamps_of(
    *parts: tuple[np.ndarray, Material], lamps: tuple[Lamp, ...] = ()
) -> tuple[np.ndarray, np.ndarray]:
    """The lamps' table of a scene, and its materials'."""
    scene = make_scene(*parts)
    scene = Scene(None, scene.parts, scene.materials, lamps=lamps)
    table = m.make_material_table(scene, None)
    return m.make_lamp_table(scene, table)[0], table


@pytest.mark.proof("Colours in AP1 primaries", source="colour-science, ACEScg", kind="library")
def test_colours_of_surfaces_and_lamps_are_brought_to_ap1() -> None:
    lamps, table = lamps_of((level(1.0), Material("lit", GREEN, emission=WARM)))
    assert table[0, m.BASE_COLOUR : m.BASE_COLOUR + 3] == pytest.approx(ap1(GREEN), abs=2e-5)
    assert table[0, m.TEXTURE_FACTOR : m.TEXTURE_FACTOR + 3] == pytest.approx(GREEN)
    assert table[0, m.EMISSION : m.EMISSION + 3] == pytest.approx(ap1(WARM), abs=2e-5)
    assert lamps[0, m.LAMP_RADIANCE : m.LAMP_RADIANCE + 3] == pytest.approx(ap1(WARM), abs=2e-5)
    point, _ = lamps_of(
        (level(1.0), Material("x")), lamps=(Lamp("p", "point", intensity_cd=40.0, colour=WARM),)
    )
    assert point[0, m.LAMP_RADIANCE : m.LAMP_RADIANCE + 3] == pytest.approx(40.0 * ap1(WARM), rel=1e-4)


def test_a_lamp_is_picked_by_its_lumens() -> None:
    # a diffuse lamp of luminance L sends out pi L a square metre and side, a point 4 pi I, a spot its fraction of it
    one_sided = Material("one", emission=(2.0, 2.0, 2.0), emits_back=False)
    both = Material("both", emission=(2.0, 2.0, 2.0))
    spot = Lamp("s", "spot", intensity_cd=10.0, outer_deg=60.0, full_deg=30.0)
    table, rows = lamps_of(
        (level(1.0), one_sided), (level(1.0), both), lamps=(Lamp("p", "point", intensity_cd=10.0), spot)
    )
    lumens = np.array([4.0 * math.pi, 4.0 * math.pi, 8.0 * math.pi, 8.0 * math.pi])
    lumens = np.array([*lumens, 40.0 * math.pi, 2.0 * math.pi * (1.0 - math.cos(math.radians(60.0))) * 10.0])
    assert table[:, m.LAMP_PDF] == pytest.approx(lumens / lumens.sum(), rel=1e-5)
    assert table[:, m.LAMP_CDF] == pytest.approx(np.cumsum(lumens) / lumens.sum(), rel=1e-5)
    # the density on a surface, a square metre: what its own triangles have, over their two square metres each
    assert rows[:2, m.EMITTER_PDF] == pytest.approx(table[[0, 2], m.LAMP_PDF] / 2.0, rel=1e-5)
    assert table[[4, 5], m.COS_OUTER] == pytest.approx([-3.0, 0.5]) and table[4, m.COS_FULL] == -2.0
    assert table[5, m.COS_FULL] == pytest.approx(math.cos(math.radians(30.0)))
    assert table[:, m.LAMP_KIND].tolist() == [m.TRIANGLE_LAMP] * 4 + [m.POINT_LAMP] * 2


def test_a_small_lamp_is_dimmed_behind_mirrors_in_proportion_to_its_face() -> None:
    for half, weight in ((0.05, 0.1), (1.0, 1.0)):  # 0.01 m2 of a tenth, and 4 m2
        _lamps, table = lamps_of((level(half), Material("bulb", emission=(5.0, 5.0, 5.0))))
        assert table[0, m.MIRRORED_LAMP_WEIGHT] == pytest.approx(weight, rel=1e-4)


def test_a_mirrored_part_glows_from_the_same_side() -> None:
    scene = make_scene((box((0, 0, 0), (1, 2, 3)), Material("lit", emission=(1.0, 1.0, 1.0))))
    for sign in (1.0, -1.0):
        part = scene.parts[0].__class__("b", 0, scene.parts[0].shape, np.diag([sign, 1.0, 1.0, 1.0]))
        turned = Scene(None, (part,), scene.materials)
        rows = m.make_lamp_table(turned, m.make_material_table(turned, None))[0]
        first, u, v = (
            rows[:, k : k + 3].astype(float) for k in (m.LAMP_ORIGIN, m.LAMP_EDGE_U, m.LAMP_EDGE_V)
        )
        centre = np.array([0.5 * sign, 1.0, 1.5])
        assert (np.einsum("ij,ij->i", np.cross(u, v), first + (u + v) / 3.0 - centre) > 0.0).all()


@pytest.mark.parametrize(("roughness", "gloss"), [(0.0, 1.0), (0.7, 1.0), (0.85, 0.5), (1.0, 0.0)])
def test_gloss_fades_out_towards_a_matt_surface(roughness: float, gloss: float) -> None:
    scene = make_scene((level(1.0), Material("x", roughness=roughness)))
    row = m.make_material_table(scene, None)[0]
    assert row[m.SPECULAR] == pytest.approx(gloss, abs=1e-6)
    assert row[m.KIND] == (m.MATT if gloss == 0.0 else m.GLOSSY)


@pytest.mark.parametrize("hue", [(1.0, 1.0, 1.0), (0.5, 0.3, 0.1)])
def test_the_grounds_colour_gives_its_hue_and_the_reflectance_its_luminance(
    hue: tuple[float, float, float],
) -> None:
    ground = GroundPlane(reflectance=0.3, colour=hue)
    row = m.make_material_table(make_scene(), ground)[-1][m.BASE_COLOUR : m.BASE_COLOUR + 3]
    assert luminance(row) == pytest.approx(0.3, rel=1e-4)
    wanted = ap1(hue)
    assert row / row[1] == pytest.approx(wanted / wanted[1], rel=0.01)
    assert m.make_material_table(make_scene(), None)[-1][m.BASE_COLOUR] == pytest.approx(0.2)
    # a ground of which nothing is said has no hue
    assert np.ptp(m.ground_tint(GroundPlane())) == pytest.approx(0.0, abs=1e-4)


def test_pictures_lie_one_after_another() -> None:
    pictures = [np.full((h, w, 4), v, np.uint8) for h, w, v in ((2, 3, 10), (4, 1, 20), (1, 1, 30))]
    texels, where = m.make_texture_table(tuple(Texture(f"t{k}", p) for k, p in enumerate(pictures)))
    assert where.tolist() == [[0, 3, 2], [6, 1, 4], [10, 1, 1]]
    assert texels[[0, 5, 6, 9, 10], 0].tolist() == [10, 10, 20, 20, 30]
    half = np.zeros((256, 256, 4), np.uint8)
    half[:128, :, :3] = 255
    assert m.mean_colour(Texture("half", half)) == pytest.approx([0.5] * 3)
