# SPDX-License-Identifier: Apache-2.0
"""Reading OBJ with MTL: groups become parts, polygons become triangles, every index is checked.

A file enters; a Scene in the file's own lengths and axes leaves, with a guess of both and a note for
everything that was left out. By hand, because trimesh 5.2 (measured 2026-11-29) takes a file that is cut off as a
smaller mesh and lets coordinates that are not numbers through, without an error.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from gloamet.errors import GloametError
from gloamet.stage.readers.plain import with_guess
from gloamet.stage.readers.progress import ProgressToken
from gloamet.stage.readers.textures import checker, decode
from gloamet.stage.scene import Material, Part, Scene, Texture, make_shape, unique_name

STEP_LINES = 20_000


@dataclass
class _Group:
    """Corners of one part: rows of (position, uv or -1, normal or -1), three a triangle."""

    name: str
    material: str
    corners: list[tuple[int, int, int]] = field(default_factory=list)


class _Library:
    """The materials of MTL files and their pictures."""

    def __init__(self, folder: Path, notes: list[str], outside: bool) -> None:
        self.folder, self.notes, self.outside = folder, notes, outside
        self.materials: dict[str, Material] = {}
        self.textures: list[Texture] = []
        self._seen: dict[str, int] = {}

    def _beside(self, name: str) -> Path | None:
        """The file a name means, None when it climbs out of the folder and that is not allowed."""
        target = (self.folder / name.replace("\\", "/")).resolve()
        if self.outside or target.is_relative_to(self.folder.resolve()):
            return target
        self.notes.append(f"{name} lies outside the model’s folder: allow that on the import sheet.")
        return None

    def _texture(self, name: str) -> int:
        if name not in self._seen:
            path = self._beside(name)
            texture, note = (checker(name), None) if path is None else decode(name, path)
            if note:
                self.notes.append(note)
            self._seen[name] = len(self.textures)
            self.textures.append(texture)
        return self._seen[name]

    def read(self, name: str) -> None:
        """Read an MTL file beside the model; one that is missing is noted."""
        path = self._beside(name)
        if path is None:
            return
        try:
            lines = path.read_text("utf-8", "replace").splitlines()
        except OSError:
            self.notes.append(f"Material file {name} is missing: its surfaces are plain grey.")
            return
        current: Material | None = None
        for line in lines:
            key, _, rest = line.strip().partition(" ")
            if key == "newmtl":
                current = Material(rest.strip() or "unnamed")
            elif current is not None:
                try:
                    current = self._apply(current, key, rest.strip())
                except ValueError:
                    self.notes.append(f"{name}: the line “{line.strip()[:50]}” is not understood.")
            if current is not None:
                self.materials[current.name] = current

    def _apply(self, m: Material, key: str, rest: str) -> Material:
        if key == "Kd":
            r, g, b = (min(max(float(v), 0.0), 1.0) for v in rest.split()[:3])
            return replace(m, base_colour=(r, g, b))
        if key == "map_Kd":
            return replace(m, base_texture=self._texture(rest.split()[-1]))
        if key == "Ke":
            r, g, b = (min(max(float(v), 0.0), 1e9) for v in rest.split()[:3])
            return replace(m, emission=(r, g, b))
        if key in ("norm", "map_Kn"):
            return replace(m, normal_texture=self._texture(rest.split()[-1]))
        if key in ("Pr", "Pm", "Pc", "Pcr", "Ni", "d", "Tr"):
            value = float(rest.split()[0])
            if not math.isfinite(value):
                raise ValueError
            if key == "Pr":
                return replace(m, roughness=min(max(value, 0.0), 1.0))
            if key == "Pm":
                return replace(m, metalness=min(max(value, 0.0), 1.0))
            if key == "Pc":
                return replace(m, coat=min(max(value, 0.0), 1.0))
            if key == "Pcr":
                return replace(m, coat_roughness=min(max(value, 0.0), 1.0))
            if key == "Ni":
                return replace(m, ior=min(max(value, 1.0), 3.0))
            opacity = value if key == "d" else 1.0 - value
            if key in ("d", "Tr") and opacity < 0.95:
                return replace(m, transmission=min(max(1.0 - opacity, 0.0), 1.0), roughness=0.0)
        return m


def _corner(token: str, counts: tuple[int, int, int], path: Path, line: int) -> tuple[int, int, int]:
    """A face corner "v/vt/vn" as zero-based indices, -1 where one is left out."""
    out = [-1, -1, -1]
    for k, text in enumerate(token.split("/")[:3]):
        if not text:
            continue
        try:
            index = int(text)
        except ValueError:
            raise GloametError(f"{path.name}, line {line}: “{token}” is not a face corner.") from None
        index = index - 1 if index > 0 else counts[k] + index
        if not 0 <= index < counts[k]:
            raise GloametError(
                f"{path.name}, line {line}: a face uses number {text}, and there are {counts[k]}. Export it again."
            )
        out[k] = index
    if out[0] < 0:
        raise GloametError(f"{path.name}, line {line}: “{token}” is not a face corner.")
    return out[0], out[1], out[2]


class _Reader:
    def __init__(self, path: Path, watch: ProgressToken, outside: bool) -> None:
        self.path, self.watch = path, watch
        self.notes: list[str] = []
        self.library = _Library(path.parent, self.notes, outside)
        self.arrays: dict[str, list[tuple[float, ...]]] = {"v": [], "vt": [], "vn": []}
        self.groups: dict[tuple[str, str], _Group] = {}
        self.name, self.material = "part", ""

    def _row(self, key: str, tokens: list[str], number: int) -> None:
        width = 2 if key == "vt" else 3
        try:
            self.arrays[key].append(tuple(float(w) for w in tokens[:width]))
            if len(tokens) < width:
                raise ValueError
        except ValueError:
            raise GloametError(
                f"{self.path.name}, line {number}: “{' '.join([key, *tokens])[:50]}” has not {width} numbers."
            ) from None

    def _face(self, tokens: list[str], number: int) -> None:
        counts = (len(self.arrays["v"]), len(self.arrays["vt"]), len(self.arrays["vn"]))
        corners = [_corner(word, counts, self.path, number) for word in tokens]
        key = (self.name, self.material)
        group = self.groups.setdefault(key, _Group(self.name, self.material))
        for k in range(1, len(corners) - 1):
            group.corners += (corners[0], corners[k], corners[k + 1])

    def read(self) -> None:
        """Read the file line by line."""
        size, position = max(1, self.path.stat().st_size), 0
        with self.path.open("r", encoding="utf-8", errors="replace") as file:
            for number, line in enumerate(file, 1):
                position += len(line)
                if number % STEP_LINES == 0:
                    self.watch.step(min(0.8, 0.8 * position / size), "reading")
                tokens = line.split()
                if not tokens:
                    continue
                key, rest = tokens[0], tokens[1:]
                if key in self.arrays:
                    self._row(key, rest, number)
                elif key == "f":
                    self._face(rest, number)
                elif key in ("o", "g"):
                    self.name = " ".join(rest) or "part"
                elif key == "usemtl":
                    self.material = " ".join(rest)
                elif key == "mtllib":
                    self.library.read(" ".join(rest))


def _part(group: _Group, reader: _Reader, material: int, name: str) -> Part | None:
    corners = np.asarray(group.corners, np.int64)
    unique, order = np.unique(corners, axis=0, return_inverse=True)

    def gather(key: str, column: int, width: int) -> np.ndarray | None:
        index = unique[:, column]
        if (index < 0).any():
            return None
        return np.asarray(reader.arrays[key], float).reshape(-1, width)[index]

    positions, uvs = gather("v", 0, 3), gather("vt", 1, 2)
    assert positions is not None  # every corner has a position by construction
    if uvs is not None:
        uvs[:, 1] = 1.0 - uvs[:, 1]
    shape = make_shape(positions, order.reshape(-1, 3), gather("vn", 2, 3), uvs)
    return None if shape is None else Part(name, material, shape)


def read_obj(path: Path, watch: ProgressToken, outside: bool) -> Scene:
    """Read an .obj file and the .mtl files it names. Raises GloametError with one sentence when damaged."""
    reader = _Reader(path, watch, outside)
    watch.step(0.0, "reading")
    reader.read()
    names = list(reader.library.materials)
    materials = [*reader.library.materials.values(), Material("unnamed")]
    for _, used in reader.groups:
        if used and used not in names:
            reader.notes.append(f"Material {used} is not defined: its surfaces are plain grey.")
    parts: list[Part] = []
    taken: dict[str, int] = {}
    for group in reader.groups.values():
        index = names.index(group.material) if group.material in names else len(materials) - 1
        part = _part(group, reader, index, unique_name(group.name, taken)) if group.corners else None
        if part is not None:
            parts.append(part)
    watch.step(0.9, "reading")
    notes = tuple(dict.fromkeys(reader.notes))
    scene = Scene(path, tuple(parts), tuple(materials), tuple(reader.library.textures), {}, notes)
    return with_guess(scene)
