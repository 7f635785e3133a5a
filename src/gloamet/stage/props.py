# SPDX-License-Identifier: Apache-2.0
"""Props generated from a few numbers: trees, foliage screens, a person, balls, a card, hills, poles.

Numbers enter, parts in their own metres (Z up, foot at the origin, facing south) leave. The same numbers
give the same shape object, so that many of a kind are instances of one.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.distance_props import WEATHERED, WOODS, poles, ridge
from gloamet.stage.scene import Material, Part, Shape, make_shape

GREY_CARD = 0.18
PERSON_M = 1.75
BALL_M, CARD_M, LIFT_M = 0.15, 0.3, 1.25
MAX_LEAVES = 40_000
LEAF_COVER, BLADE_SHARE = 4.0, 0.33  # leaf area index of a full tree (common practice); area of a blade
SCREEN_COVER = 4.0  # squares of a leaf over a screen at full density
BARK = Material("bark", (0.16, 0.12, 0.09))
LEAF = Material("leaves", (0.10, 0.17, 0.045), diffuse_transmission=0.35)
CLOTH = Material("figure", (0.34, 0.34, 0.35))
GREY = Material("18 % grey", (GREY_CARD,) * 3)
MIRROR = Material("mirror", (0.95, 0.95, 0.95), 0.0, 1.0)
PROP_GROUP = "props"
Points = NDArray[np.float64]


def merged(pieces: list[tuple[Points, NDArray]], normals: list[Points] | None = None) -> Shape:
    """One shape from several (points, triangles)."""
    offsets = np.cumsum([0, *(len(p) for p, _ in pieces)])
    triangles = [t + o for (_, t), o in zip(pieces, offsets[:-1], strict=True)]
    made = make_shape(
        np.concatenate([p for p, _ in pieces]),
        np.concatenate(triangles),
        None if normals is None else np.concatenate(normals),
    )
    assert made is not None
    return made


def _grid(rings: int, sides: int) -> NDArray:
    """Triangles between rings of sides points, each ring after the other."""
    i, j = np.meshgrid(np.arange(rings - 1), np.arange(sides), indexing="ij")
    k = (j + 1) % sides
    quad = np.stack([i * sides + j, i * sides + k, (i + 1) * sides + k, (i + 1) * sides + j], -1).reshape(
        -1, 4
    )
    return np.concatenate([quad[:, [0, 1, 2]], quad[:, [0, 2, 3]]])


def tube(path: Points, radii: Points, sides: int) -> tuple[Points, NDArray, Points]:
    """A tube along a path (N, 3): points, triangles, normals."""
    ahead = np.gradient(path, axis=0)
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-9)
    helper = np.where(np.abs(ahead[:, 2:]) > 0.9, [[1.0, 0.0, 0.0]], [[0.0, 0.0, 1.0]])
    a = np.cross(ahead, helper)
    a /= np.maximum(np.linalg.norm(a, axis=1, keepdims=True), 1e-9)
    b = np.cross(ahead, a)
    turn = np.arange(sides) / sides * 2 * np.pi
    normals = np.cos(turn)[None, :, None] * a[:, None] + np.sin(turn)[None, :, None] * b[:, None]
    points = path[:, None] + normals * radii[:, None, None]
    return points.reshape(-1, 3), _grid(len(path), sides), normals.reshape(-1, 3)


@lru_cache(maxsize=16)
def sphere(radius: float, sides: int = 64) -> Shape:
    """A smooth sphere about the origin."""
    rings = sides // 2 + 1
    a = np.linspace(np.pi, 0.0, rings)
    b = np.arange(sides) / sides * 2.0 * np.pi
    normals = np.sin(a)[:, None, None] * np.stack([np.cos(b), np.sin(b), 0 * b], 1)
    normals[..., 2] = np.cos(a)[:, None]
    flat = normals.reshape(-1, 3)
    made = make_shape(radius * flat, _grid(rings, sides), flat)
    assert made is not None
    return made


def _blades(centres: Points, size: float, rng: np.random.Generator) -> tuple[Points, NDArray]:
    """A folded leaf of two triangles at each centre, turned at random, rather level than upright."""
    n = len(centres)
    along = rng.normal(size=(n, 3)) * [1.0, 1.0, 0.6]
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    side = np.cross(along, rng.normal(size=(n, 3)) * [0.5, 0.5, 1.0])
    side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-9)
    length = size * rng.uniform(0.7, 1.3, (n, 1))
    root, tip = centres - 0.5 * length * along, centres + 0.5 * length * along
    fold = 0.12 * length * np.cross(along, side)
    left, right = centres + 0.3 * length * side + fold, centres - 0.3 * length * side + fold
    points = np.stack([root, right, tip, left], 1).reshape(-1, 3)
    first = 4 * np.arange(n)[:, None]
    return points, np.concatenate([first + [0, 1, 2], first + [0, 2, 3]])


def _branch(start: Points, end: Points, rng: np.random.Generator) -> Points:
    t = np.linspace(0.0, 1.0, 7)[:, None]
    reach = float(np.linalg.norm(end - start))
    bend = start + 0.5 * (end - start) + [0.0, 0.0, 0.18 * reach] + rng.normal(0, 0.05 * reach, 3)
    return np.asarray((1 - t) ** 2 * start + 2 * t * (1 - t) * bend + t**2 * end)


@lru_cache(maxsize=64)
def _tree(
    seed: int, height: float, crown: float, density: float, leaf: float, leafed: bool
) -> tuple[Shape, Shape | None]:
    rng = np.random.default_rng(seed)
    bole = 0.28 * height
    thick = 0.022 * height
    top = np.array([*rng.normal(0, 0.03 * height, 2), 0.93 * height])
    trunk = _branch(np.zeros(3), top, rng)
    wood = [tube(trunk, np.linspace(thick, 0.15 * thick, len(trunk)), 10)]
    twigs = []
    for k in range(26):
        t = (k + rng.uniform(0.2, 0.8)) / 26
        z = bole + t * (0.9 * height - bole)
        # an egg-shaped crown: widest a third of the way up
        wide = 0.5 * crown * np.sin(np.pi * min(1.0, 0.25 + 0.75 * t)) ** 0.8
        turn = 2.399963 * k + rng.normal(0, 0.3)
        start = np.array([np.interp(z, trunk[:, 2], trunk[:, 0]), np.interp(z, trunk[:, 2], trunk[:, 1]), z])
        out = np.array([np.cos(turn), np.sin(turn), 0.0]) * wide * rng.uniform(0.75, 1.0)
        end = start + out + [0.0, 0.0, rng.uniform(0.05, 0.3) * wide]
        branch = _branch(start, end, rng)
        wood.append(tube(branch, np.linspace(0.32 * thick, 0.06 * thick, len(branch)), 6))
        for _ in range(6):
            u = rng.uniform(0.35, 1.0)
            root = branch[int(u * 6)]
            tip = root + rng.normal(0, 0.16 * wide, 3) + [0.0, 0.0, 0.06 * wide]
            twig = _branch(root, tip, rng)
            wood.append(tube(twig, np.linspace(0.1 * thick, 0.03 * thick, len(twig)), 4))
            twigs += [twig[2:], branch[3:]]
    bark = merged([(p, t) for p, t, _ in wood], [n for _, _, n in wood])
    if not leafed:
        return bark, None
    spots = np.concatenate(twigs)
    # leaves of LEAF_COVER layers over the crown's footprint at full density
    area = density * LEAF_COVER * 0.25 * np.pi * crown * crown
    count = int(min(MAX_LEAVES, max(50, area / (BLADE_SHARE * leaf * leaf))))
    centres = spots[rng.integers(0, len(spots), count)] + rng.normal(0, 0.07 * crown, (count, 3))
    centres[:, 2] = np.maximum(centres[:, 2], 0.6 * bole)
    return bark, merged([_blades(centres, leaf, rng)])


@lru_cache(maxsize=64)
def _screen(
    seed: int, height: float, width: float, density: float, leaf: float, leafed: bool
) -> tuple[Shape, Shape | None]:
    rng = np.random.default_rng(seed)
    wood, spots = [], []
    for _ in range(max(6, int(5 * width))):
        x = rng.uniform(-0.5, 0.5) * width
        start = np.array([x, rng.normal(0, 0.1), 0.0])
        end = np.array(
            [x + rng.normal(0, 0.12 * height), rng.normal(0, 0.15), height * rng.uniform(0.6, 1.0)]
        )
        stem = _branch(start, end, rng)
        wood.append(tube(stem, np.linspace(0.016, 0.004, len(stem)), 5))
        spots.append(stem[1:])
    bark = merged([(p, t) for p, t, _ in wood], [n for _, _, n in wood])
    if not leafed:
        return bark, None
    positions = np.concatenate(spots)
    count = int(min(MAX_LEAVES, max(50, density * SCREEN_COVER * width * height / (leaf * leaf))))
    # leaves hang about the stems, as far as their twigs would reach
    centres = positions[rng.integers(0, len(positions), count)] + rng.normal(0, 0.035 * height, (count, 3))
    centres = centres[(np.abs(centres[:, 0]) < 0.55 * width) & (centres[:, 2] > 0.0)]
    return bark, merged([_blades(centres, leaf, rng)])


@lru_cache(maxsize=1)
def person() -> Shape:
    """Make a standing person of 1.75 m.

    Returns
    -------
    Shape
        The shape, about 2000 triangles.
    """
    pieces: list[tuple[Points, NDArray]] = []
    normals: list[Points] = []

    def limb(rows: list[tuple[float, float, float, float]], squash: float = 1.0) -> None:
        table = np.asarray(rows)
        t = np.linspace(0, len(table) - 1, 4 * len(table))
        path = np.stack([np.interp(t, np.arange(len(table)), table[:, k]) for k in range(3)], 1)
        radii = np.interp(t, np.arange(len(table)), table[:, 3])
        p, tri, n = tube(path, radii, 20)
        middle = np.repeat(path, 20, 0)
        p = middle + (p - middle) * [1.0, squash, 1.0]
        pieces.append((p, tri))
        normals.append(n)

    for s in (-1.0, 1.0):
        limb(
            [
                (0.09 * s, -0.10, 0.03, 0.03),
                (0.09 * s, 0.0, 0.05, 0.045),
                (0.09 * s, 0.01, 0.1, 0.045),
                (0.09 * s, 0.0, 0.46, 0.058),
                (0.085 * s, 0.0, 0.86, 0.088),
            ]
        )
        limb(
            [
                (0.19 * s, 0.0, 1.42, 0.045),
                (0.235 * s, 0.01, 1.33, 0.05),
                (0.255 * s, 0.02, 1.10, 0.042),
                (0.265 * s, -0.03, 0.86, 0.034),
                (0.265 * s, -0.05, 0.77, 0.03),
            ]
        )
    limb(
        [
            (0, 0, 0.80, 0.05),
            (0, 0, 0.86, 0.165),
            (0, 0, 0.98, 0.165),
            (0, 0, 1.12, 0.145),
            (0, 0, 1.30, 0.185),
            (0, 0, 1.42, 0.175),
            (0, 0, 1.47, 0.07),
            (0, 0, 1.53, 0.055),
        ],
        0.62,
    )
    head = sphere(1.0, 24)
    ball = head.positions.astype(float) * [0.078, 0.097, 0.118] + [0.0, -0.01, PERSON_M - 0.118]
    pieces.append((ball, head.triangles.astype(int)))
    normals.append(ball if head.normals is None else head.normals.astype(float))
    return merged(pieces, normals)


# cloth and foil that throw light back or keep it off (common practice: white molleton 0.85, black 0.03)
FLAG_MATERIALS = {
    "white flag": Material("white cloth", (0.85, 0.85, 0.85)),
    "silver flag": Material("silver cloth", (0.88, 0.88, 0.88), 0.45, 1.0),
    "black flag": Material("black cloth", (0.03, 0.03, 0.03)),
}
FLAG_THICK_M = CARD_THICK_M = 0.004


@lru_cache(maxsize=8)
def _panel(width_m: float, thick_m: float, low_m: float, high_m: float) -> Shape:
    """A flat panel that faces north and south, between two heights."""
    h, d = 0.5 * width_m, 0.5 * thick_m
    points = np.array([[x, y, z] for z in (low_m, high_m) for y in (-d, d) for x in (-h, h)], float)
    faces = np.array([[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]])
    made = make_shape(points, np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]]))
    assert made is not None
    return made


def grow(
    kind: str, seed: int, height_m: float, extent_m: float, density: float, leaf_m: float, leafed: bool
) -> list[tuple[Shape, Material]]:
    """The shapes of one prop with their materials. Balls and cards float at LIFT_M above their foot."""
    if kind in ("tree", "screen"):
        make = _tree if kind == "tree" else _screen
        wood, leaves = make(seed, height_m, extent_m, density, leaf_m, leafed)
        return [(wood, BARK)] + ([(leaves, LEAF)] if leaves is not None else [])
    if kind == "figure":
        return [(person(), CLOTH)]
    if kind == "ridge":
        return [(ridge(seed, height_m, extent_m), WOODS)]
    if kind == "poles":
        return [(poles(height_m, extent_m), WEATHERED)]
    if kind in FLAG_MATERIALS:
        return [(_panel(extent_m, FLAG_THICK_M, 0.0, height_m), FLAG_MATERIALS[kind])]
    if kind == "mirror ball":
        return [(sphere(BALL_M), MIRROR)]
    if kind == "grey ball":
        return [(sphere(BALL_M), GREY)]
    return [(_panel(CARD_M, CARD_THICK_M, -0.5 * CARD_M, 0.5 * CARD_M), GREY)]


def prop_parts(
    name: str,
    shapes: list[tuple[Shape, Material]],
    first_material: int,
    matrix: NDArray[np.float64],
    casts: bool,
    visible: bool,
) -> list[Part]:
    """The parts of one prop at a place; its materials begin at first_material."""
    return [
        Part(
            name if k == 0 else f"{name} {m.name}",
            first_material + k,
            shape,
            matrix,
            (PROP_GROUP,),
            casts,
            visible,
        )
        for k, (shape, m) in enumerate(shapes)
    ]
