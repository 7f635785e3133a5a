# SPDX-License-Identifier: Apache-2.0
"""Reading USD (.usd, .usda, .usdc, .usdz): the rows a separate process wrote become a Scene.

A file enters; a Scene in the file's own lengths and axes leaves, with a note for everything left out.
"""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.camera import Camera
from gloamet.stage.readers.gltf_materials import number
from gloamet.stage.readers.progress import ProgressToken
from gloamet.stage.readers.sandbox import read_usd_in_sandbox
from gloamet.stage.readers.textures import decode
from gloamet.stage.readers.usd_pictures import base_picture, surface_picture
from gloamet.stage.scene import (
    UNIT_METRES,
    Colour,
    Lamp,
    Material,
    Motion,
    Origin,
    Part,
    Scene,
    Shape,
    Texture,
    make_shape,
    unique_name,
    usable,
)

MAX_PACKAGE_BYTES = 4 * 1024**3
Row = dict[str, Any]


def _check_package(path: Path) -> None:
    """A .usdz holds its files as they are; anything packed tighter is refused before it unfolds."""
    try:
        with zipfile.ZipFile(path) as package:
            rows = package.infolist()
    except (zipfile.BadZipFile, OSError, RuntimeError, ValueError):
        raise GloametError(f"{path.name} is damaged: its package cannot be read. Export it again.") from None
    total = sum(row.file_size for row in rows)
    if any(row.compress_type != zipfile.ZIP_STORED for row in rows):
        raise GloametError(f"{path.name} is packed tighter than USD allows: export it again.")
    if total > min(MAX_PACKAGE_BYTES, path.stat().st_size):
        raise GloametError(
            f"{path.name} claims to hold {total / 1024**2:.0f} MB: it is refused. Export it again."
        )


def _three(value: Any, default: float, high: float = 1.0) -> Colour:
    row = value if isinstance(value, list) and len(value) >= 3 else [default] * 3
    r, g, b = (number(v, default, 0.0, high) for v in row[:3])
    return r, g, b


def _factor(row: Row, name: str, default: float) -> float:
    """A number, or 1 where a picture gives it."""
    return 1.0 if f"{name}.picture" in row else number(row.get(name), default, 0.0, 1.0)


def _material(row: Row, textures: list[Texture]) -> Material:
    opacity = number(row.get("opacity"), 1.0, 0.0, 1.0)
    alpha_cutoff = None
    if "opacity.picture" in row:
        alpha_cutoff = number(row.get("opacityThreshold"), 0.0, 0.0, 1.0) or 0.5
    glass = opacity < 0.95 and alpha_cutoff is None
    return Material(
        str(row["name"]),
        _three(row.get("diffuseColor"), 1.0 if "diffuseColor.picture" in row else 0.18),
        0.0 if glass else _factor(row, "roughness", 0.5),
        _factor(row, "metallic", 0.0),
        1.0 - opacity if glass else 0.0,
        number(row.get("ior"), 1.5, 1.0, 3.0),
        base_texture=base_picture(row, textures),
        surface_texture=surface_picture(row, textures),
        emission=_three(row.get("emissiveColor"), 0.0, 1e9),
        emission_texture=row.get("emissiveColor.picture"),
        normal_texture=row.get("normal.picture"),
        alpha_cutoff=alpha_cutoff,
        coat=number(row.get("clearcoat"), 0.0, 0.0, 1.0),
        coat_roughness=number(row.get("clearcoatRoughness"), 0.01, 0.0, 1.0),
    )


def _ahead(matrix: NDArray) -> NDArray[np.float64]:
    ahead = -matrix[:3, 2]
    return np.asarray(ahead / max(float(np.linalg.norm(ahead)), 1e-12))


def _camera(row: Row) -> Camera:
    matrix = np.asarray(row["matrix"], float)
    x, y, z = matrix[:3, 3].tolist()
    a, b, c = (matrix[:3, 3] + 10.0 * _ahead(matrix)).tolist()
    return Camera((x, y, z), (a, b, c), number(row["fov"], 40.0, 1.0, 170.0))


class _Lights:
    """Lamps with a body become glowing parts; the rest are named."""

    def __init__(
        self, parts: list[Part], materials: list[Material], notes: list[str], taken: dict[str, int]
    ) -> None:
        self.parts, self.materials, self.notes, self.taken = parts, materials, notes, taken
        self.lamps: list[Lamp] = []

    def add(self, row: Row, metres: float) -> None:
        """Keep a lamp, in world metres."""
        matrix = np.asarray(row["matrix"], float)
        name, kind = str(row["name"]), str(row["kind"])
        if not usable(matrix):
            return
        x, y, z = matrix[:3, 3].tolist()
        a, b, c = _ahead(matrix).tolist()
        if kind in ("DistantLight", "DomeLight"):
            far = kind == "DistantLight"
            stands = "sun" if far else "sky"
            self.notes.append(f"The light {name} is a distant light: the {stands} replaces it.")
            self.lamps.append(Lamp(name, "distant" if far else "dome", (x, y, z), (a, b, c)))
            return
        from gloamet.stage.props import sphere

        scale = abs(float(np.linalg.det(matrix[:3, :3]))) ** (1.0 / 3.0)
        if kind == "SphereLight":
            radius = max(number(row.get("radius"), 0.5, 0.0, 1e6), 1e-4)
            shape, area = sphere(radius), 4.0 * np.pi * (radius * scale * metres) ** 2
        else:
            w, h = (0.5 * number(row.get(side), 1.0, 1e-4, 1e6) for side in ("width", "height"))
            corners = np.array([[-w, -h, 0], [-w, h, 0], [w, h, 0], [w, -h, 0]], np.float32)
            shape = Shape(corners, np.array([[0, 1, 2], [0, 2, 3]], np.uint32))
            area = 4.0 * w * h * (scale * metres) ** 2
        power = number(row["power"], 1.0, 0.0, 1e12) / (area if row["normalize"] else 1.0)
        r, g, b2 = (power * v for v in _three(row["colour"], 1.0, 1e6))
        lamp = Material(name, (0.8, 0.8, 0.8), emission=(r, g, b2), emits_back=False)
        self.parts.append(Part(unique_name(name, self.taken), len(self.materials), shape, matrix, ("lamps",)))
        self.materials.append(lamp)


def _origin(rows: Row) -> tuple[Origin, float]:
    metres = number(rows["metres"], 0.01, 1e-9, 1e9)
    unit = min(UNIT_METRES, key=lambda u: abs(np.log(metres / UNIT_METRES[u])))
    rest = metres / UNIT_METRES[unit]
    up: Any = "y" if rows["up"] == "y" else "z"
    units_why = "declared in the file" if rows["metres_said"] else "not declared; USD then means centimetres"
    up_why = "declared in the file" if rows["up_said"] else "not declared; USD then means Y up"
    return Origin(unit, up, units_why, up_why), rest


def read_usd(path: Path, watch: ProgressToken, outside: bool) -> Scene:
    """Read a USD file. Raises GloametError with one sentence when it is damaged."""
    watch.step(0.0, "reading")
    if path.suffix.lower() == ".usdz":
        _check_package(path)
    rows, arrays = read_usd_in_sandbox(path, outside, watch)
    notes: list[str] = list(rows["notes"])
    textures: list[Texture] = []
    for k, name in enumerate(rows["pictures"]):
        data = arrays[f"t{k}"].tobytes()
        texture, note = decode(name, data or path.parent / name)
        textures.append(texture)
        notes += [note] if note else []
    materials = [_material(row, textures) for row in rows["materials"]]
    origin, rest = _origin(rows)
    parts: list[Part] = []
    taken: dict[str, int] = {}
    shapes: dict[int, Shape | None] = {}
    for row in rows["parts"]:
        k, matrix = int(row["shape"]), np.asarray(row["matrix"], float)
        if k not in shapes:
            columns = [arrays.get(f"s{k}.{name}") for name in ("normals", "uvs", "colours")]
            shapes[k] = make_shape(arrays[f"s{k}.points"], arrays[f"s{k}.triangles"], *columns)
        shape = shapes[k]
        if shape is None or not usable(matrix):
            notes.append(f"{row['name']} has no area and is left out.")
            continue
        name = unique_name(str(row["name"]), taken)
        parts.append(Part(name, int(row["material"]), shape, matrix, tuple(row["group"])))
    lights = _Lights(parts, materials, notes, taken)
    for row in rows["lamps"]:
        lights.add(row, rest * UNIT_METRES[origin.units])
    views = {str(row["name"]): _camera(row) for row in rows["views"]}
    motions = {
        str(row["name"]): Motion(np.asarray(row["times"]), np.asarray(row["matrices"], float), row["fov"])
        for row in rows["motions"]
    }
    empties = {str(row["name"]): np.asarray(row["matrix"], float) for row in rows["empties"]}
    scene = Scene(
        path,
        tuple(parts),
        tuple(materials),
        tuple(textures),
        views,
        tuple(dict.fromkeys(notes)),
        tuple(lights.lamps),
        motions,
        origin,
        empties,
    )
    return scene if abs(rest - 1.0) < 1e-6 else _scaled(scene, rest)


def _scaled(scene: Scene, factor: float) -> Scene:
    """A scene whose file unit is none of the usual ones, brought to the nearest."""
    from dataclasses import replace

    grow = np.diag([factor, factor, factor, 1.0])

    def far(p: tuple[float, float, float]) -> tuple[float, float, float]:
        return p[0] * factor, p[1] * factor, p[2] * factor

    return replace(
        scene,
        parts=tuple(replace(part, matrix=grow @ part.matrix) for part in scene.parts),
        views={n: replace(c, eye=far(c.eye), target=far(c.target)) for n, c in scene.views.items()},
        lamps=tuple(replace(lamp, position=far(lamp.position)) for lamp in scene.lamps),
        motions={n: Motion(m.times_s, grow @ m.matrices, m.fov_deg) for n, m in scene.motions.items()},
        empties={n: grow @ matrix for n, matrix in scene.empties.items()},
    )
