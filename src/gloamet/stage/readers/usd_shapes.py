# SPDX-License-Identifier: Apache-2.0
"""Meshes and simple solids of USD as triangles, every index checked; used by `usd_worker` only."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import UsdGeom

SIDES, RINGS = 48, 24
Note = Callable[[str], None]


@dataclass(frozen=True)
class Made:
    """triangles (T, 3), the face each came from (T,), and columns: points, normals, uvs, colours."""

    triangles: NDArray
    face_of: NDArray
    face_count: int
    columns: dict[str, NDArray]


def _polygons(counts: NDArray, corners: int) -> tuple[NDArray, NDArray] | None:
    """Fans over polygons of some corner counts: corner numbers (T, 3) and faces (T,)."""
    if (counts < 0).any() or int(counts.sum()) != corners:
        return None
    inner = np.maximum(counts - 2, 0)
    face_of = np.repeat(np.arange(len(counts)), inner)
    first = np.repeat(np.cumsum(counts) - counts, inner)
    step = np.arange(len(face_of)) - np.repeat(np.cumsum(inner) - inner, inner)
    return np.stack([first, first + step + 1, first + step + 2], 1), face_of


def _primvar(prim: Any, names: tuple[str, ...], time: Any) -> tuple[NDArray, str] | None:
    for name in names:
        found = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance(name)
        if found and found.HasValue():
            values = found.ComputeFlattened(time)
            if values is not None and len(values):
                return np.asarray(values, np.float32).reshape(len(values), -1), str(found.GetInterpolation())
    return None


def _spread(found: tuple[NDArray, str] | None, order: NDArray, face: NDArray, points: int) -> NDArray | None:
    """Values per corner, None when they do not fit."""
    if found is None:
        return None
    values, kind = found
    if kind in ("vertex", "varying") and len(values) == points:
        return values[order]
    if kind == "faceVarying" and len(values) == len(order):
        return values
    if kind == "uniform" and len(values) == int(face.max(initial=-1)) + 1:
        return values[face]
    if kind == "constant" or len(values) == 1:
        return np.repeat(values[:1], len(order), 0)
    return None


def mesh(prim: Any, time: Any, note: Note) -> Made | None:
    """A UsdGeomMesh; vertices are split at corners only where something needs it."""
    source = UsdGeom.Mesh(prim)
    points = np.asarray(source.GetPointsAttr().Get(time) or [], np.float32).reshape(-1, 3)
    counts = np.asarray(source.GetFaceVertexCountsAttr().Get(time) or [], np.int64)
    order = np.asarray(source.GetFaceVertexIndicesAttr().Get(time) or [], np.int64)
    fans = _polygons(counts, len(order))
    if fans is None or not len(order) or order.min() < 0 or order.max() >= len(points):
        note(f"{prim.GetName()} has faces that do not fit its points and is left out.")
        return None
    triangles, face_of = fans
    if source.GetOrientationAttr().Get(time) == UsdGeom.Tokens.leftHanded:
        triangles = triangles[:, [0, 2, 1]]
    if (
        source.GetSubdivisionSchemeAttr().HasAuthoredValue()
        and str(source.GetSubdivisionSchemeAttr().Get()) != "none"
    ):
        note("Subdivision surfaces are shown as their cages.")
    face = np.repeat(np.arange(len(counts)), counts)
    normals = source.GetNormalsAttr().Get(time)
    given = _primvar(prim, ("normals",), time)
    if given is None and normals is not None and len(normals):
        given = (np.asarray(normals, np.float32).reshape(-1, 3), str(source.GetNormalsInterpolation()))
    columns = {
        "normals": _spread(given, order, face, len(points)),
        "uvs": _spread(_primvar(prim, ("st", "UVMap", "st0", "map1"), time), order, face, len(points)),
        "colours": _spread(_primvar(prim, ("displayColor",), time), order, face, len(points)),
    }
    out = {name: values for name, values in columns.items() if values is not None}
    if "uvs" in out:
        out["uvs"] = np.stack([out["uvs"][:, 0], 1.0 - out["uvs"][:, 1]], 1)
    if "colours" in out and UsdGeom.Gprim(prim).GetDisplayColorAttr().HasAuthoredValue() is False:
        del out["colours"]
    if not out:
        return Made(order[triangles], face_of, len(counts), {"points": points})
    return Made(triangles, face_of, len(counts), {"points": points[order], **out})


def ball(radius: float) -> tuple[NDArray, NDArray]:
    """Points and triangles of a sphere."""
    a = np.linspace(0.0, np.pi, RINGS + 1)
    b = np.arange(SIDES) / SIDES * 2.0 * np.pi
    rows = np.sin(a)[:, None, None] * np.stack([np.cos(b), np.sin(b), 0 * b], 1)
    rows[..., 2] = np.cos(a)[:, None]
    i, j = np.meshgrid(np.arange(RINGS), np.arange(SIDES), indexing="ij")
    k = (j + 1) % SIDES
    quad = np.stack([i * SIDES + j, (i + 1) * SIDES + j, (i + 1) * SIDES + k, i * SIDES + k], -1).reshape(
        -1, 4
    )
    return radius * rows.reshape(-1, 3), np.concatenate([quad[:, [0, 1, 2]], quad[:, [0, 2, 3]]])


def _box(half: NDArray) -> tuple[NDArray, NDArray]:
    points = np.array([[x, y, z] for z in (-1, 1) for y in (-1, 1) for x in (-1, 1)], float) * half
    faces = np.array([[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]])
    return points, np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]])


def solid(prim: Any, note: Note) -> Made | None:
    """A cube, sphere or cylinder; other solids are left out with a note."""
    normals = None
    if prim.IsA(UsdGeom.Cube):
        points, triangles = _box(np.full(3, 0.5 * float(UsdGeom.Cube(prim).GetSizeAttr().Get())))
    elif prim.IsA(UsdGeom.Sphere):
        points, triangles = ball(float(UsdGeom.Sphere(prim).GetRadiusAttr().Get()))
        normals = points.copy()
    elif prim.IsA(UsdGeom.Cylinder):
        source = UsdGeom.Cylinder(prim)
        radius, height = float(source.GetRadiusAttr().Get()), float(source.GetHeightAttr().Get())
        b = np.arange(SIDES) / SIDES * 2.0 * np.pi
        ring = np.stack([radius * np.cos(b), radius * np.sin(b), 0 * b], 1)
        points = np.concatenate(
            [ring + [0, 0, -height / 2], ring + [0, 0, height / 2], [[0, 0, -height / 2], [0, 0, height / 2]]]
        )
        j = np.arange(SIDES)
        k = (j + 1) % SIDES
        triangles = np.concatenate(
            [
                np.stack([j, k, SIDES + k], 1),
                np.stack([j, SIDES + k, SIDES + j], 1),
                np.stack([k, j, np.full(SIDES, 2 * SIDES)], 1),
                np.stack([SIDES + j, SIDES + k, np.full(SIDES, 2 * SIDES + 1)], 1),
            ]
        )
        turn = {"X": [2, 0, 1], "Y": [1, 2, 0], "Z": [0, 1, 2]}[str(source.GetAxisAttr().Get())]
        points = points[:, turn]
    else:
        note(f"{prim.GetTypeName()} {prim.GetName()} is a shape that is left out.")
        return None
    columns = {"points": points.astype(np.float32)}
    if normals is not None:
        columns["normals"] = normals.astype(np.float32)
    return Made(triangles, np.zeros(len(triangles), np.int64), 1, columns)
