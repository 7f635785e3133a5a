# SPDX-License-Identifier: Apache-2.0
"""Build the interior demo: the net loft over the bathing house's store, with west windows and a roof light.

Run it with `python tools/demo/make_interior.py`. Everything is made here from numbers. The windows look west,
-X; the room is 7.2 m long (north to south), 4.6 m wide and 2.5 to 3.6 m high under a pitched roof.
"""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import numpy as np
from glb import Writer
from numpy.typing import NDArray
from pictures import boards
from shapes import Boxes, tube, turned

TARGET = Path(__file__).resolve().parents[2] / "src/gloamet/data/demo/net_loft.glb"
W, L, LOW, HIGH, FLOOR = 4.6, 7.2, 2.5, 3.6, 3.2
SILL, HEAD = 0.75, 2.05
WINDOWS = ((0.8, 2.1), (2.95, 4.25), (5.1, 6.4))
ROOF_LIGHT = (3.0, 4.2)  # along the room, in the east slope


def floor(rng: np.random.Generator) -> Boxes:
    """Wide planks along the room."""
    out = Boxes()
    for x in np.arange(0.0, W, 0.19):
        split = rng.uniform(1.5, 5.5)
        for y0, y1 in ((0.0, split - 0.002), (split + 0.002, L)):
            z = rng.normal(0, 0.0012)
            out.add((x, y0, FLOOR - 0.04), (min(x + 0.187, W), y1, FLOOR + z), 1, tuple(rng.uniform(0, 5, 2)))
    out.add((0.0, 0.0, FLOOR - 0.1), (W, L, FLOOR - 0.041), 1)  # joints between planks are dark, not open
    for low, high in (
        ((-0.2, -0.2), (0.0, L + 0.2)),
        ((W, -0.2), (W + 0.2, L + 0.2)),
        ((0.0, -0.2), (W, 0.0)),
    ):
        out.add((*low, FLOOR - 0.1), (*high, FLOOR), 1)
    out.add((0.0, L, FLOOR - 0.1), (W, L + 0.2, FLOOR), 1)
    return out


def walls() -> Boxes:
    """White walls with the window openings left out, and the ceiling's two slopes left to `slopes`."""
    out = Boxes()
    z0 = FLOOR
    out.add((-0.2, -0.2, z0), (W + 0.2, 0.0, z0 + HIGH))
    out.add((-0.2, L, z0), (W + 0.2, L + 0.2, z0 + HIGH))
    out.add((W, 0.0, z0), (W + 0.2, L, z0 + LOW))
    out.add((-0.2, 0.0, z0), (0.0, L, z0 + SILL))
    out.add((-0.2, 0.0, z0 + HEAD), (0.0, L, z0 + LOW))
    edges = [0.0, *(v for pair in WINDOWS for v in pair), L]
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        out.add((-0.2, a, z0 + SILL), (0.0, b, z0 + HEAD))
    return out


def slopes() -> tuple[NDArray, NDArray]:
    """Both roof slopes as slabs, the east one with the hole of the roof light."""
    points: list[NDArray] = []
    triangles: list[NDArray] = []
    count = 0

    def slab(x0: float, za: float, x1: float, zb: float, y0: float, y1: float) -> None:
        nonlocal count
        low = [[x0, y0, za], [x1, y0, zb], [x1, y1, zb], [x0, y1, za]]
        p = np.array(low + [[x, y, z + 0.16] for x, y, z in low]) + [0, 0, FLOOR]
        faces = np.array([[0, 1, 2, 3], [4, 7, 6, 5], [0, 4, 5, 1], [1, 5, 6, 2], [2, 6, 7, 3], [3, 7, 4, 0]])
        points.append(p)
        triangles.append(count + np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]]))
        count += 8

    half = W / 2
    slab(-0.25, LOW, half, HIGH, -0.25, L + 0.25)
    a, b = half + 0.55, half + 1.55  # the light's reach down the slope
    rise = (HIGH - LOW) / half
    za, zb = HIGH - rise * (a - half), HIGH - rise * (b - half)
    slab(half, HIGH, a, za, -0.25, L + 0.25)
    slab(b, zb, W + 0.25, LOW, -0.25, L + 0.25)
    slab(a, za, b, zb, -0.25, ROOF_LIGHT[0])
    slab(a, za, b, zb, ROOF_LIGHT[1], L + 0.25)
    return np.concatenate(points), np.concatenate(triangles)


def frames() -> Boxes:
    """Window frames, beams and the bench under the windows."""
    out = Boxes()
    for a, b in WINDOWS:
        for y in (a, 0.5 * (a + b) - 0.02, b - 0.04):
            out.add((-0.13, y, FLOOR + SILL), (-0.08, y + 0.04, FLOOR + HEAD), 2)
        for z in (SILL, 0.5 * (SILL + HEAD), HEAD - 0.04):
            out.add((-0.13, a, FLOOR + z), (-0.08, b, FLOOR + z + 0.04), 1)
    for y in np.arange(0.9, L, 1.35):
        out.add((0.0, y, FLOOR + LOW - 0.18), (W, y + 0.12, FLOOR + LOW), 0)
    out.add((0.02, 0.6, FLOOR + 0.42), (0.46, 6.6, FLOOR + 0.46), 1)
    for y in (0.65, 3.5, 6.45):
        out.add((0.06, y, FLOOR), (0.42, y + 0.07, FLOOR + 0.42), 2)
    return out


def table() -> Boxes:
    """A work table in the middle and a shelf on the east wall."""
    out = Boxes()
    z = FLOOR + 0.78
    out.add((1.9, 2.2, z - 0.045), (2.75, 4.4, z), 1, (0.4, 0.2))
    for x in (1.98, 2.60):
        for y in (2.3, 4.23):
            out.add((x, y, FLOOR), (x + 0.07, y + 0.07, z - 0.045), 2)
    out.add((W - 0.26, 1.2, FLOOR + 1.35), (W, 3.2, FLOOR + 1.385), 1)
    return out


def jar(height: float, radius: float) -> tuple[NDArray, NDArray, NDArray]:
    """A glass jar with real walls, open at the top."""
    t = 0.0035
    profile = np.array(
        [
            (0.001, 0.0),
            (0.97 * radius, 0.0),
            (radius, 0.006),
            (radius, 0.8 * height),
            (0.82 * radius, 0.9 * height),
            (0.82 * radius, height),
            (0.82 * radius - t, height),
            (0.82 * radius - t, 0.9 * height),
            (radius - t, 0.79 * height),
            (radius - t, 0.009),
            (0.001, 0.007),
        ]
    )
    rows = np.repeat(profile, 2, 0)[1:-1]
    t_rows = np.linspace(0, len(profile) - 1, 6 * len(profile))
    rows = np.stack([np.interp(t_rows, np.arange(len(profile)), profile[:, k]) for k in range(2)], 1)
    return turned(rows, 64)


def net(rng: np.random.Generator) -> tuple[NDArray, NDArray, NDArray]:
    """A net hung in a curve between two beams: knots on a grid, drawn as thin twine."""
    rows, columns = 15, 34
    u, v = np.meshgrid(np.linspace(0, 1, columns), np.linspace(0, 1, rows))
    x = 0.9 + 2.9 * u
    sag = 1.0 - 0.42 * np.sin(np.pi * u)
    z = FLOOR + LOW - 0.15 - v * 1.15 * sag + rng.normal(0, 0.008, u.shape)
    y = 6.25 + 0.18 * np.sin(5.0 * np.pi * u) * v + rng.normal(0, 0.008, u.shape)
    p = np.stack([x, y, z], -1)
    pieces = []
    for r in range(rows - 1):
        for shift in (1, -1):
            path = []
            for c in range(columns):
                path.append(p[r + (c % 2 if shift == 1 else 1 - c % 2), c])
            pieces.append(tube(np.asarray(path), np.full(columns, 0.0021), 5))
    offsets = np.cumsum([0, *(len(q) for q, _, _ in pieces)])
    return (
        np.concatenate([q for q, _, _ in pieces]),
        np.concatenate([t + o for (_, t, _), o in zip(pieces, offsets[:-1], strict=True)]),
        np.concatenate([n for _, _, n in pieces]),
    )


def quad(corners: list[tuple[float, float, float]]) -> tuple[NDArray, NDArray]:
    """Four corners as two triangles."""
    return np.asarray(corners, float), np.array([[0, 1, 2], [0, 2, 3]])


class Materials(NamedTuple):
    """The numbers of the scene's materials."""

    planks: int
    timber: int
    lime: int
    board: int
    glass: int
    bottle: int
    silver: int
    twine: int
    cork: int
    lamp: int
    bulb: int


def materials(w: Writer) -> Materials:
    """All of them."""
    planks = w.material(
        "floor planks", (1, 1, 1), 0.45, picture=w.picture("planks", boards(6, (0.40, 0.28, 0.175), 0.2))
    )
    timber = w.material(
        "beams", (1, 1, 1), 0.8, picture=w.picture("timber", boards(7, (0.33, 0.255, 0.18), 0.2))
    )
    lime = w.material("limewash", (0.80, 0.79, 0.765), 1.0)
    board = w.material("ceiling boards", (0.74, 0.73, 0.70), 1.0)
    glass = w.material("window glass", (0.97, 0.99, 0.98), 0.0, glass=True)
    bottle = w.material("jar glass", (0.88, 0.96, 0.93), 0.0, glass=True, thickness=0.0035)
    silver = w.material("mirror", (0.93, 0.94, 0.94), 0.0, 1.0)
    twine = w.material("twine", (0.34, 0.30, 0.22), 0.95)
    cork = w.material("cork floats", (0.52, 0.30, 0.16), 0.95)
    lamp = w.material("lamp shade", (0.75, 0.72, 0.66), 0.9)
    bulb = w.material("lamp bulb", (0.9, 0.9, 0.9), 1.0, emission=((1.0, 0.72, 0.42), 6000.0))
    return Materials(planks, timber, lime, board, glass, bottle, silver, twine, cork, lamp, bulb)


def add_room(w: Writer, m: Materials, rng: np.random.Generator) -> None:
    """Floor, walls, frames, table and roof."""
    for name, boxes, material, size in (
        ("floor", floor(rng), m.planks, 1.4),
        ("walls", walls(), m.lime, 1.0),
        ("frames and bench", frames(), m.timber, 1.4),
        ("table and shelf", table(), m.timber, 1.2),
    ):
        p, t, uv = boxes.mesh(size)
        w.position(name, w.mesh(name, material, p, t, uv))
    p, t = slopes()
    w.position("roof", w.mesh("roof", m.board, p, t))


def add_panes(w: Writer, m: Materials) -> None:
    """Windows, the light in the roof, and the mirror."""
    for k, (a, b) in enumerate(WINDOWS):
        p, t = quad(
            [
                (-0.105, a, FLOOR + SILL),
                (-0.105, b, FLOOR + SILL),
                (-0.105, b, FLOOR + HEAD),
                (-0.105, a, FLOOR + HEAD),
            ]
        )
        w.position(f"west window {k + 1}", w.mesh(f"west window {k + 1}", m.glass, p, t))
    half, rise = W / 2, (HIGH - LOW) / (W / 2)
    a, b = half + 0.55, half + 1.55
    za, zb = FLOOR + HIGH - rise * 0.55 + 0.1, FLOOR + HIGH - rise * 1.55 + 0.1
    p, t = quad(
        [(a, ROOF_LIGHT[0], za), (b, ROOF_LIGHT[0], zb), (b, ROOF_LIGHT[1], zb), (a, ROOF_LIGHT[1], za)]
    )
    w.position("roof light", w.mesh("roof light", m.glass, p, t))
    p, t = quad(
        [
            (W - 0.015, 3.7, FLOOR + 0.7),
            (W - 0.015, 4.7, FLOOR + 0.7),
            (W - 0.015, 4.7, FLOOR + 2.2),
            (W - 0.015, 3.7, FLOOR + 2.2),
        ]
    )
    w.position("mirror", w.mesh("mirror", m.silver, p, t))


def add_things(w: Writer, m: Materials, rng: np.random.Generator) -> None:
    """Jars, net, floats and the lamp."""
    big, small = jar(0.26, 0.075), jar(0.17, 0.055)
    meshes = [
        w.mesh("tall jar", m.bottle, big[0], big[1], None, big[2]),
        w.mesh("low jar", m.bottle, small[0], small[1], None, small[2]),
    ]
    spots = ((2.12, 2.62, 0), (2.36, 2.48, 1), (2.25, 2.9, 1), (2.5, 3.95, 0))
    for k, (x, y, kind) in enumerate(spots):
        w.position(f"jar {k + 1}", meshes[kind], (x, y, FLOOR + 0.7805))
    p, t, n = net(rng)
    w.position("net", w.mesh("net", m.twine, p, t, None, n))
    ball = turned(
        np.stack(
            [
                0.055 * np.sin(np.linspace(0.02, np.pi - 0.02, 24)),
                -0.055 * np.cos(np.linspace(0.02, np.pi - 0.02, 24)),
            ],
            1,
        ),
        32,
    )
    mesh = w.mesh("float", m.cork, ball[0], ball[1], None, ball[2])
    for k in range(9):
        w.position(f"float {k + 1}", mesh, (0.95 + 0.35 * k, 6.2 + 0.06 * (k % 3), FLOOR + LOW - 0.16))
    for k, (x, y) in enumerate(((3.6, 0.5), (3.85, 0.62), (3.7, 0.78))):
        w.position(f"float on the floor {k + 1}", mesh, (x, y, FLOOR + 0.055), 30.0 * k, 1.0)
    shade = turned(
        np.array([(0.045, 0.16), (0.05, 0.15), (0.15, 0.0), (0.148, 0.0), (0.048, 0.148), (0.043, 0.158)]), 48
    )
    w.position(
        "lamp shade",
        w.mesh("lamp shade", m.lamp, shade[0], shade[1], None, shade[2]),
        (2.32, 3.3, FLOOR + 1.75),
    )
    small_ball = (ball[0] * 0.55, ball[1], ball[2])
    w.position(
        "lamp bulb",
        w.mesh("lamp bulb", m.bulb, *small_ball[:2], None, small_ball[2]),
        (2.32, 3.3, FLOOR + 1.80),
    )
    cord = tube(
        np.array([[2.32, 3.3, FLOOR + 1.9], [2.32, 3.3, FLOOR + 2.6], [2.32, 3.3, FLOOR + HIGH - 0.05]]),
        np.full(3, 0.004),
        8,
    )
    w.position("lamp cord", w.mesh("lamp cord", m.twine, cord[0], cord[1], None, cord[2]))


def main() -> None:
    """Build and write the scene."""
    rng, w = np.random.default_rng(9), Writer()
    m = materials(w)
    add_room(w, m, rng)
    add_panes(w, m)
    add_things(w, m, rng)
    w.camera("Along the loft", (3.55, 0.45, FLOOR + 1.5), (1.55, 5.2, FLOOR + 1.22), 54.0)
    w.camera("Table", (3.75, 1.9, FLOOR + 1.42), (1.9, 3.4, FLOOR + 0.95), 40.0)
    w.write(TARGET)
    print(f"{TARGET.name}: {TARGET.stat().st_size / 1e6:.2f} MB")


if __name__ == "__main__":
    main()
