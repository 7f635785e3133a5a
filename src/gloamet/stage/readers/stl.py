# SPDX-License-Identifier: Apache-2.0
"""Reading STL, binary and text: one part, no material; vertices of like place are joined.

A file enters; a Scene in the file's own lengths and axes leaves, with a guess of both. By hand, because trimesh 5.2
(measured 2026-11-29) lets coordinates that are not numbers through and cannot read a damaged binary file without one
more package.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.readers.plain import plain_scene
from gloamet.stage.readers.progress import ProgressToken
from gloamet.stage.scene import Scene

HEADER, RECORD = 84, np.dtype([("normal", "<f4", 3), ("points", "<f4", (3, 3)), ("extra", "<u2")])


def _binary(path: Path, data: bytes) -> NDArray | None:
    """Corners (T, 3, 3), None when the file is text."""
    if len(data) < HEADER:
        return None
    count = int(np.frombuffer(data, "<u4", 1, 80)[0])
    wanted = HEADER + count * RECORD.itemsize
    if wanted == len(data):
        return np.frombuffer(data, RECORD, count, HEADER)["points"]
    if data[:5].lower() == b"solid" and b"vertex" in data[:4096]:
        return None
    raise GloametError(
        f"{path.name} is cut off: it announces {count} triangles, which need {wanted} bytes, and "
        f"{len(data)} are there. Export it again."
    )


def _text(path: Path, data: bytes) -> NDArray:
    rows = []
    for number, line in enumerate(data.decode("utf-8", "replace").splitlines(), 1):
        tokens = line.split()
        if tokens and tokens[0].lower() == "vertex":
            try:
                rows.append([float(w) for w in tokens[1:4]])
                if len(rows[-1]) != 3:
                    raise ValueError
            except ValueError:
                raise GloametError(
                    f"{path.name}, line {number}: “{line.strip()[:50]}” is not a corner. Export it again."
                ) from None
    if not rows or len(rows) % 3:
        raise GloametError(
            f"{path.name} is cut off or no STL: {len(rows)} corners are there. Export it again."
        )
    return np.asarray(rows, np.float32).reshape(-1, 3, 3)


def read_stl(path: Path, watch: ProgressToken, outside: bool) -> Scene:
    """Read an .stl file. Raises GloametError with one sentence when it is damaged."""
    watch.step(0.0, "reading")
    data = path.read_bytes()
    corners = _binary(path, data)
    if corners is None:
        corners = _text(path, data)
    watch.step(0.5, "joining corners")
    flat = np.ascontiguousarray(corners.reshape(-1, 3), np.float32)
    keys = flat.view(np.dtype((np.void, 12))).ravel()
    _, first, order = np.unique(keys, return_index=True, return_inverse=True)
    return plain_scene(path, path.stem, flat[first], order.reshape(-1, 3))
