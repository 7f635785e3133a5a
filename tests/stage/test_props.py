# SPDX-License-Identifier: Apache-2.0
"""Trees, screens, figure, balls and card: known dimensions, and regression values of random shapes."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.stage import props
from gloamet.stage.props import grow
from gloamet.stage.scene import Material, Shape


def corners(shape: Shape) -> np.ndarray:
    return np.asarray(shape.positions.astype(float)[shape.triangles])


def area(shape: Shape) -> float:
    p = corners(shape)
    return float(0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum())


def volume(shape: Shape) -> float:
    """Of a closed shape whose fronts face out, by the divergence theorem."""
    p = corners(shape)
    return float((p[:, 0] * np.cross(p[:, 1], p[:, 2])).sum() / 6.0)


def grown(kind: str, seed: int = 5, leafed: bool = True) -> dict[str, Shape]:
    return {m.name: shape for shape, m in grow(kind, seed, 7.0, 4.0, 0.6, 0.12, leafed)}


@pytest.mark.parametrize(("kind", "name"), [("mirror ball", "mirror"), ("grey ball", "18 % grey")])
def test_balls_are_spheres_of_thirty_centimetres(kind: str, name: str) -> None:
    ball = grown(kind)[name]
    # of facets inside the sphere: half a percent smaller
    assert area(ball) == pytest.approx(4.0 * math.pi * 0.15**2, rel=0.005)
    assert volume(ball) == pytest.approx(4.0 / 3.0 * math.pi * 0.15**3, rel=0.006)


def test_the_card_is_thirty_centimetres_square_and_four_millimetres_thick() -> None:
    card = grown("card")["18 % grey"]
    assert volume(card) == pytest.approx(0.3 * 0.3 * 0.004, rel=1e-4)
    assert np.ptp(card.positions, axis=0) == pytest.approx([0.3, 0.004, 0.3], rel=1e-4)


def test_a_flag_is_a_closed_panel_that_stands_on_the_ground() -> None:
    flag = grown("black flag")["black cloth"]
    assert volume(flag) == pytest.approx(7.0 * 4.0 * 0.004, rel=1e-4)
    assert area(flag) == pytest.approx(2.0 * (7.0 * 4.0 + (7.0 + 4.0) * 0.004), rel=1e-4)
    assert flag.positions[:, 2].min() == 0.0


def test_the_figure_stands_on_the_ground_and_is_as_tall_as_a_person() -> None:
    figure = grown("figure")["figure"]
    low, high = figure.positions.min(0), figure.positions.max(0)
    assert low[2] == pytest.approx(0.0, abs=0.01)
    assert high[2] == pytest.approx(1.75, abs=0.005)
    assert 0.4 < high[0] - low[0] < 0.65  # elbow to elbow: DIN 33402-2, from memory


# Regression values, no reference: what grew on 2026-11-29 from seed 5, 7 m high, 4 m wide, of density 0.6, leaves of
# 12 cm.
# Triangles, area, volume, spread and middle of the corners.
GROWN = [
    ("tree", "bark", (9480, 14.0309, 0.46343, 0.653822, 0.640512, 1.24175, -0.105531, -0.0533854, 4.39906)),
    (
        "tree",
        "leaves",
        (12692, 30.5342, 0.393838, 0.784209, 0.769998, 1.26719, -0.124508, -0.0453038, 4.41758),
    ),
    ("screen", "bark", (1200, 7.44757, 0.033765, 1.22896, 0.0998758, 1.82569, -0.153977, -0.06001, 3.25129)),
    (
        "screen",
        "leaves",
        (8798, 21.1473, -0.411564, 1.17724, 0.265347, 1.68156, -0.0183643, -0.0567549, 3.63476),
    ),
    (
        "figure",
        "figure",
        (4808, 1.79913, 0.0453489, 0.158988, 0.0487088, 0.522384, 0.0, -0.00628689, 0.915688),
    ),
]


@pytest.mark.parametrize(("kind", "name", "values"), GROWN)
def test_what_is_shipped_grows_as_before(kind: str, name: str, values: tuple[float, ...]) -> None:
    shape = grown(kind)[name]
    flat = corners(shape).reshape(-1, 3)
    found = (len(shape.triangles), area(shape), volume(shape), *flat.std(0), *flat.mean(0))
    assert found == pytest.approx(values, rel=1e-4, abs=1e-5)


def test_another_seed_is_another_tree_and_one_without_leaves_has_the_same_wood() -> None:
    tree, other, bare = grown("tree"), grown("tree", 6), grown("tree", leafed=False)
    assert volume(tree["bark"]) != volume(other["bark"])
    assert set(bare) == {"bark"}
    # twigs that carry nothing are not grown
    assert 0.5 < volume(bare["bark"]) / volume(tree["bark"]) <= 1.0


def test_what_props_are_made_of_throws_back_no_more_than_it_gets() -> None:
    rows = {
        **{name: value for name, value in vars(props).items() if isinstance(value, Material)},
        **props.FLAG_MATERIALS,
    }
    assert len(rows) >= 8
    for name, material in rows.items():
        # common practice: nothing that is built or grown is darker than soot or lighter than a fresh mirror
        assert all(0.02 <= c <= 0.96 for c in material.base_colour), name
        assert 0.0 <= material.roughness <= 1.0 and 0.0 <= material.diffuse_transmission <= 0.5, name
    bark, leaf = props.BARK.base_colour, props.LEAF.base_colour
    assert bark[0] > bark[1] > bark[2]  # brown
    assert leaf[1] > leaf[0] > leaf[2]  # green
