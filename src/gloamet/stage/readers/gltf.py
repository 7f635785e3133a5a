"""Reading glTF 2.0 (.glb and .gltf): every offset and index is checked before it is used.

A file enters; a Scene in metres with Z up leaves, with a note for everything that was left out.
"""

from __future__ import annotations

import base64
import json
import math
import struct
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.camera import Camera
from gloamet.stage.readers.textures import decode
from gloamet.stage.scene import Material, Part, Scene, Texture, UpAxis, make_part, to_world

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
UNDERSTOOD = {
    "KHR_materials_transmission",
    "KHR_materials_ior",
    "KHR_materials_volume",
    "KHR_mesh_quantization",
}
MAX_ELEMENTS = 200_000_000
MAX_DEPTH = 256
TRIANGLES, STRIP, FAN = 4, 5, 6


class _File:
    """The JSON tree and the binary buffers of one file, with checked access."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.notes: list[str] = []
        self.textures: list[Texture] = []
        self._texture_of: dict[int, int | None] = {}
        data = path.read_bytes()
        self.embedded: bytes | None = None
        if data[:4] == b"glTF":
            data = self._split(data)
        try:
            self.tree: dict[str, Any] = json.loads(data.decode("utf-8-sig"))
        except (UnicodeDecodeError, json.JSONDecodeError):
            raise self.bad("its description is not readable JSON") from None
        if not isinstance(self.tree, dict):
            raise self.bad("its description is not an object")
        version = str(self.tree.get("asset", {}).get("version", ""))
        if not version.startswith("2"):
            raise self.bad(f"it says version “{version or 'none'}”, and version 2 is read")
        self._refuse_unknown()
        self._buffers: dict[int, bytes] = {}

    def bad(self, why: str) -> GloametError:
        return GloametError(f"{self.path.name} cannot be opened: {why}. Export it again.")

    def _split(self, data: bytes) -> bytes:
        if len(data) < 20:
            raise self.bad("it ends inside its header")
        version, length = struct.unpack_from("<II", data, 4)
        if version != 2:
            raise self.bad(f"it says version {version}, and version 2 is read")
        if length > len(data):
            raise self.bad(f"it is cut off: {len(data)} of {length} bytes are there")
        place, text = 12, b""
        while place + 8 <= length:
            size, kind = struct.unpack_from("<II", data, place)
            if place + 8 + size > length:
                raise self.bad("a chunk runs past its end")
            chunk = data[place + 8 : place + 8 + size]
            if kind == 0x4E4F534A:
                text = chunk
            elif kind == 0x004E4942 and self.embedded is None:
                self.embedded = chunk
            place += 8 + size + (-size % 4)
        return text

    def _refuse_unknown(self) -> None:
        unknown = [e for e in self.tree.get("extensionsRequired", []) if e not in UNDERSTOOD]
        if unknown:
            raise self.bad(f"it needs {', '.join(map(str, unknown))}, which is not read")
        for name in self.tree.get("extensionsUsed", []):
            if name not in UNDERSTOOD:
                self.notes.append(f"{name} is left out.")
        if any("emissiveFactor" in m or "emissiveTexture" in m for m in self.items("materials")):
            self.notes.append("Emission of materials is left out: nothing glows yet.")
        if self.tree.get("animations"):
            self.notes.append("Animation is left out.")
        if self.tree.get("skins"):
            self.notes.append("Skinning is left out: figures stand in their rest pose.")

    def items(self, key: str) -> list[dict[str, Any]]:
        rows = self.tree.get(key, [])
        if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
            raise self.bad(f"“{key}” is not a list of objects")
        return rows

    def item(self, key: str, index: Any) -> dict[str, Any]:
        rows = self.items(key)
        if not isinstance(index, int) or isinstance(index, bool) or not 0 <= index < len(rows):
            raise self.bad(f"it refers to {key} {index}, and there are {len(rows)}")
        return rows[index]

    def uri_bytes(self, uri: str) -> bytes:
        if uri.startswith("data:"):
            head, _, body = uri.partition(",")
            return base64.b64decode(body) if head.endswith("base64") else unquote(body).encode("latin-1")
        return self.beside(uri).read_bytes()

    def beside(self, uri: str) -> Path:
        folder = self.path.parent.resolve()
        target = (folder / unquote(uri)).resolve()
        if not target.is_relative_to(folder):
            raise self.bad(f"it points outside its own folder ({uri})")
        return target

    def buffer(self, index: int) -> bytes:
        if index not in self._buffers:
            row = self.item("buffers", index)
            if "uri" in row:
                try:
                    data = self.uri_bytes(str(row["uri"]))
                except OSError:
                    raise self.bad(f"its buffer {str(row['uri'])[:60]} is missing") from None
            elif self.embedded is not None:
                data = self.embedded
            else:
                raise self.bad("a buffer has no data")
            if len(data) < int(row.get("byteLength", 0)):
                raise self.bad(f"buffer {index} is cut off")
            self._buffers[index] = data
        return self._buffers[index]

    def view(self, index: Any) -> tuple[bytes, int, int, int]:
        """Buffer, first byte, byte count and stride (0: packed) of a buffer view."""
        row = self.item("bufferViews", index)
        data = self.buffer(row.get("buffer", -1))
        start, size = int(row.get("byteOffset", 0)), int(row.get("byteLength", 0))
        if start < 0 or size < 0 or start + size > len(data):
            raise self.bad(f"buffer view {index} runs past its buffer")
        return data, start, size, int(row.get("byteStride", 0))

    def _strided(self, view: Any, offset: int, count: int, dtype: str, width: int) -> NDArray:
        data, start, size, stride = self.view(view)
        step = np.dtype(dtype).itemsize * width
        stride = stride or step
        last = offset + stride * (count - 1) + step if count else 0
        if offset < 0 or stride < step or last > size:
            raise self.bad(f"an array of {count} elements runs past buffer view {view}")
        shape, strides = (count, width), (stride, np.dtype(dtype).itemsize)
        return np.ndarray(shape, dtype, data, start + offset, strides)

    def accessor(self, index: Any) -> NDArray:
        """The elements of an accessor, (count, width); normalised integers become floats."""
        row = self.item("accessors", index)
        dtype, width = COMPONENTS.get(row.get("componentType", 0)), WIDTHS.get(str(row.get("type")))
        count = row.get("count", 0)
        if dtype is None or width is None:
            raise self.bad(f"accessor {index} has an unknown type")
        if not isinstance(count, int) or not 0 <= count <= MAX_ELEMENTS:
            raise self.bad(f"accessor {index} claims {count} elements")
        offset = int(row.get("byteOffset", 0))
        if "bufferView" in row:
            values = self._strided(row["bufferView"], offset, count, dtype, width)
        elif "sparse" in row:
            values = np.zeros((count, width), dtype)
        else:
            raise self.bad(f"accessor {index} has no data")
        if "sparse" in row:
            values = self._sparse(row["sparse"], values, dtype, width)
        if row.get("normalized") and values.dtype.kind in "iu":
            return np.maximum(values / float(np.iinfo(values.dtype).max), -1.0)
        return values

    def _sparse(self, sparse: dict[str, Any], values: NDArray, dtype: str, width: int) -> NDArray:
        count = int(sparse["count"])
        places, news = sparse["indices"], sparse["values"]
        kind = COMPONENTS.get(places.get("componentType", 0))
        if kind is None or not 0 <= count <= len(values):
            raise self.bad("a sparse accessor is malformed")
        at = self._strided(places["bufferView"], int(places.get("byteOffset", 0)), count, kind, 1)[:, 0]
        if count and int(at.max()) >= len(values):
            raise self.bad("a sparse accessor writes past its end")
        out = values.copy()
        out[at] = self._strided(news["bufferView"], int(news.get("byteOffset", 0)), count, dtype, width)
        return out

    def texture(self, info: dict[str, Any] | None) -> int | None:
        """Index of a decoded texture in the scene, None when the material names none."""
        if not info:
            return None
        source = self.item("textures", info.get("index")).get("source")
        if source is None:
            self.notes.append("A texture has no picture Gloamet reads.")
            return None
        if source not in self._texture_of:
            row = self.item("images", source)
            name = str(row.get("name") or row.get("uri", f"image {source}"))[:60]
            try:
                if "bufferView" in row:
                    data, start, size, _ = self.view(row["bufferView"])
                    texture, note = decode(name, data[start : start + size])
                elif str(row.get("uri", "")).startswith("data:"):
                    texture, note = decode(f"image {source}", self.uri_bytes(row["uri"]))
                else:
                    texture, note = decode(name, self.beside(str(row.get("uri", ""))))
            except ValueError:
                texture, note = decode(name, b"")
            if note:
                self.notes.append(note)
            self._texture_of[source] = len(self.textures)
            self.textures.append(texture)
        return self._texture_of[source]


def _number(value: Any, default: float, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        return default
    return min(max(float(value), low), high)


def _material(file: _File, row: dict[str, Any], index: int) -> Material:
    pbr = row.get("pbrMetallicRoughness", {})
    extensions = row.get("extensions", {})
    factor = (list(pbr.get("baseColorFactor", [])) + [1.0] * 4)[:4]
    colour = tuple(_number(c, 1.0, 0.0, 1.0) for c in factor[:3])
    name = str(row.get("name") or f"material {index}")
    transmission = extensions.get("KHR_materials_transmission", {}).get("transmissionFactor", 0.0)
    if row.get("alphaMode") == "BLEND" and _number(factor[3], 1.0, 0.0, 1.0) < 0.95 and not transmission:
        transmission = 1.0 - _number(factor[3], 1.0, 0.0, 1.0)
        file.notes.append(f"{name}: see-through blending is treated as thin glass.")
    if row.get("alphaMode") == "MASK":
        file.notes.append(f"{name}: alpha cut-out is left out, the whole surface shows.")
    if "normalTexture" in row:
        file.notes.append(f"{name}: its normal map is left out.")
    return Material(
        name,
        (colour[0], colour[1], colour[2]),
        _number(pbr.get("roughnessFactor"), 1.0, 0.0, 1.0),
        _number(pbr.get("metallicFactor"), 1.0, 0.0, 1.0),
        _number(transmission, 0.0, 0.0, 1.0),
        _number(extensions.get("KHR_materials_ior", {}).get("ior"), 1.5, 1.0, 3.0),
        _number(extensions.get("KHR_materials_volume", {}).get("thicknessFactor"), 0.0, 0.0, 1e9) == 0.0,
        file.texture(pbr.get("baseColorTexture")),
        file.texture(pbr.get("metallicRoughnessTexture")),
    )


def _node_matrix(file: _File, node: dict[str, Any]) -> NDArray[np.float64]:
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


def _triangles(file: _File, primitive: dict[str, Any], vertices: int) -> NDArray[np.int64] | None:
    mode = primitive.get("mode", TRIANGLES)
    if mode not in (TRIANGLES, STRIP, FAN):
        file.notes.append("Points and lines are left out.")
        return None
    if "indices" in primitive:
        order = file.accessor(primitive["indices"])
        if order.dtype.kind != "u":
            raise file.bad("triangle indices are not whole numbers")
        order = order[:, 0].astype(np.int64)
    else:
        order = np.arange(vertices)
    if len(order) and int(order.max()) >= vertices:
        raise file.bad(f"a triangle uses vertex {int(order.max())}, and there are {vertices}")
    if mode == TRIANGLES:
        return order[: len(order) // 3 * 3].reshape(-1, 3)
    if len(order) < 3:
        return np.zeros((0, 3), np.int64)
    if mode == FAN:
        return np.stack([np.full(len(order) - 2, order[0]), order[1:-1], order[2:]], 1)
    strip = np.stack([order[:-2], order[1:-1], order[2:]], 1)
    strip[1::2] = strip[1::2, [1, 0, 2]]
    return strip


def _parts(file: _File, mesh: dict[str, Any], name: str, matrix: NDArray, plain: int) -> list[Part]:
    parts = []
    for primitive in mesh.get("primitives", []):
        attributes = primitive.get("attributes", {})
        if "POSITION" not in attributes:
            continue
        positions = file.accessor(attributes["POSITION"])
        if positions.shape[1] != 3:
            raise file.bad("vertex positions have not three numbers")
        triangles = _triangles(file, primitive, len(positions))
        if triangles is None or not len(triangles):
            continue
        extra = {}
        for key, width in (("NORMAL", 3), ("TEXCOORD_0", 2)):
            values = file.accessor(attributes[key]) if key in attributes else None
            if values is not None and values.shape != (len(positions), width):
                raise file.bad(f"{key} does not fit the vertices of {name}")
            extra[key] = values
        material = primitive.get("material", plain)
        if material != plain:
            file.item("materials", material)
        part = make_part(name, material, positions, triangles, extra["NORMAL"], extra["TEXCOORD_0"], matrix)
        if part is None:
            file.notes.append(f"{name} has only degenerate triangles and is left out.")
        else:
            parts.append(part)
    return parts


def _view(node_matrix: NDArray, camera: dict[str, Any]) -> Camera | None:
    lens = camera.get("perspective")
    if camera.get("type") != "perspective" or not isinstance(lens, dict):
        return None
    eye = node_matrix[:3, 3]
    ahead = -node_matrix[:3, 2]
    length = float(np.linalg.norm(ahead))
    fov = math.degrees(_number(lens.get("yfov"), 0.7, 0.01, 3.0))
    if length < 1e-12 or not np.isfinite(node_matrix).all():
        return None
    target = eye + ahead / length * 10.0
    return Camera(tuple(eye.tolist()), tuple(target.tolist()), fov)


def read_gltf(path: Path, units: str, up: UpAxis) -> Scene:
    """Read a .glb or .gltf file. Raises GloametError with one sentence when it is damaged."""
    file = _File(path)
    world = to_world(up, units)
    materials = [_material(file, row, i) for i, row in enumerate(file.items("materials"))]
    plain = len(materials)
    materials.append(Material("unnamed"))
    parts: list[Part] = []
    views: dict[str, Camera] = {}

    scenes = file.items("scenes")
    roots = file.item("scenes", file.tree.get("scene", 0)).get("nodes", []) if scenes else None
    if roots is None:
        children = {c for node in file.items("nodes") for c in node.get("children", [])}
        roots = [i for i in range(len(file.items("nodes"))) if i not in children]
    stack: list[tuple[Any, NDArray, tuple[Any, ...]]] = [(i, world, (i,)) for i in reversed(roots)]
    while stack:
        index, parent, trail = stack.pop()
        node = file.item("nodes", index)
        matrix = parent @ _node_matrix(file, node)
        name = str(node.get("name") or f"part {index}")
        if "mesh" in node:
            parts += _parts(file, file.item("meshes", node["mesh"]), name, matrix, plain)
        if "camera" in node:
            row = file.item("cameras", node["camera"])
            view = _view(matrix, row)
            if view is not None:
                views[str(node.get("name") or row.get("name") or f"view {len(views) + 1}")] = view
        for child in reversed(node.get("children", [])):
            if child in trail or len(trail) > MAX_DEPTH:
                raise file.bad("its nodes contain themselves")
            stack.append((child, matrix, (*trail, child)))
    notes = tuple(dict.fromkeys(file.notes))
    return Scene(path, tuple(parts), tuple(materials), tuple(file.textures), views, notes)
