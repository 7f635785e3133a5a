# SPDX-License-Identifier: Apache-2.0
"""Small GLB files for tests, whole and damaged."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import numpy as np


def pack(tree: dict[str, Any], binary: bytes) -> bytes:
    """A GLB container."""
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    body = (
        struct.pack("<II", len(text), 0x4E4F534A)
        + text
        + struct.pack("<II", len(binary), 0x004E4942)
        + binary
    )
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def triangle_tree(**node: Any) -> tuple[dict[str, Any], bytes]:
    """One triangle in the file's XY plane, one red material, one camera."""
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 2, 0]], "<f4").tobytes()
    order = np.array([0, 1, 2], "<u2").tobytes()
    tree = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0, 1]}],
        "nodes": [
            {"mesh": 0, "name": "leaf", **node},
            {"camera": 0, "name": "front", "translation": [0, 1, 5]},
        ],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.5, "znear": 0.1}}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "material": 0}]}],
        "materials": [
            {
                "name": "red",
                "pbrMetallicRoughness": {
                    "baseColorFactor": [1, 0, 0, 1],
                    "metallicFactor": 0,
                    "roughnessFactor": 1,
                },
            }
        ],
        "buffers": [{"byteLength": len(points) + len(order)}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": 36},
            {"buffer": 0, "byteOffset": 36, "byteLength": 6},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"},
        ],
    }
    return tree, points + order


def write_triangle(path: Path, **node: Any) -> Path:
    """The triangle as a file."""
    path.write_bytes(pack(*triangle_tree(**node)))
    return path
