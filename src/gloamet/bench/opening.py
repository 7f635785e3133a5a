# SPDX-License-Identifier: Apache-2.0
"""Opening large models: a million triangles to the first picture, and a forest of copies in memory.

Each is measured in a process of its own; the models are made here, into a folder that is thrown away.
"""

from __future__ import annotations

import json
import struct
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.bench.desk import run_apart

Result = dict[str, float]
MESHES, ROWS = 25, 142  # 25 x 2 x 141^2 is a little under a million triangles
RUNS = 3
TREES, TREE_TRIANGLES = 1000, 50_000

# Seconds from the request to the first picture on a desk that has shown a small model before; then the peak of
# memory above what that took.
_OPEN = """
import json, os, resource, sys, threading, time
from gloamet.preview.worker import RenderWorker
from gloamet.preview.events import Failed, Frame
from gloamet.document.model import Document
from gloamet.bench.opening import small_model
came = threading.Event()

def report(event):
    if isinstance(event, Failed):
        print(event.sentence, file=sys.stderr)
        os._exit(1)
    if isinstance(event, Frame) and event.exact == wanted:
        came.set()

wanted = True
document = Document().change("stage.view", **json.loads(sys.argv[2]))
engine = RenderWorker(report)
engine.request(document.change("stage", scene_file=small_model(sys.argv[1])), 744, 520)
came.wait(120)
time.sleep(1.0)
wanted = False
came.clear()

def memory():
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024.0

before = memory()
start = time.perf_counter()
engine.request(document.change("stage", scene_file=sys.argv[1]), 744, 520)
came.wait(300)
print(json.dumps({"seconds": time.perf_counter() - start, "mb": memory() - before}), flush=True)
os._exit(0)
"""

# What reading and preparing adds to the process, not counting what it was before.
_KEEP = """
import json, os, sys
from pathlib import Path
import gloamet.trace.film, gloamet.stage.readers.gltf
from gloamet.bench.opening import small_model
from gloamet.stage.readers import read_model
from gloamet.trace.render_scene import build_render_scene

def memory():
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 2**20

build_render_scene(read_model(Path(small_model(sys.argv[1]))))
before = memory()
compiled = build_render_scene(read_model(Path(sys.argv[1])))
print(json.dumps({"mb": memory() - before, "instances": len(compiled.scene.parts)}), flush=True)
os._exit(0)
"""


def _save(path: Path, meshes: list[tuple[NDArray, NDArray, NDArray]], nodes: list[dict[str, Any]]) -> None:
    """A GLB of (positions, normals, triangles) meshes and nodes that use them."""
    blob, views, listed = bytearray(), [], []
    accessors: list[dict[str, Any]] = []
    for mesh in meshes:
        first = len(accessors)
        for array, kind, shape in zip(mesh, (5126, 5126, 5125), ("VEC3", "VEC3", "SCALAR"), strict=True):
            flat = array.astype(np.uint32 if kind == 5125 else np.float32)
            views.append({"buffer": 0, "byteOffset": len(blob), "byteLength": flat.nbytes})
            count = flat.size if shape == "SCALAR" else len(flat)
            entry: dict[str, Any] = {
                "bufferView": len(views) - 1,
                "componentType": kind,
                "count": count,
                "type": shape,
            }
            if kind == 5126:
                entry |= {"min": flat.min(0).tolist(), "max": flat.max(0).tolist()}
            accessors.append(entry)
            blob += flat.tobytes()
        attributes = {"POSITION": first, "NORMAL": first + 1}
        listed.append({"primitives": [{"attributes": attributes, "indices": first + 2}]})
    tree = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": len(blob)}],
        "bufferViews": views,
        "accessors": accessors,
        "meshes": listed,
        "nodes": nodes,
        "scenes": [{"nodes": list(range(len(nodes)))}],
        "scene": 0,
    }
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    head = struct.pack("<4sIIII", b"glTF", 2, 12 + 8 + len(text) + 8 + len(blob), len(text), 0x4E4F534A)
    path.write_bytes(head + text + struct.pack("<II", len(blob), 0x004E4942) + bytes(blob))


def _wavy(rows: int, seed: int) -> tuple[NDArray, NDArray, NDArray]:
    """A rolling sheet of 2 (rows - 1)^2 triangles, 10 m wide, Y up."""
    rng = np.random.default_rng(seed)
    x, z = np.meshgrid(np.linspace(0, 10, rows), np.linspace(0, 10, rows))
    y = 0.3 * np.sin(x * 1.7 + seed) * np.cos(z * 1.3) + 0.01 * rng.normal(size=x.shape)
    points = np.stack([x, y, z], -1).reshape(-1, 3)
    normals = np.tile([0.0, 1.0, 0.0], (len(points), 1))
    k = np.arange(rows * rows).reshape(rows, rows)
    a, b, c, d = k[:-1, :-1], k[:-1, 1:], k[1:, :-1], k[1:, 1:]
    return points, normals, np.stack([a, c, b, b, c, d], -1).reshape(-1, 3)


def small_model(beside: str) -> str:
    """A model of two triangles, to load everything once before measuring."""
    path = Path(beside).with_name("small.glb")
    _save(path, [_wavy(2, 0)], [{"mesh": 0}])
    return str(path)


def million() -> Result:
    """Seconds from opening a GLB of a million triangles to its first picture, and memory per geometry byte."""
    meshes = [_wavy(ROWS, k) for k in range(MESHES)]
    nodes = [{"mesh": k, "translation": [10.0 * (k % 5), 0.0, -10.0 * (k // 5)]} for k in range(MESHES)]
    decoded = sum(p.size * 4 + n.size * 4 + t.size * 4 for p, n, t in meshes) / 2**20
    view = json.dumps({"eye": (25.0, -30.0, 20.0), "target": (25.0, 20.0, 0.0)})
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "million.glb"
        _save(path, meshes, nodes)
        runs = [run_apart(_OPEN, str(path), view) for _ in range(RUNS)]
    best = min(runs, key=lambda r: float(r["seconds"]))
    return {"open_1m_s": best["seconds"], "open_1m_memory_ratio": min(r["mb"] for r in runs) / decoded}


def forest() -> Result:
    """Megabytes that a forest of 1 000 trees of 50 000 triangles takes, read and ready for rays."""
    rows = int((TREE_TRIANGLES / 2) ** 0.5) + 1
    nodes = [{"mesh": 0, "translation": [12.0 * (k % 40), 0.0, -12.0 * (k // 40)]} for k in range(TREES)]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "forest.glb"
        _save(path, [_wavy(rows, 3)], nodes)
        return {"open_forest_mb": run_apart(_KEEP, str(path))["mb"]}
