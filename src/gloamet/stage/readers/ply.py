# SPDX-License-Identifier: Apache-2.0
"""Reading PLY, text and binary: vertices with normals, texture coordinates and colours, and faces.

A file enters; a Scene of one part in the file's own lengths and axes leaves, with a guess of both. By hand, because
trimesh 5.2 (measured 2026-11-29) takes a file that lacks faces, and a face of vertices that are not there, without an
error, and rounds colours to 8 bit.
"""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import srgb_to_linear
from gloamet.errors import GloametError
from gloamet.stage.readers.plain import plain_scene
from gloamet.stage.readers.progress import ProgressToken
from gloamet.stage.scene import Scene

KINDS = {
    "char": "i1",
    "uchar": "u1",
    "short": "i2",
    "ushort": "u2",
    "int": "i4",
    "uint": "u4",
    "float": "f4",
    "double": "f8",
    "int8": "i1",
    "uint8": "u1",
    "int16": "i2",
    "uint16": "u2",
    "int32": "i4",
    "uint32": "u4",
    "float32": "f4",
    "float64": "f8",
}
MAX_COUNT, MAX_CORNERS = 200_000_000, 255


@dataclass
class _Element:
    """One kind of record: plain properties (name, kind) or lists (name, count kind, item kind)."""

    name: str
    count: int
    properties: list[tuple[str, ...]] = field(default_factory=list)

    @property
    def has_lists(self) -> bool:
        """Whether its rows differ in length."""
        return any(len(p) == 3 for p in self.properties)


class _Ply:
    def __init__(self, path: Path, data: bytes) -> None:
        self.path, self.data = path, data
        end = data.find(b"end_header")
        if not data.startswith(b"ply") or end < 0:
            raise self.bad("it has no PLY header")
        self.start = data.find(b"\n", end) + 1
        if not self.start:
            raise self.bad("it ends inside its header")
        self.form, self.elements = "", list[_Element]()
        for line in data[:end].decode("ascii", "replace").splitlines():
            self._header(line.split())
        orders = {"binary_little_endian": "<", "binary_big_endian": ">", "ascii": ""}
        if self.form not in orders:
            raise self.bad(f"its form “{self.form}” is not known")
        self.order = orders[self.form]

    def bad(self, why: str) -> GloametError:
        """The sentence for a file that cannot be read."""
        return GloametError(f"{self.path.name} cannot be opened: {why}. Export it again.")

    def _header(self, tokens: list[str]) -> None:
        if not tokens:
            return
        if tokens[0] == "format" and len(tokens) > 1:
            self.form = tokens[1]
        elif tokens[0] == "element" and len(tokens) == 3 and tokens[2].isdigit():
            if int(tokens[2]) > MAX_COUNT:
                raise self.bad(f"it claims {tokens[2]} records")
            self.elements.append(_Element(tokens[1], int(tokens[2])))
        elif tokens[0] == "property" and self.elements:
            kinds = tokens[2:4] if tokens[1:2] == ["list"] else tokens[1:2]
            if any(kind not in KINDS for kind in kinds) or len(tokens) != 2 + len(kinds) + (len(kinds) == 2):
                raise self.bad(f"the line “{' '.join(tokens)[:50]}” is not understood")
            row = (tokens[-1], *(KINDS[kind] for kind in kinds))
            self.elements[-1].properties.append(row)

    def read(self, watch: ProgressToken) -> dict[str, dict[str, NDArray]]:
        """Columns of every element by property; a face list becomes `triangles` (T, 3)."""
        out: dict[str, dict[str, NDArray]] = {}
        position = self.start
        rows = io.BytesIO(self.data[position:]) if not self.order else None
        for k, element in enumerate(self.elements):
            watch.step(0.2 + 0.6 * k / len(self.elements), "reading")
            if rows is not None:
                out[element.name] = self._text(element, rows)
            elif element.has_lists:
                out[element.name], position = self._lists(element, position)
            else:
                kind = np.dtype([(p[0], self.order + p[1]) for p in element.properties])
                size = kind.itemsize * element.count
                if position + size > len(self.data):
                    raise self.bad(f"it is cut off inside its {element.name} records")
                table = np.frombuffer(self.data, kind, element.count, position)
                out[element.name] = {p[0]: table[p[0]] for p in element.properties}
                position += size
        return out

    def _lists(self, element: _Element, position: int) -> tuple[dict[str, NDArray], int]:
        """Binary records with lists: all triangles at once where every face is one, else face by face."""
        fixed = self._same(element, position, 3)
        if fixed is not None:
            size, corners = fixed
            return {"triangles": corners}, position + size
        faces = []
        for _ in range(element.count):
            for prop in element.properties:
                if len(prop) == 2:
                    position += np.dtype(prop[1]).itemsize
                    continue
                head = np.dtype(self.order + prop[1])
                self._within(position + head.itemsize, element)
                count = int(np.frombuffer(self.data, head, 1, position)[0])
                position += head.itemsize
                item = np.dtype(self.order + prop[2])
                if not 0 <= count <= MAX_CORNERS:
                    raise self.bad(f"a face claims {count} corners")
                self._within(position + count * item.itemsize, element)
                if prop[0] in ("vertex_indices", "vertex_index"):
                    faces += fan(np.frombuffer(self.data, item, count, position).tolist())
                position += count * item.itemsize
        return {"triangles": np.asarray(faces, np.int64).reshape(-1, 3)}, position

    def _within(self, end: int, element: _Element) -> None:
        if end > len(self.data):
            raise self.bad(f"it is cut off inside its {element.name} records")

    def _same(self, element: _Element, position: int, corners: int) -> tuple[int, NDArray] | None:
        lists = [p for p in element.properties if len(p) == 3]
        if len(lists) != 1 or lists[0][0] not in ("vertex_indices", "vertex_index"):
            return None
        fields: list[tuple[object, ...]] = []
        for p in element.properties:
            if len(p) == 2:
                fields.append((p[0], self.order + p[1]))
            else:
                fields += [("count", self.order + p[1]), ("corners", self.order + p[2], corners)]
        kind = np.dtype(fields)
        size = kind.itemsize * element.count
        if position + size > len(self.data):
            return None
        table = np.frombuffer(self.data, kind, element.count, position)
        return (size, table["corners"].astype(np.int64)) if (table["count"] == corners).all() else None

    def _text(self, element: _Element, rows: io.BytesIO) -> dict[str, NDArray]:
        columns: dict[str, list[float]] = {p[0]: [] for p in element.properties if len(p) == 2}
        faces: list[tuple[int, int, int]] = []
        for number in range(element.count):
            tokens = rows.readline().split()
            try:
                for prop in element.properties:
                    if len(prop) == 2:
                        columns[prop[0]].append(float(tokens.pop(0)))
                        continue
                    count = int(tokens.pop(0))
                    items = [tokens.pop(0) for _ in range(count)]
                    if prop[0] in ("vertex_indices", "vertex_index"):
                        faces += fan([int(word) for word in items])
            except (IndexError, ValueError):
                raise self.bad(f"its {element.name} record {number + 1} is not readable") from None
        out = {name: np.asarray(values) for name, values in columns.items()}
        if element.has_lists:
            out["triangles"] = np.asarray(faces, np.int64).reshape(-1, 3)
        return out


def fan(corners: list[int]) -> list[tuple[int, int, int]]:
    """A polygon as triangles about its first corner."""
    return [(corners[0], corners[k], corners[k + 1]) for k in range(1, len(corners) - 1)]


def _columns(vertex: dict[str, NDArray], *choices: tuple[str, ...]) -> NDArray | None:
    for names in choices:
        if all(name in vertex for name in names):
            return np.stack([vertex[name] for name in names], 1)
    return None


def read_ply(path: Path, watch: ProgressToken, outside: bool) -> Scene:
    """Read a .ply file. Raises GloametError with one sentence when it is damaged."""
    watch.step(0.0, "reading")
    ply = _Ply(path, path.read_bytes())
    tables = ply.read(watch)
    vertex = tables.get("vertex", {})
    positions = _columns(vertex, ("x", "y", "z"))
    triangles = tables.get("face", tables.get("tristrips", {})).get("triangles")
    if positions is None:
        raise ply.bad("its vertices have no x, y and z")
    if triangles is None or not len(triangles):
        raise GloametError(f"{path.name} holds points only: Gloamet needs faces.")
    if int(triangles.min()) < 0 or int(triangles.max()) >= len(positions):
        raise ply.bad(f"a face uses vertex {int(triangles.max())}, and there are {len(positions)}")
    colours = _columns(vertex, ("red", "green", "blue"), ("diffuse_red", "diffuse_green", "diffuse_blue"))
    if colours is not None:
        top = 255.0 if colours.dtype.kind in "iu" or float(np.nanmax(colours)) > 1.0 else 1.0
        colours = srgb_to_linear(np.clip(colours / top, 0.0, 1.0))
    uvs = _columns(vertex, ("s", "t"), ("u", "v"), ("texture_u", "texture_v"))
    if uvs is not None:
        uvs = np.stack([uvs[:, 0], 1.0 - uvs[:, 1]], 1)
    return plain_scene(
        path, path.stem, positions, triangles, _columns(vertex, ("nx", "ny", "nz")), uvs, colours
    )
