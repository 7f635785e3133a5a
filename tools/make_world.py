# SPDX-License-Identifier: Apache-2.0
"""Make src/gloamet/data/world.npz: the coasts of the world for the site map.

Takes the file land-110m.json of the npm package world-atlas 2 (ISC licence; the data are Natural Earth's, public
domain): `python tools/make_world.py land-110m.json`.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np

ISLAND = 40  # points of a ring that may cross the date line; continents are cut there already
TARGET = Path(__file__).parents[1] / "src" / "gloamet" / "data" / "world.npz"


def main() -> None:
    """Undo the file's differences and write rings one after another: points (N, 2) longitude, latitude; ends (R,)."""
    words = json.loads(Path(sys.argv[1]).read_text())
    scale, shift = np.array(words["transform"]["scale"]), np.array(words["transform"]["translate"])
    arcs = [np.cumsum(np.array(arc), 0) * scale + shift for arc in words["arcs"]]
    rings = []
    for shape in words["objects"]["land"]["geometries"]:
        polygons = shape["arcs"] if shape["type"] == "MultiPolygon" else [shape["arcs"]]
        for polygon in polygons:
            for ring in polygon:
                pieces = [arcs[k] if k >= 0 else arcs[~k][::-1] for k in ring]
                rings.append(
                    np.concatenate([piece if not n else piece[1:] for n, piece in enumerate(pieces)])
                )
    for ring in rings:  # an island across the date line goes on past 180 degrees
        if len(ring) < ISLAND:
            ring[:, 0] = np.unwrap(ring[:, 0], period=360.0)
    points = np.concatenate(rings).astype(np.float32)
    ends = np.cumsum([len(ring) for ring in rings]).astype(np.int32)
    np.savez_compressed(TARGET, points=points, ends=ends)
    print(f"{TARGET.name}: {len(ends)} rings, {len(points)} points, {TARGET.stat().st_size / 1e3:.0f} kB")


if __name__ == "__main__":
    main()
