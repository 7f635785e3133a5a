# SPDX-License-Identifier: Apache-2.0
"""Build the demo: a timber sea-bathing house on a salt flat, into src/gloamet/data/demo.

Run it with `python tools/demo/make_bathing_house.py`. Everything is made here from numbers; nothing comes
from elsewhere. The front looks south; +Y is north.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from glb import Writer
from pictures import boards, salt
from shapes import Boxes, figure, pine, tilt, tube, turn_z

TARGET = Path(__file__).resolve().parents[2] / "src/gloamet/data/demo/bathing_house.glb"
DECK_Z = 0.9
ROOF_Z = 3.75


def deck(rng: np.random.Generator) -> Boxes:
    """Planks of the platform and the steps that run down to the basin."""
    out = Boxes()
    for y in np.arange(-6.0, 6.0, 0.145):
        for x0, x1 in ((-9.0, -3.02), (-2.98, 3.02), (3.06, 9.0)):
            z = DECK_Z + rng.normal(0, 0.002)
            out.add((x0, y, z - 0.04), (x1, y + 0.138, z), 0, tuple(rng.uniform(0, 5, 2)))
    for k in range(5):
        z = DECK_Z - 0.15 * (k + 1)
        for half in (0.0, 0.17):
            y = -6.0 - 0.34 * k - half
            out.add((-4.5, y - 0.165, z - 0.045), (4.5, y - 0.005, z), 0, tuple(rng.uniform(0, 5, 2)))
        out.add((-4.5, -6.0 - 0.34 * k - 0.02, z - 0.005), (4.5, -6.0 - 0.34 * k, z + 0.11), 0)
    return out


def frame(rng: np.random.Generator) -> Boxes:
    """Posts, beams, roof, mullions, bench and the line of mooring posts: darker timber."""
    out = Boxes()
    for x in np.arange(-8.7, 8.8, 2.9):
        for y in (-5.7, 5.7):
            out.add((x - 0.11, y - 0.11, 0.0), (x + 0.11, y + 0.11, DECK_Z - 0.04), 2)
    for x in np.linspace(-8.7, 8.7, 7):
        out.add((x - 0.07, -5.75, DECK_Z), (x + 0.07, -5.61, ROOF_Z - 0.14), 2, tuple(rng.uniform(0, 5, 2)))
    out.add((-9.2, -5.78, ROOF_Z - 0.14), (9.2, -5.58, ROOF_Z + 0.06), 0)
    for y in (0.0, -5.58):
        out.add((-9.0, y, DECK_Z - 0.28), (9.0, y + 0.12, DECK_Z - 0.05), 0)
    for x in np.arange(-8.95, 9.0, 0.62):  # rafters: bare over the veranda, roofed over the house
        out.add(
            (x - 0.035, -6.3, ROOF_Z + 0.06), (x + 0.035, 6.2, ROOF_Z + 0.24), 1, tuple(rng.uniform(0, 5, 2))
        )
    out.add((-9.4, -1.2, ROOF_Z + 0.24), (9.4, 6.4, ROOF_Z + 0.34), 0)
    for x in np.linspace(-4.2, 4.2, 7):  # mullions of the glass front
        out.add((x - 0.03, -0.04, DECK_Z), (x + 0.03, 0.04, ROOF_Z + 0.06), 2)
    for z in (DECK_Z, 2.95, ROOF_Z):
        out.add((-4.2, -0.03, z), (4.2, 0.03, z + 0.06), 0)
    out.add((-3.6, 3.6, DECK_Z + 0.42), (3.6, 4.1, DECK_Z + 0.48), 0)
    for x in (-3.4, 0.0, 3.4):
        out.add((x - 0.05, 3.65, DECK_Z), (x + 0.05, 4.05, DECK_Z + 0.42), 2)
    for k in range(30):  # mooring posts out to the flats
        x, y = 15.5 + 2.6 * k, -9.0 + 1.1 * k
        h = 1.25 + rng.uniform(-0.25, 0.2)
        out.add(
            (x - 0.1, y - 0.1, 0),
            (x + 0.1, y + 0.1, h),
            2,
            tuple(rng.uniform(0, 5, 2)),
            turn_z(rng.uniform(0, 90)),
        )
    return out


def walls(rng: np.random.Generator) -> Boxes:
    """Upright boards of the house, silvered."""
    out = Boxes()
    top = ROOF_Z + 0.06

    def board(x: float, y: float, wide_x: float, wide_y: float, z0: float = DECK_Z) -> None:
        d = rng.uniform(-0.006, 0.006)
        out.add((x, y + d, z0), (x + wide_x, y + wide_y + d, top), 2, tuple(rng.uniform(0, 6, 2)))

    for x in np.arange(-7.6, 7.55, 0.125):
        board(x, 5.4, 0.117, 0.05)
        if not -4.25 < x < 4.2:
            door = -6.3 < x < -5.3
            board(x, 0.0, 0.117, 0.05, DECK_Z + 2.1 if door else DECK_Z)
    for y in np.arange(0.05, 5.4, 0.125):
        board(7.55, y, 0.05, 0.117)
        if not 1.2 < y < 4.0:
            board(-7.6, y, 0.05, 0.117)
        if not 1.2 < y < 4.4:
            board(4.3, y, 0.05, 0.117)
            board(-4.3, y, 0.05, 0.117)
    return out


def louvres() -> Boxes:
    """Slats: upright fins before the east wing, tilted blades in the west window."""
    out = Boxes()
    for x in np.arange(4.5, 8.8, 0.16):
        out.add((x, -5.62, DECK_Z + 0.1), (x + 0.035, -5.44, ROOF_Z - 0.14), 2, lean=turn_z(28))
    for z in np.arange(DECK_Z + 0.2, ROOF_Z - 0.1, 0.12):
        out.add((-7.68, 1.2, z), (-7.54, 4.05, z + 0.018), 1, lean=tilt(1, 38))
    for x in np.arange(-8.95, -4.3, 0.12):
        out.add((x, -5.5, ROOF_Z + 0.25), (x + 0.03, -1.3, ROOF_Z + 0.37), 1)
    return out


def stone() -> Boxes:
    """Rim of the basin, plinth and stepping stones."""
    out = Boxes()
    y0, y1 = -14.6, -7.75
    for low, high in (
        ((-5.6, y1, -0.2), (5.6, y1 + 0.45, 0.16)),
        ((-5.6, y0 - 0.45, -0.2), (5.6, y0, 0.16)),
        ((-5.6, y0, -0.2), (-5.0, y1, 0.16)),
        ((5.0, y0, -0.2), (5.6, y1, 0.16)),
    ):
        out.add(low, high)
    for k in range(7):
        out.add(
            (7.2 + 1.05 * k, -9.2 - 0.75 * k, -0.05),
            (8.0 + 1.05 * k, -8.5 - 0.75 * k, 0.07),
            lean=turn_z(-22.0 * k),
        )
    return out


def plane(
    low: tuple[float, float], high: tuple[float, float], z: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A level rectangle; uvs in metres."""
    corners = np.array([[low[0], low[1]], [high[0], low[1]], [high[0], high[1]], [low[0], high[1]]], float)
    points = np.concatenate([corners, np.full((4, 1), z)], 1)
    return points, np.array([[0, 1, 2], [0, 2, 3]]), corners


def place_trees(w: Writer, bark: int, needles: int) -> None:
    """Three kinds of pine, placed around the house and behind the camera's usual stand."""
    kinds = []
    for seed, count in ((11, 9200), (12, 8600), (13, 8000)):
        wood, leaf = pine(seed, count)
        kinds.append(
            (
                w.mesh(f"pine {seed} wood", bark, wood[0], wood[1], None, wood[2]),
                w.mesh(f"pine {seed}", needles, *leaf),
            )
        )
    spots = [
        (-12.5, 3.5, 0, 0, 1.15),
        (-15.8, -1.8, 1, 40, 0.95),
        (12.9, 7.6, 2, 15, 1.2),
        (10.8, 9.6, 0, 70, 0.9),
        (-10.6, 8.8, 1, 20, 1.05),
        (-19.5, 9.0, 2, 300, 1.3),
        (17.6, 3.4, 1, 330, 0.8),
        (-2.5, 11.5, 2, 10, 1.1),
        (15.2, -12.5, 0, 160, 1.05),
    ]
    for k, (x, y, kind, turn, scale) in enumerate(spots):
        for mesh, part in zip(kinds[kind], ("wood", "needles"), strict=True):
            w.position(f"pine {k + 1} {part}", mesh, (x, y, -0.05), turn, scale)


def place_water_and_glass(w: Writer, water: int, glass: int) -> None:
    """The basin's surface and the panes of the front."""
    p, t, _ = plane((-5.0, -14.6), (5.0, -7.75), 0.06)
    w.position("water", w.mesh("water", water, p, t))
    panes = [(x + 0.03, x + 1.37) for x in np.linspace(-4.2, 2.8, 6)]
    points = np.concatenate(
        [
            [[a, 0.0, DECK_Z + 0.06], [b, 0.0, DECK_Z + 0.06], [b, 0.0, ROOF_Z], [a, 0.0, ROOF_Z]]
            for a, b in panes
        ]
    )
    first = 4 * np.arange(len(panes))[:, None]
    w.position(
        "glass front", w.mesh("glass", glass, points, np.concatenate([first + [0, 1, 2], first + [0, 2, 3]]))
    )


def place_rails_and_bathers(w: Writer, brass: int, robes: list[int]) -> None:
    """Two rails down into the basin and three people."""
    for x in (-4.75, 4.75):
        path = np.array(
            [
                [x, -5.9, DECK_Z + 0.95],
                [x, -6.1, DECK_Z + 0.93],
                [x, -7.7, 0.98],
                [x, -7.75, 0.9],
                [x, -7.75, 0.1],
            ]
        )
        p, t, n = tube(path, np.full(5, 0.024), 12)
        w.position("rail", w.mesh("rail", brass, p, t, None, n))
    p, t, n = figure()
    spots = (
        (-2.6, -4.2, DECK_Z, 200, 1.0),
        (3.4, -6.95, DECK_Z - 0.45, 20, 0.95),
        (7.9, -10.8, 0.05, 110, 1.02),
    )
    for k, (x, y, z, turn, scale) in enumerate(spots):
        w.position(
            f"bather {k + 1}", w.mesh(f"bather {k + 1}", robes[k], p, t, None, n), (x, y, z), turn, scale
        )


def place_cameras(w: Writer) -> None:
    """The views that come with the scene."""
    w.camera("From the basin", (11.5, -21.0, 1.75), (-0.6, -1.0, 2.15), 34.0)
    w.camera("Veranda", (-8.2, -4.6, DECK_Z + 1.6), (3.0, -3.2, DECK_Z + 1.2), 52.0)
    w.camera("From the flats", (-34.0, -30.0, 1.6), (-1.0, 0.0, 3.0), 24.0)
    w.camera("From above", (24.0, -30.0, 20.0), (0.0, -2.0, 0.5), 36.0)


def main() -> None:
    """Build and write the scene."""
    rng = np.random.default_rng(7)
    w = Writer()
    silver, warm = (
        w.picture("silvered boards", boards(1, (0.36, 0.325, 0.28), 0.16)),
        w.picture("deck boards", boards(2, (0.44, 0.315, 0.205), 0.2)),
    )
    crust = w.picture("salt crust", salt())
    ground = w.material("salt flat", (1, 1, 1), 1.0, picture=crust)
    wall = w.material("silvered larch", (1, 1, 1), 0.85, picture=silver)
    floor = w.material("deck", (1, 1, 1), 0.7, picture=warm)
    dark = w.material("tarred frame", (0.28, 0.26, 0.25), 0.6, picture=silver)
    slats = w.material("louvres", (0.95, 0.7, 0.45), 0.65, picture=warm)
    pale = w.material("limestone", (0.52, 0.49, 0.44), 0.95)
    water = w.material("water", (0.02, 0.045, 0.05), 0.0)
    glass = w.material("glass", (0.96, 0.99, 0.97), 0.0, glass=True)
    bark = w.material("pine bark", (0.17, 0.105, 0.07), 1.0)
    needles = w.material("pine needles", (0.062, 0.115, 0.042), 0.8)
    robes = [
        w.material("robe, rust", (0.38, 0.15, 0.09), 0.95),
        w.material("robe, chalk", (0.72, 0.69, 0.62), 0.95),
        w.material("robe, indigo", (0.075, 0.1, 0.16), 0.95),
    ]
    brass = w.material("brass rail", (0.86, 0.62, 0.28), 0.22, 1.0)

    p, t, uv = plane((-3000.0, -3000.0), (3000.0, 3000.0), 0.0)
    w.position("salt flat", w.mesh("salt flat", ground, p, t, uv / 5.0))
    for name, boxes, material, size in (
        ("deck and steps", deck(rng), floor, 1.6),
        ("walls", walls(rng), wall, 1.6),
        ("frame and roof", frame(rng), dark, 1.6),
        ("louvres", louvres(), slats, 1.6),
        ("basin rim", stone(), pale, 2.0),
    ):
        p, t, uv = boxes.mesh(size)
        w.position(name, w.mesh(name, material, p, t, uv))
    place_water_and_glass(w, water, glass)
    place_rails_and_bathers(w, brass, robes)
    place_trees(w, bark, needles)
    place_cameras(w)
    TARGET.parent.mkdir(parents=True, exist_ok=True)
    w.write(TARGET)
    print(f"{TARGET.name}: {TARGET.stat().st_size / 1e6:.2f} MB")


if __name__ == "__main__":
    main()
