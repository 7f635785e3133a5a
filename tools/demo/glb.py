# SPDX-License-Identifier: Apache-2.0
"""Writing a small GLB: meshes, pictures, materials, nodes and cameras.

World coordinates (metres, Z up) enter; a glTF 2.0 binary file (Y up) leaves.
"""

from __future__ import annotations

import io
import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

ARRAY, ELEMENTS = 34962, 34963


def to_file(points: NDArray) -> NDArray:
    """Z-up world to the file's Y-up axes."""
    return np.stack([points[:, 0], points[:, 2], -points[:, 1]], 1)


class Writer:
    """Collects everything and writes it once."""

    def __init__(self) -> None:
        self.binary = bytearray()
        self.tree: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Gloamet demo script"},
            "scene": 0,
            "scenes": [{"nodes": []}],
            "extensionsUsed": ["KHR_materials_transmission", "KHR_materials_ior"],
        }

    def _add(self, key: str, item: dict[str, Any]) -> int:
        self.tree.setdefault(key, []).append(item)
        return len(self.tree[key]) - 1

    def _view(self, data: bytes, target: int | None) -> int:
        self.binary += b"\0" * (-len(self.binary) % 4)
        view: dict[str, Any] = {"buffer": 0, "byteOffset": len(self.binary), "byteLength": len(data)}
        if target:
            view["target"] = target
        self.binary += data
        return self._add("bufferViews", view)

    def _accessor(self, values: NDArray, kind: str, component: int, target: int, limits: bool = False) -> int:
        item: dict[str, Any] = {
            "bufferView": self._view(np.ascontiguousarray(values).tobytes(), target),
            "componentType": component,
            "count": len(values),
            "type": kind,
        }
        if limits:
            item["min"], item["max"] = values.min(0).tolist(), values.max(0).tolist()
        return self._add("accessors", item)

    def picture(self, name: str, pixels: NDArray[np.uint8]) -> int:
        """Store a picture as JPEG; returns the texture's index."""
        buffer = io.BytesIO()
        Image.fromarray(pixels).save(buffer, "JPEG", quality=88)
        view = self._view(buffer.getvalue(), None)
        image = self._add("images", {"name": name, "bufferView": view, "mimeType": "image/jpeg"})
        return self._add("textures", {"source": image})

    def material(
        self,
        name: str,
        colour: tuple[float, float, float],
        roughness: float = 1.0,
        metalness: float = 0.0,
        picture: int | None = None,
        glass: bool = False,
        thickness: float = 0.0,
        coat: float = 0.0,
        emission: tuple[tuple[float, float, float], float] | None = None,
    ) -> int:
        """A metallic-roughness material; glass is a clear pane, solid where it has a thickness; coat is a
        clear layer on top; emission is a hue and cd/m2."""
        pbr: dict[str, Any] = {
            "baseColorFactor": [*colour, 1.0],
            "metallicFactor": metalness,
            "roughnessFactor": roughness,
        }
        if picture is not None:
            pbr["baseColorTexture"] = {"index": picture}
        item: dict[str, Any] = {"name": name, "pbrMetallicRoughness": pbr, "doubleSided": True}
        if glass:
            item["extensions"] = {
                "KHR_materials_transmission": {"transmissionFactor": 1.0},
                "KHR_materials_ior": {"ior": 1.5},
            }
        extensions = item.setdefault("extensions", {})
        if thickness:
            extensions["KHR_materials_volume"] = {"thicknessFactor": thickness}
        if coat:
            extensions["KHR_materials_clearcoat"] = {
                "clearcoatFactor": coat,
                "clearcoatRoughnessFactor": 0.03,
            }
        if emission is not None:
            item["emissiveFactor"] = list(emission[0])
            extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": emission[1]}
        for name in extensions:
            if name not in self.tree["extensionsUsed"]:
                self.tree["extensionsUsed"].append(name)
        if not extensions:
            del item["extensions"]
        return self._add("materials", item)

    def mesh(
        self,
        name: str,
        material: int,
        points: NDArray,
        triangles: NDArray,
        uvs: NDArray | None = None,
        normals: NDArray | None = None,
    ) -> int:
        """A mesh of one material; without normals it is flat-shaded."""
        attributes = {
            "POSITION": self._accessor(to_file(points).astype("<f4"), "VEC3", 5126, ARRAY, limits=True)
        }
        if normals is not None:
            attributes["NORMAL"] = self._accessor(to_file(normals).astype("<f4"), "VEC3", 5126, ARRAY)
        if uvs is not None:
            attributes["TEXCOORD_0"] = self._accessor(uvs.astype("<f4"), "VEC2", 5126, ARRAY)
        wide = len(points) > 65535
        order = triangles.ravel().astype("<u4" if wide else "<u2")
        primitive = {
            "attributes": attributes,
            "indices": self._accessor(order, "SCALAR", 5125 if wide else 5123, ELEMENTS),
            "material": material,
        }
        return self._add("meshes", {"name": name, "primitives": [primitive]})

    def position(
        self,
        name: str,
        mesh: int,
        at: tuple[float, float, float] = (0.0, 0.0, 0.0),
        rotation_deg: float = 0.0,
        scale: float = 1.0,
    ) -> None:
        """A node: a mesh moved in world coordinates and turned about the vertical."""
        half = np.radians(rotation_deg) / 2.0
        node = {
            "name": name,
            "mesh": mesh,
            "translation": to_file(np.array([at]))[0].tolist(),
            "rotation": [0.0, float(np.sin(half)), 0.0, float(np.cos(half))],
            "scale": [scale] * 3,
        }
        self.tree["scenes"][0]["nodes"].append(self._add("nodes", node))

    def camera(self, name: str, eye: tuple[float, ...], target: tuple[float, ...], fov_deg: float) -> None:
        """A named view."""
        eye_f, target_f = to_file(np.array([eye, target], float))
        back = eye_f - target_f
        back /= np.linalg.norm(back)
        right = np.cross([0.0, 1.0, 0.0], back)
        right /= np.linalg.norm(right)
        matrix = np.eye(4)
        matrix[:3, 0], matrix[:3, 1], matrix[:3, 2] = right, np.cross(back, right), back
        matrix[:3, 3] = eye_f
        lens = {"yfov": float(np.radians(fov_deg)), "aspectRatio": 1.5, "znear": 0.05}
        index = self._add("cameras", {"type": "perspective", "name": name, "perspective": lens})
        node = {"name": name, "camera": index, "matrix": matrix.T.ravel().tolist()}
        self.tree["scenes"][0]["nodes"].append(self._add("nodes", node))

    def write(self, path: Path) -> None:
        """The finished file."""
        self.binary += b"\0" * (-len(self.binary) % 4)
        self.tree["buffers"] = [{"byteLength": len(self.binary)}]
        text = json.dumps(self.tree, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        total = 12 + 8 + len(text) + 8 + len(self.binary)
        with path.open("wb") as file:
            file.write(struct.pack("<4sII", b"glTF", 2, total))
            file.write(struct.pack("<II", len(text), 0x4E4F534A) + text)
            file.write(struct.pack("<II", len(self.binary), 0x004E4942) + bytes(self.binary))
