# SPDX-License-Identifier: Apache-2.0
"""Materials and lamps of glTF 2.0 with the extensions Gloamet renders; odd values fall back to the standard's."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.readers.gltf_file import GltfFile
from gloamet.stage.scene import Colour, Lamp, Material

SPOT_DEG = 45.0


def number(value: Any, default: float, low: float, high: float) -> float:
    """A finite number held in a range, else the default."""
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        return default
    return min(max(float(value), low), high)


def mapping(value: Any) -> dict[str, Any]:
    """An object, else an empty one."""
    return value if isinstance(value, dict) else {}


def _colour(values: Any, default: float, high: float = 1.0) -> Colour:
    row = [*(values if isinstance(values, list) else []), default, default, default][:3]
    r, g, b = (number(v, default, 0.0, high) for v in row)
    return r, g, b


def texture_rotation(info: dict[str, Any] | None) -> NDArray[np.float64] | None:
    """The 2x3 matrix of KHR_texture_transform, None when there is none."""
    change = mapping(mapping(mapping(info).get("extensions")).get("KHR_texture_transform"))
    if not change:
        return None
    angle = number(change.get("rotation"), 0.0, -1e6, 1e6)
    sx, sy = (number(v, 1.0, -1e6, 1e6) for v in ([*change.get("scale", []), 1.0, 1.0])[:2])
    ox, oy = (number(v, 0.0, -1e6, 1e6) for v in ([*change.get("offset", []), 0.0, 0.0])[:2])
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c * sx, s * sy, ox], [-s * sx, c * sy, oy]])


def uv_source(row: dict[str, Any]) -> tuple[str, NDArray[np.float64] | None]:
    """Which texture coordinates a material reads, and how its first picture turns them."""
    pbr = mapping(row.get("pbrMetallicRoughness"))
    infos = [pbr.get("baseColorTexture"), row.get("normalTexture"), pbr.get("metallicRoughnessTexture")]
    info = next((mapping(i) for i in [*infos, row.get("emissiveTexture")] if i), {})
    change = mapping(mapping(info.get("extensions")).get("KHR_texture_transform"))
    index = change.get("texCoord", info.get("texCoord", 0))
    return f"TEXCOORD_{index if isinstance(index, int) else 0}", texture_rotation(info)


def read_material(file: GltfFile, row: dict[str, Any], index: int) -> Material:
    """One material."""
    pbr, extensions = mapping(row.get("pbrMetallicRoughness")), mapping(row.get("extensions"))

    def extension(name: str) -> dict[str, Any]:
        return mapping(extensions.get(f"KHR_materials_{name}"))

    name = str(row.get("name") or f"material {index}")
    factor = [*(pbr.get("baseColorFactor") or []), 1.0, 1.0, 1.0, 1.0]
    colour, opacity = _colour(factor[:3], 1.0), number(factor[3], 1.0, 0.0, 1.0)
    transmission = number(extension("transmission").get("transmissionFactor"), 0.0, 0.0, 1.0)
    mode, base = row.get("alphaMode"), file.texture(pbr.get("baseColorTexture"))
    alpha_cutoff = None
    if mode == "MASK":
        alpha_cutoff = number(row.get("alphaCutoff"), 0.5, 0.0, 1.0)
    elif mode == "BLEND" and opacity < 0.95 and not transmission:
        transmission = 1.0 - opacity
        file.notes.append(f"{name}: see-through blending is treated as thin glass.")
    elif mode == "BLEND" and base is not None and int(file.textures[base].pixels[..., 3].min()) < 250:
        alpha_cutoff = 0.5
        file.notes.append(f"{name}: its soft see-through picture is cut at one half.")
    if "KHR_materials_unlit" in extensions:
        file.notes.append(f"{name}: it asks for no light; here it is lit like everything else.")
    strength = number(extension("emissive_strength").get("emissiveStrength"), 1.0, 0.0, 1e9)
    r, g, b = _colour(row.get("emissiveFactor"), 0.0)
    coat, normal = extension("clearcoat"), mapping(row.get("normalTexture"))
    return Material(
        name,
        colour,
        number(pbr.get("roughnessFactor"), 1.0, 0.0, 1.0),
        number(pbr.get("metallicFactor"), 1.0, 0.0, 1.0),
        transmission,
        number(extension("ior").get("ior"), 1.5, 1.0, 3.0),
        number(extension("volume").get("thicknessFactor"), 0.0, 0.0, 1e9) == 0.0,
        base,
        file.texture(pbr.get("metallicRoughnessTexture")),
        emission=(r * strength, g * strength, b * strength),
        emission_texture=file.texture(row.get("emissiveTexture")),
        emits_back=bool(row.get("doubleSided")),
        normal_texture=file.texture(normal),
        normal_strength=number(normal.get("scale"), 1.0, 0.0, 10.0),
        alpha_cutoff=alpha_cutoff,
        coat=number(coat.get("clearcoatFactor"), 0.0, 0.0, 1.0),
        coat_roughness=number(coat.get("clearcoatRoughnessFactor"), 0.0, 0.0, 1.0),
    )


def read_lamp(row: dict[str, Any], name: str, matrix: NDArray[np.float64]) -> Lamp | None:
    """A lamp of KHR_lights_punctual at a node, None when its kind is unknown."""
    kind = row.get("type")
    if kind not in ("point", "spot", "directional") or not np.isfinite(matrix).all():
        return None
    spot = mapping(row.get("spot"))
    ahead = -matrix[:3, 2] / max(float(np.linalg.norm(matrix[:3, 2])), 1e-12)
    x, y, z = ahead.tolist()
    px, py, pz = matrix[:3, 3].tolist()
    colour = _colour(row.get("color"), 1.0)
    # the standard's candela count the lamp's own colour, Gloamet's lamp colour has luminance 1
    luminance = max(0.2126 * colour[0] + 0.7152 * colour[1] + 0.0722 * colour[2], 1e-6)
    r, g, b = (c / luminance for c in colour)
    return Lamp(
        name,
        "distant" if kind == "directional" else kind,
        (px, py, pz),
        (x, y, z),
        number(row.get("intensity"), 1.0, 0.0, 1e9) * luminance if kind != "directional" else 0.0,
        (r, g, b),
        math.degrees(number(spot.get("innerConeAngle"), 0.0, 0.0, 1.57)),
        math.degrees(number(spot.get("outerConeAngle"), math.radians(SPOT_DEG), 1e-4, 1.57)),
    )
