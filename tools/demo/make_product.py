# SPDX-License-Identifier: Apache-2.0
"""Build the product demo: a lidded enamel pail and a coil of rope on a slate bench by the bathing house.

Run it with `python tools/demo/make_product.py`. Everything is made here from numbers. The bench looks south;
the trees that dapple it are props of the shipped project, not part of the model.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from glb import Writer
from numpy.typing import NDArray
from pictures import boards, salt
from shapes import Boxes, tube, turned

TARGET = Path(__file__).resolve().parents[2] / "src/gloamet/data/demo/pail.glb"
BENCH_Z = 0.46


def smooth(profile: list[tuple[float, float]], steps: int = 6) -> NDArray:
    """A profile with rounded corners."""
    rows = np.asarray(profile, float)
    t = np.linspace(0, len(rows) - 1, steps * len(rows))
    out = np.stack([np.interp(t, np.arange(len(rows)), rows[:, k]) for k in range(2)], 1)
    for _ in range(3):
        out[1:-1] = 0.25 * out[:-2] + 0.5 * out[1:-1] + 0.25 * out[2:]
    return out


def pail() -> list[tuple[str, tuple[NDArray, NDArray, NDArray]]]:
    """Body, rim, lid and knob, turned; 28 cm high."""
    body = smooth(
        [
            (0.001, 0.0),
            (0.095, 0.0),
            (0.098, 0.004),
            (0.100, 0.02),
            (0.118, 0.20),
            (0.121, 0.225),
            (0.121, 0.23),
        ]
    )
    rim = smooth([(0.121, 0.222), (0.127, 0.224), (0.128, 0.230), (0.124, 0.235), (0.119, 0.233)], 10)
    lid = smooth(
        [(0.126, 0.231), (0.124, 0.238), (0.105, 0.247), (0.06, 0.258), (0.02, 0.262), (0.001, 0.262)]
    )
    knob = smooth(
        [(0.001, 0.258), (0.008, 0.262), (0.007, 0.272), (0.016, 0.277), (0.017, 0.286), (0.001, 0.291)]
    )
    return [
        ("body", turned(body, 96)),
        ("rim", turned(rim, 96)),
        ("lid", turned(lid, 96)),
        ("knob", turned(knob, 48)),
    ]


def handle() -> tuple[NDArray, NDArray, NDArray]:
    """The bail, swung down in front of the rim."""
    a = np.linspace(0, np.pi, 60)
    path = np.stack([0.126 * np.cos(a), -0.126 * np.sin(a) * 0.98, 0.205 - 0.075 * np.sin(a)], 1)
    return tube(path, np.full(60, 0.0027), 14)


def grip() -> tuple[NDArray, NDArray, NDArray]:
    """The wooden sleeve on the bail."""
    a = np.linspace(0.5 * np.pi - 0.36, 0.5 * np.pi + 0.36, 24)
    path = np.stack([0.126 * np.cos(a), -0.126 * np.sin(a) * 0.98, 0.205 - 0.075 * np.sin(a)], 1)
    return tube(path, 0.0095 + 0.0022 * np.sin(np.linspace(0, np.pi, 24)), 28)


def rope() -> tuple[NDArray, NDArray, NDArray]:
    """Three strands laid into a coil of five turns, its end on the bench."""
    t = np.linspace(0, 1, 1500)
    turns = 5.0
    angle = 2 * np.pi * turns * t
    radius = 0.112 - 0.012 * t + 0.003 * np.sin(9 * angle / turns)
    height = 0.011 + 0.0188 * turns * t * 0.52 + 0.002 * np.sin(5.3 * angle / turns)
    core = np.stack([radius * np.cos(angle), radius * np.sin(angle), height], 1)
    tail = np.stack(
        [0.112 + 0.20 * (1 - t[:200] / t[199]), -0.05 * (1 - t[:200] / t[199]) ** 2, np.full(200, 0.011)], 1
    )
    core = np.concatenate([tail[:-1], core])
    ahead = np.gradient(core, axis=0)
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    side = np.cross(ahead, [0, 0, 1.0])
    up = np.cross(side, ahead)
    run = np.cumsum(np.linalg.norm(np.diff(core, axis=0, prepend=core[:1]), axis=1))
    pieces = []
    for k in range(3):
        lay = 2 * np.pi * (run / 0.045 + k / 3)
        strand = core + 0.0052 * (np.cos(lay)[:, None] * side + np.sin(lay)[:, None] * up)
        pieces.append(tube(strand, np.full(len(strand), 0.0056), 8))
    offsets = np.cumsum([0, *(len(p) for p, _, _ in pieces)])
    return (
        np.concatenate([p for p, _, _ in pieces]),
        np.concatenate([tri + o for (_, tri, _), o in zip(pieces, offsets[:-1], strict=True)]),
        np.concatenate([n for _, _, n in pieces]),
    )


def bench() -> Boxes:
    """Two slate slabs on stone feet."""
    out = Boxes()
    out.add((-1.1, -0.24, BENCH_Z - 0.045), (0.148, 0.24, BENCH_Z), 0, (0.3, 0.2))
    out.add((0.152, -0.24, BENCH_Z - 0.045), (1.2, 0.24, BENCH_Z), 0, (2.1, 1.3))
    return out


def feet() -> Boxes:
    """What carries the slabs."""
    out = Boxes()
    for x in (-0.85, 0.05, 0.95):
        out.add((x, -0.19, 0.0), (x + 0.2, 0.19, BENCH_Z - 0.045), 2)
    return out


def wall() -> Boxes:
    """Silvered boards behind, as on the bathing house."""
    rng = np.random.default_rng(4)
    out = Boxes()
    for x in np.arange(-3.0, 3.0, 0.125):
        d = rng.uniform(-0.004, 0.004)
        out.add((x, 0.62 + d, 0.0), (x + 0.118, 0.66 + d, 2.6), 2, tuple(rng.uniform(0, 6, 2)))
    return out


def main() -> None:
    """Build and write the scene."""
    w = Writer()
    slate_pixels = np.clip(boards(5, (0.085, 0.09, 0.096), 0.18), 0, 255)
    silver = w.picture("silvered boards", boards(1, (0.36, 0.325, 0.28), 0.16))
    slate_picture = w.picture("slate", slate_pixels)
    crust = w.picture("salt crust", salt())
    enamel = w.material("enamel", (0.72, 0.745, 0.73), 0.32, coat=1.0)
    blue = w.material("enamel, rim", (0.022, 0.04, 0.105), 0.3, coat=1.0)
    wire = w.material("tinned wire", (0.74, 0.73, 0.70), 0.3, 1.0)
    ash = w.material("ash grip", (0.46, 0.30, 0.17), 0.55)
    hemp = w.material("hemp", (0.43, 0.335, 0.21), 0.95)
    slate = w.material("slate", (1, 1, 1), 0.55, picture=slate_picture)
    stone = w.material("limestone", (0.52, 0.49, 0.44), 0.95)
    boarding = w.material("silvered larch", (1, 1, 1), 0.85, picture=silver)
    ground = w.material("salt flat", (1, 1, 1), 1.0, picture=crust)
    corners = np.array([[-400, -400, 0], [400, -400, 0], [400, 400, 0], [-400, 400, 0]], float)
    w.position(
        "salt flat",
        w.mesh("salt flat", ground, corners, np.array([[0, 1, 2], [0, 2, 3]]), corners[:, :2] / 5),
    )
    for name, boxes, material, size in (
        ("bench", bench(), slate, 1.2),
        ("bench feet", feet(), stone, 1.0),
        ("boarding", wall(), boarding, 1.6),
    ):
        p, t, uv = boxes.mesh(size)
        w.position(name, w.mesh(name, material, p, t, uv))
    for name, (p, t, n) in pail():
        material = blue if name in ("rim", "knob") else enamel
        w.position(f"pail {name}", w.mesh(f"pail {name}", material, p, t, None, n), (-0.09, -0.01, BENCH_Z))
    for name, (p, t, n), material in (("pail bail", handle(), wire), ("pail grip", grip(), ash)):
        w.position(name, w.mesh(name, material, p, t, None, n), (-0.09, -0.01, BENCH_Z), 24.0)
    p, t, n = rope()
    w.position("rope", w.mesh("rope", hemp, p, t, None, n), (0.235, -0.06, BENCH_Z), 205.0)
    w.camera("85 mm", (0.85, -2.10, 0.98), (0.05, -0.02, 0.565), 16.1)
    w.camera("Close", (-0.55, -1.25, 0.86), (0.0, -0.02, 0.56), 22.0)
    w.write(TARGET)
    print(f"{TARGET.name}: {TARGET.stat().st_size / 1e6:.2f} MB")


if __name__ == "__main__":
    main()
