# SPDX-License-Identifier: Apache-2.0
"""The container of glTF 2.0 (.glb and .gltf): its JSON tree and buffers, every offset and index checked."""

from __future__ import annotations

import base64
import json
import struct
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.readers.textures import decode
from gloamet.stage.scene import Texture

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
UNDERSTOOD = {
    "KHR_draco_mesh_compression",
    "KHR_lights_punctual",
    "KHR_materials_clearcoat",
    "KHR_materials_emissive_strength",
    "KHR_materials_ior",
    "KHR_materials_transmission",
    "KHR_materials_unlit",
    "KHR_materials_volume",
    "KHR_mesh_quantization",
    "KHR_texture_transform",
}
MAX_ELEMENTS = 200_000_000
MAX_EMPTY = 20_000_000  # elements of an array that holds no data of its own


class GltfFile:
    """The JSON tree and the binary buffers of one file, with checked access."""

    def __init__(self, path: Path, outside: bool) -> None:
        self.path, self.outside = path, outside
        self.notes: list[str] = []
        self.textures: list[Texture] = []
        self._texture_of: dict[int, int | None] = {}
        data: Any = memoryview(path.read_bytes())
        self.embedded: memoryview | None = None
        if data[:4] == b"glTF":
            data = self._split(data)
        try:
            self.tree: dict[str, Any] = json.loads(bytes(data).decode("utf-8-sig"))
        except (UnicodeDecodeError, json.JSONDecodeError):
            raise self.bad("its description is not readable JSON") from None
        if not isinstance(self.tree, dict):
            raise self.bad("its description is not an object")
        version = str(self.tree.get("asset", {}).get("version", ""))
        if not version.startswith("2"):
            raise self.bad(f"it says version “{version or 'none'}”, and version 2 is read")
        self._refuse_unknown()
        self._buffers: dict[int, memoryview] = {}

    def bad(self, why: str) -> GloametError:
        """A sentence about this file."""
        return GloametError(f"{self.path.name} cannot be opened: {why}. Export it again.")

    def _split(self, data: memoryview) -> memoryview:
        if len(data) < 20:
            raise self.bad("it ends inside its header")
        version, length = struct.unpack_from("<II", data, 4)
        if version != 2:
            raise self.bad(f"it says version {version}, and version 2 is read")
        if length > len(data):
            raise self.bad(f"it is cut off: {len(data)} of {length} bytes are there")
        position, text = 12, memoryview(b"")
        while position + 8 <= length:
            size, kind = struct.unpack_from("<II", data, position)
            if position + 8 + size > length:
                raise self.bad("a chunk runs past its end")
            chunk = data[position + 8 : position + 8 + size]
            if kind == 0x4E4F534A:
                text = chunk
            elif kind == 0x004E4942 and self.embedded is None:
                self.embedded = chunk
            position += 8 + size + (-size % 4)
        return text

    def _refuse_unknown(self) -> None:
        unknown = [e for e in self.tree.get("extensionsRequired", []) if e not in UNDERSTOOD]
        if unknown:
            raise self.bad(f"it needs {', '.join(map(str, unknown))}, which is not read")
        for name in self.tree.get("extensionsUsed", []):
            if name not in UNDERSTOOD:
                self.notes.append(f"{name} is left out.")
        if self.tree.get("skins"):
            self.notes.append("Skinning is left out: figures stand in their rest pose.")

    def items(self, key: str) -> list[dict[str, Any]]:
        """A list of objects of the tree."""
        return self.rows(self.tree, key)

    def rows(self, tree: dict[str, Any], key: str) -> list[dict[str, Any]]:
        """A list of objects somewhere in the tree."""
        rows = tree.get(key, [])
        if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
            raise self.bad(f"“{key}” is not a list of objects")
        return rows

    def item(self, key: str, index: Any) -> dict[str, Any]:
        """One object of a list of the tree."""
        return self.pick(self.items(key), key, index)

    def pick(self, rows: list[dict[str, Any]], key: str, index: Any) -> dict[str, Any]:
        """One object of a list, its number checked."""
        if not isinstance(index, int) or isinstance(index, bool) or not 0 <= index < len(rows):
            raise self.bad(f"it refers to {key} {index}, and there are {len(rows)}")
        return rows[index]

    def uri_bytes(self, uri: str) -> bytes:
        """The bytes a URI names: data in itself, or a file beside the model."""
        if uri.startswith("data:"):
            head, _, body = uri.partition(",")
            return base64.b64decode(body) if head.endswith("base64") else unquote(body).encode("latin-1")
        return self.beside(uri).read_bytes()

    def beside(self, uri: str) -> Path:
        """The file a relative URI names. Raises GloametError when it climbs out and that is not allowed."""
        folder = self.path.parent.resolve()
        target = (folder / unquote(uri)).resolve()
        if not self.outside and not target.is_relative_to(folder):
            raise self.bad(f"it points outside its own folder ({uri}); allow that on the import sheet")
        return target

    def buffer(self, index: int) -> memoryview:
        """The bytes of a buffer."""
        if index not in self._buffers:
            row = self.item("buffers", index)
            if "uri" in row:
                try:
                    data = memoryview(self.uri_bytes(str(row["uri"])))
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

    def view(self, index: Any) -> tuple[memoryview, int]:
        """The bytes of a buffer view and its stride (0: packed)."""
        row = self.item("bufferViews", index)
        data = self.buffer(row.get("buffer", -1))
        start, size = int(row.get("byteOffset", 0)), int(row.get("byteLength", 0))
        if start < 0 or size < 0 or start + size > len(data):
            raise self.bad(f"buffer view {index} runs past its buffer")
        return data[start : start + size], int(row.get("byteStride", 0))

    def _strided(self, view: Any, offset: int, count: int, dtype: str, width: int) -> NDArray:
        data, stride = self.view(view)
        step = np.dtype(dtype).itemsize * width
        stride = stride or step
        last = offset + stride * (count - 1) + step if count else 0
        if offset < 0 or stride < step or last > len(data):
            raise self.bad(f"an array of {count} elements runs past buffer view {view}")
        return np.ndarray((count, width), dtype, data, offset, (stride, np.dtype(dtype).itemsize))

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
        elif "sparse" in row and count <= MAX_EMPTY:
            values = np.zeros((count, width), dtype)
        else:
            raise self.bad(f"accessor {index} claims {count} elements and has no data")
        if "sparse" in row:
            values = self._sparse(row["sparse"], values, dtype, width)
        return normalised(values) if row.get("normalized") else values

    def _sparse(self, sparse: dict[str, Any], values: NDArray, dtype: str, width: int) -> NDArray:
        count = int(sparse["count"])
        indices, news = sparse["indices"], sparse["values"]
        kind = COMPONENTS.get(indices.get("componentType", 0))
        if kind is None or not 0 <= count <= len(values):
            raise self.bad("a sparse accessor is malformed")
        at = self._strided(indices["bufferView"], int(indices.get("byteOffset", 0)), count, kind, 1)[:, 0]
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
            texture, note = self._decode(source)
            if note:
                self.notes.append(note)
            self._texture_of[source] = len(self.textures)
            self.textures.append(texture)
        return self._texture_of[source]

    def _decode(self, source: Any) -> tuple[Texture, str | None]:
        row = self.item("images", source)
        uri = str(row.get("uri", ""))
        name = str(row.get("name") or (f"image {source}" if uri.startswith("data:") else uri) or source)[:60]
        try:
            if "bufferView" in row:
                return decode(name, bytes(self.view(row["bufferView"])[0]))
            if uri.startswith("data:"):
                return decode(name, self.uri_bytes(uri))
            return decode(name, self.beside(uri))
        except GloametError as error:
            return decode(name, b"")[0], str(error)
        except ValueError:
            return decode(name, b"")


def normalised(values: NDArray) -> NDArray:
    """Whole numbers as fractions of their largest."""
    if values.dtype.kind not in "iu":
        return values
    return np.maximum(values / np.float32(np.iinfo(values.dtype).max), np.float32(-1.0))
