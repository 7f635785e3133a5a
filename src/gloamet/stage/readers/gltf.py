# SPDX-License-Identifier: Apache-2.0
"""Reading glTF 2.0 (.glb and .gltf): nodes to parts, lamps, views and motions.

A file enters; a Scene in the file's own metres with Y up leaves, with a note for everything left out.
"""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.camera import Camera
from gloamet.stage.readers.gltf_file import GltfFile
from gloamet.stage.readers.gltf_materials import mapping, number, read_lamp, read_material, uv_source
from gloamet.stage.readers.gltf_motion import Animation
from gloamet.stage.readers.progress import ProgressToken
from gloamet.stage.readers.sandbox import decode_draco
from gloamet.stage.scene import (
    Lamp,
    Material,
    Motion,
    Origin,
    Part,
    Scene,
    Shape,
    make_shape,
    unique_name,
    usable,
)

MAX_DEPTH = 256
MOST_EMPTIES = 200
MAX_PARTS = 1_000_000
TRIANGLES, STRIP, FAN = 4, 5, 6
DRACO = "KHR_draco_mesh_compression"
ORIGIN = Origin("m", "y", "glTF is always in metres", "glTF is always Y up")
Trail = tuple[int, ...]


@dataclass
class _Content:
    """What the walk has gathered."""

    parts: list[Part] = field(default_factory=list)
    views: dict[str, Camera] = field(default_factory=dict)
    lamps: list[Lamp] = field(default_factory=list)
    motions: dict[str, Motion] = field(default_factory=dict)
    empties: dict[str, NDArray] = field(default_factory=dict)
    names: dict[str, int] = field(default_factory=dict)
    squeezed: int = 0


def node_matrix(file: GltfFile, node: dict[str, Any]) -> NDArray[np.float64]:
    """A node's own 4x4 matrix."""
    if "matrix" in node:
        values = np.asarray(node["matrix"], float)
        if values.shape != (16,):
            raise file.bad("a node's matrix has not 16 numbers")
        return values.reshape(4, 4).T
    matrix = np.eye(4)
    x, y, z, w = (float(v) for v in node.get("rotation", (0, 0, 0, 1)))
    length = math.sqrt(x * x + y * y + z * z + w * w)
    if length > 1e-9:
        x, y, z, w = x / length, y / length, z / length, w / length
        matrix[:3, :3] = [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    matrix[:3, :3] *= np.asarray(node.get("scale", (1, 1, 1)), float)
    matrix[:3, 3] = np.asarray(node.get("translation", (0, 0, 0)), float)
    return matrix


def _triangles(file: GltfFile, mode: Any, order: NDArray | None, vertices: int) -> NDArray | None:
    if mode not in (TRIANGLES, STRIP, FAN):
        file.notes.append("Points and lines are left out.")
        return None
    if order is None:
        order = np.arange(vertices, dtype=np.uint32)
    elif order.dtype.kind != "u":
        raise file.bad("triangle indices are not whole numbers")
    if len(order) and int(order.max()) >= vertices:
        raise file.bad(f"a triangle uses vertex {int(order.max())}, and there are {vertices}")
    if mode == TRIANGLES:
        return order[: len(order) // 3 * 3].reshape(-1, 3)
    if len(order) < 3:
        return np.zeros((0, 3), np.uint32)
    if mode == FAN:
        return np.stack([np.full(len(order) - 2, order[0]), order[1:-1], order[2:]], 1)
    strip = np.stack([order[:-2], order[1:-1], order[2:]], 1)
    strip[1::2] = strip[1::2, [1, 0, 2]]
    return strip


class _Meshes:
    """Shapes by mesh and primitive, read once however often they are placed."""

    def __init__(self, file: GltfFile, watch: ProgressToken) -> None:
        self.file, self.watch = file, watch
        self.meshes = file.items("meshes")
        self.materials = file.items("materials")
        self.plain = len(self.materials)
        self._shapes: dict[int, list[tuple[Shape, int]]] = {}
        self._unpacked = self._unpack()

    def _unpack(self) -> dict[tuple[int, int], dict[str, NDArray]]:
        """Decode all Draco primitives in one go."""
        found, blocks = [], []
        for m, mesh in enumerate(self.meshes):
            for p, primitive in enumerate(self.file.rows(mesh, "primitives")):
                packed = mapping(mapping(primitive.get("extensions")).get(DRACO))
                if packed:
                    found.append((m, p))
                    attributes = {str(k): int(v) for k, v in mapping(packed.get("attributes")).items()}
                    blocks.append((bytes(self.file.view(packed.get("bufferView"))[0]), attributes))
        if not blocks:
            return {}
        self.watch.step(0.1, "unpacking")
        return dict(zip(found, decode_draco(self.file.path.name, blocks, self.watch), strict=True))

    def shapes(self, index: Any) -> list[tuple[Shape, int]]:
        """Shape and material of each primitive of a mesh."""
        if index not in self._shapes:
            mesh = self.file.item("meshes", index)
            self.watch.step(0.2 + 0.6 * len(self._shapes) / max(1, len(self.meshes)), "reading shapes")
            rows = self.file.rows(mesh, "primitives")
            made = [self._shape(row, self._unpacked.get((index, p))) for p, row in enumerate(rows)]
            self._shapes[index] = [m for m in made if m is not None]
        return self._shapes[index]

    def _shape(self, row: dict[str, Any], packed: dict[str, NDArray] | None) -> tuple[Shape, int] | None:
        file, attributes = self.file, mapping(row.get("attributes"))

        def values(key: str) -> NDArray | None:
            if packed is not None and key in packed:
                return packed[key]
            return file.accessor(attributes[key]) if key in attributes else None

        positions = values("POSITION")
        if positions is None or not len(positions):
            return None
        if positions.shape[1] != 3:
            raise file.bad("vertex positions have not three numbers")
        if packed is not None:
            order: NDArray | None = packed["indices"]
        else:
            order = file.accessor(row["indices"])[:, 0] if "indices" in row else None
        triangles = _triangles(file, row.get("mode", TRIANGLES), order, len(positions))
        if triangles is None or not len(triangles):
            return None
        material = row.get("material", self.plain)
        uv_name, turn = "TEXCOORD_0", None
        if material != self.plain:
            uv_name, turn = uv_source(file.item("materials", material))
        uvs, normals, colours = values(uv_name), values("NORMAL"), values("COLOR_0")
        for key, found, width in ((uv_name, uvs, 2), ("NORMAL", normals, 3)):
            if found is not None and found.shape != (len(positions), width):
                raise file.bad(f"{key} does not fit its vertices")
        if colours is not None and (len(colours) != len(positions) or colours.shape[1] < 3):
            raise file.bad("COLOR_0 does not fit its vertices")
        if uvs is not None and turn is not None:
            uvs = uvs @ turn[:, :2].T + turn[:, 2]
        made = make_shape(positions, triangles, normals, uvs, None if colours is None else colours[:, :3])
        if made is None:
            file.notes.append("A mesh has only degenerate triangles and is left out.")
            return None
        return made, material


def _view(matrix: NDArray, row: dict[str, Any]) -> Camera | None:
    lens = mapping(row.get("perspective"))
    ahead = -matrix[:3, 2]
    length = float(np.linalg.norm(ahead))
    if row.get("type") != "perspective" or length < 1e-12 or not np.isfinite(matrix).all():
        return None
    fov = math.degrees(number(lens.get("yfov"), 0.7, 0.01, 3.0))
    x, y, z = (matrix[:3, 3] + ahead / length * 10.0).tolist()
    a, b, c = matrix[:3, 3].tolist()
    return Camera((a, b, c), (x, y, z), fov)


def _roots(file: GltfFile) -> list[Any]:
    if file.items("scenes"):
        roots = file.item("scenes", file.tree.get("scene", 0)).get("nodes", [])
    else:
        children = {c for node in file.items("nodes") for c in node.get("children", [])}
        roots = [i for i in range(len(file.items("nodes"))) if i not in children]
    if not isinstance(roots, list):
        raise file.bad("its scene's nodes are not a list")
    return roots


class _Walk:
    """From the roots down: what each node carries."""

    def __init__(self, file: GltfFile, meshes: _Meshes) -> None:
        self.file, self.meshes, self.out = file, meshes, _Content()
        self.animation = Animation(file)
        # the tips of a figure's bones are no empties
        self.joints = {
            joint
            for skin in file.items("skins")
            for joint in skin.get("joints", [])
            if isinstance(joint, int)
        }
        self.lights = file.rows(
            mapping(mapping(file.tree.get("extensions")).get("KHR_lights_punctual")), "lights"
        )

    def _check_parents(self) -> None:
        """A node has one parent by the standard: shared ones could be met without end."""
        children = [c for node in self.file.items("nodes") for c in node.get("children", [])]
        counted = Counter(c for c in children if isinstance(c, int))
        shared = next((c for c, times in counted.items() if times > 1), None)
        if shared is not None:
            raise self.file.bad(f"its node {shared} has more than one parent")

    def run(self) -> _Content:
        self._check_parents()
        stack: list[tuple[Any, NDArray, Trail, tuple[str, ...]]] = [
            (i, np.eye(4), (), ()) for i in reversed(_roots(self.file))
        ]
        while stack:
            index, parent, trail, group = stack.pop()
            node = self.file.item("nodes", index)
            if index in trail:
                raise self.file.bad("its nodes contain themselves")
            if len(trail) > MAX_DEPTH:
                raise self.file.bad(f"its nodes are nested more than {MAX_DEPTH} deep")
            matrix = parent @ node_matrix(self.file, node)
            name = str(node.get("name") or f"part {index}")
            if "mesh" in node:
                self._place(node["mesh"], name, matrix, group)
            here = (*trail, index)
            self._carry(node, name, matrix, here)
            for child in reversed(node.get("children", [])):
                stack.append((child, matrix, here, (*group, name)))
        return self.out

    def _place(self, mesh: Any, name: str, matrix: NDArray, group: tuple[str, ...]) -> None:
        if not usable(matrix):
            self.out.squeezed += 1
            return
        if len(self.out.parts) > MAX_PARTS:
            raise self.file.bad(f"it places more than {MAX_PARTS} parts")
        for shape, material in self.meshes.shapes(mesh):
            unique = unique_name(name, self.out.names)
            self.out.parts.append(Part(unique, material, shape, matrix, group))

    def _carry(self, node: dict[str, Any], name: str, matrix: NDArray, trail: Trail) -> None:
        """A camera or light on a node, or nothing at all: an empty."""
        light = mapping(mapping(node.get("extensions")).get("KHR_lights_punctual"))
        fov = None
        if "camera" in node:
            view = _view(matrix, self.file.item("cameras", node["camera"]))
            if view is not None:
                self.out.views[name], fov = view, view.fov_deg
        if "light" in light:
            lamp = read_lamp(self.file.pick(self.lights, "lights", light["light"]), name, matrix)
            if lamp is not None:
                self.out.lamps.append(lamp)
        empty = not ({"mesh", "camera", "children"} & node.keys() or light or trail[-1] in self.joints)
        empty = empty and usable(matrix)
        if empty and len(self.out.empties) < MOST_EMPTIES:
            self.out.empties[name] = matrix
        if (empty or "camera" in node or "light" in light) and len(times := self.animation.times(trail)):
            poses = [self._pose(trail, float(time)) for time in times]
            self.out.motions[name] = Motion(times, np.asarray(poses), fov)

    def _pose(self, trail: Trail, time: float) -> NDArray:
        matrix = np.eye(4)
        for index in trail:
            row = self.animation.pose(index, self.file.item("nodes", index), time)
            matrix = matrix @ node_matrix(self.file, row)
        return matrix


def read_gltf(path: Path, watch: ProgressToken, outside: bool) -> Scene:
    """Read a .glb or .gltf file. Raises GloametError with one sentence when it is damaged."""
    watch.step(0.0, "reading")
    file = GltfFile(path, outside)
    watch.step(0.05, "reading pictures")
    materials = []
    for index, row in enumerate(file.items("materials")):
        materials.append(read_material(file, row, index))
        watch.step(0.05 + 0.1 * index / len(file.items("materials")), "reading pictures")
    materials.append(Material("unnamed"))
    found = _Walk(file, _Meshes(file, watch)).run()
    if found.squeezed:
        file.notes.append(f"{found.squeezed} parts have no extent and are left out.")
    for lamp in found.lamps:
        if lamp.kind == "distant":
            file.notes.append(f"The light {lamp.name} is a distant light: the sun replaces it.")
    watch.step(0.9, "reading")
    return Scene(
        path,
        tuple(found.parts),
        tuple(materials),
        tuple(file.textures),
        found.views,
        tuple(dict.fromkeys(file.notes)),
        tuple(found.lamps),
        found.motions,
        ORIGIN,
        found.empties,
    )
