# SPDX-License-Identifier: Apache-2.0
"""Damaged files by the hundred: `python -m tests.stage.fuzz FORMAT COUNT SEED`, run by
`test_readers_fuzz` in its own process.

Each file must end as a scene or as one sentence, within 10 s and 2 GB. What decoders do in processes of their
own is forked here, so that 500 files take minutes and not hours; limits hold for each.
"""

from __future__ import annotations

import os
import random
import signal
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

from gloamet.errors import GloametError
from gloamet.stage.readers import read_model, sandbox
from tests.conftest import box
from tests.stage.glb import pack, triangle_tree
from tests.stage.test_obj_ply_stl import stl_bytes, stl_text, write_ply

SECONDS, MEMORY_MB = 10, 2048
WORDS = (
    b"-1",
    b"0",
    b"1e39",
    b"nan",
    b"99999999999",
    b"4294967295",
    b"[]",
    b"{",
    b'"',
    b"null",
    b"true",
    b"/",
)


def _usd(folder: Path, ending: str) -> bytes:
    from pxr import UsdUtils

    from tests.stage.test_usd import _with_picture, material, new_stage, square

    if ending == ".usdz":
        UsdUtils.CreateNewUsdzPackage(str(_with_picture(folder)), str(folder / "seed.usdz"))
    else:
        stage = new_stage(folder / f"seed{ending}")
        square(stage, "/a/plate")
        square(stage, "/b").CreateNormalsAttr([(0, 0, 1)] * 4)
        material(stage, "paint", diffuseColor=(1.0, 0.5, 0.2), opacity=0.5)
        stage.Save()
    return (folder / f"seed{ending}").read_bytes()


def _draco() -> bytes:
    import DracoPy

    tree, binary = triangle_tree()
    block = DracoPy.encode(box((0, 0, 0), (1, 1, 1)).reshape(-1, 3), np.arange(36).reshape(-1, 3))
    tree["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": len(block)})
    tree["meshes"][0]["primitives"][0]["extensions"] = {
        "KHR_draco_mesh_compression": {"bufferView": 2, "attributes": {"POSITION": 0}}
    }
    tree["buffers"][0]["byteLength"] = len(binary) + len(block)
    return pack(tree, binary + block)


def seeds(kind: str, folder: Path) -> tuple[str, list[bytes]]:
    """The ending and whole files of a format."""
    cube = box((0, 0, 0), (1, 2, 3))
    if kind == "glb":
        return ".glb", [pack(*triangle_tree()), _draco()]
    if kind == "gltf":
        import base64
        import json

        tree, binary = triangle_tree()
        tree["buffers"][0]["uri"] = "data:;base64," + base64.b64encode(binary).decode()
        return ".gltf", [json.dumps(tree).encode()]
    if kind == "obj":
        (folder / "a.mtl").write_text("newmtl a\nKd 1 0 0\nmap_Kd a.png\n")
        rows = [f"v {x} {y} {z}" for x, y, z in cube.reshape(-1, 3)] + ["vt 0 0", "vn 0 0 1"]
        rows += [f"f {3 * k + 1}/1/1 {3 * k + 2}/1/1 {3 * k + 3}/1/1" for k in range(12)]
        return ".obj", ["\n".join(["mtllib a.mtl", "o box", "usemtl a", *rows]).encode()]
    if kind == "ply":
        forms = ("ascii", "binary_little_endian", "binary_big_endian")
        return ".ply", [write_ply(folder / "seed.ply", form).read_bytes() for form in forms]
    if kind == "stl":
        return ".stl", [stl_bytes(cube), stl_text(cube).encode()]
    return f".{kind}", [_usd(folder, f".{kind}")]


def mutated(data: bytes, dice: random.Random) -> bytes:
    """The file with one to three damages: bits, bytes, blocks, words, cuts."""
    out = bytearray(data)
    for _ in range(dice.randint(1, 3)):
        at = dice.randrange(max(1, len(out)))
        what = dice.randrange(7)
        if what == 0 and out:
            out[at] ^= 1 << dice.randrange(8)
        elif what == 1 and out:
            out[at] = dice.choice((0, 0x7F, 0x80, 0xFF))
        elif what == 2:
            del out[at : at + dice.choice((1, 4, 40))]
        elif what == 3:
            out[at:at] = out[at : at + dice.choice((1, 4, 40, 400))]
        elif what == 4:
            out[at : at + 4] = dice.choice(
                (b"\xff\xff\xff\xff", b"\xff\xff\xff\x7f", b"\0\0\0\0", b"\0\0\x80\x7f")
            )
        elif what == 5:
            end = at
            while end < len(out) and chr(out[end]) in "0123456789.-+e":
                end += 1
            out[at:end] = dice.choice(WORDS)
        elif dice.random() < 0.2:
            del out[at:]
    return bytes(out)


def _forked(name: str, task: str, source: Path, target: Path, watch: Any) -> None:
    """What `sandbox._run` does, without starting Python again."""
    child = os.fork()
    if child == 0:
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
        signal.alarm(SECONDS)
        try:
            os._exit(sandbox.main([task, str(source), str(target)]))
        except BaseException:
            os._exit(1)
    _, status, used = os.wait4(child, 0)
    if os.WIFSIGNALED(status) and os.WTERMSIG(status) == signal.SIGALRM:
        raise AssertionError(f"{name}: over {SECONDS} s")
    if used.ru_maxrss / 1024 > MEMORY_MB:
        raise AssertionError(f"{name}: {used.ru_maxrss / 1024:.0f} MB")
    if status != 0:
        raise GloametError(f"{name} is damaged.")


def own_peak_mb() -> float:
    """Most memory of this program; ru_maxrss would count what the process that started it had."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return float(next(line for line in lines if line.startswith("VmHWM")).split()[1]) / 1024.0


def main(kind: str, count: int, seed: int) -> None:
    """Read `count` damaged files; anything but a scene or one sentence ends with a traceback."""
    sandbox._run = _forked
    os.environ.update(sandbox.CHILD_ENVIRONMENT)
    dice, opened, slowest = random.Random(seed), 0, 0.0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        ending, whole = seeds(kind, folder)
        for k in range(len(whole) + count):
            # the whole files first: what is damaged below must be readable as it was
            data = whole[k] if k < len(whole) else mutated(dice.choice(whole), dice)
            path = folder / f"t{ending}"
            path.write_bytes(data)
            print(f"{kind} {k}", file=sys.stderr, flush=True)
            signal.alarm(SECONDS)
            begin = time.monotonic()
            try:
                scene = read_model(path)
                assert np.isfinite(scene.bounds()).all()
                assert all(part.triangles.max() < len(part.shape.positions) for part in scene.parts)
                opened += 1
            except GloametError as error:
                assert k >= len(whole), error
                assert str(error).strip()
                assert "\n" not in str(error)
            signal.alarm(0)
            slowest = max(slowest, time.monotonic() - begin)
    peak = own_peak_mb()
    assert peak < MEMORY_MB, f"{peak:.0f} MB"
    print(f"{kind}: {count} files, {opened} opened, slowest {slowest:.2f} s, peak {peak:.0f} MB")


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), int(sys.argv[3]))
