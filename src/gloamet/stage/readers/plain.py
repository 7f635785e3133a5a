# SPDX-License-Identifier: Apache-2.0
"""Shared code of formats without materials: one grey part, and a guess of units and axes."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from numpy.typing import NDArray

from gloamet.stage.placing import guess_units, guess_up
from gloamet.stage.scene import Material, Origin, Part, Scene, make_shape


def with_guess(scene: Scene) -> Scene:
    """The scene with the likeliest unit and up axis, each with its reason."""
    low, high = scene.bounds()
    units, units_why = guess_units(float((high - low).max()))
    up, up_why = guess_up(scene)
    return replace(scene, origin=Origin(units, up, units_why, up_why, declared=False))


def plain_scene(
    path: Path,
    name: str,
    positions: NDArray,
    triangles: NDArray,
    normals: NDArray | None = None,
    uvs: NDArray | None = None,
    colours: NDArray | None = None,
) -> Scene:
    """One part of one grey material, white where the file brings its own colours."""
    shape = make_shape(positions, triangles, normals, uvs, colours)
    grey = 1.0 if colours is not None else 0.8
    parts = (Part(name, 0, shape),) if shape is not None else ()
    return with_guess(Scene(path, parts, (Material("unnamed", (grey, grey, grey)),)))
