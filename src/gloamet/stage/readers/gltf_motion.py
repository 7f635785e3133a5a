# SPDX-License-Identifier: Apache-2.0
"""Animation of nodes in glTF 2.0: the position of a light or camera at each key.

Only nodes that carry a light or camera, and the nodes above them, are looked at. Rotations between keys go
straight and are made unit again; cubic splines are taken at their keys.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.readers.gltf_file import GltfFile

MAX_KEYS = 10_000
Channel = tuple[NDArray, NDArray, bool]


class Animation:
    """The first animation of a file."""

    def __init__(self, file: GltfFile) -> None:
        self._channels: dict[tuple[int, str], Channel] = {}
        rows = file.items("animations")
        if len(rows) > 1:
            file.notes.append("Only the first animation of the file is read.")
        for channel in file.rows(rows[0], "channels") if rows else []:
            target = channel.get("target", {})
            path = target.get("path")
            if path in ("translation", "rotation", "scale") and isinstance(target.get("node"), int):
                sampler = file.pick(file.rows(rows[0], "samplers"), "samplers", channel.get("sampler"))
                found = self._sampler(file, sampler)
                if found is not None:
                    self._channels[target["node"], path] = found

    @staticmethod
    def _sampler(file: GltfFile, row: dict[str, Any]) -> Channel | None:
        times = file.accessor(row.get("input"))[:, 0].astype(float)
        values = file.accessor(row.get("output")).astype(float)
        if row.get("interpolation") == "CUBICSPLINE":
            values = values[1::3]
        if not 0 < len(times) <= MAX_KEYS or len(times) != len(values):
            return None
        if not (np.isfinite(times).all() and np.isfinite(values).all() and (np.diff(times) >= 0).all()):
            return None
        return times, values, row.get("interpolation") == "STEP"

    def times(self, trail: tuple[int, ...]) -> NDArray[np.float64]:
        """All key times of a node and the nodes above it, in order; empty when nothing moves."""
        keys = [times for (node, _), (times, _, _) in self._channels.items() if node in trail]
        return np.unique(np.concatenate(keys)) if keys else np.zeros(0)

    def pose(self, node: int, row: dict[str, Any], time: float) -> dict[str, Any]:
        """A node's own row with what moves put in."""
        moved = {
            path: _at(channel, time) for (owner, path), channel in self._channels.items() if owner == node
        }
        return {**{k: v for k, v in row.items() if k != "matrix"}, **moved} if moved else row


def _at(channel: Channel, time: float) -> list[float]:
    times, values, steps = channel
    k = int(np.clip(np.searchsorted(times, time, "right") - 1, 0, len(times) - 1))
    if steps or k + 1 >= len(times) or times[k + 1] <= times[k]:
        found: list[float] = values[k].tolist()
        return found
    fraction = min(max((time - times[k]) / (times[k + 1] - times[k]), 0.0), 1.0)
    after = values[k + 1]
    if len(after) == 4 and float(values[k] @ after) < 0.0:
        after = -after  # the short way round
    mixed: list[float] = ((1.0 - fraction) * values[k] + fraction * after).tolist()
    return mixed
