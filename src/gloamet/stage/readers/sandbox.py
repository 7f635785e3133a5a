# SPDX-License-Identifier: Apache-2.0
"""Decoders that may crash on damaged files run in a process of their own, with limits of memory and time.

Draco blocks enter as bytes and leave as arrays; a USD file leaves as the arrays and rows that `usd` turns
into a Scene. Whatever happens in there, one sentence comes out here.
"""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.readers.progress import Cancelled, ProgressToken

LEAST_MEMORY, MOST_MEMORY = 1024**3, 6 * 1024**3  # beyond what the libraries take when loaded
MEMORY_PER_FILE_BYTE = 40  # of the file: a damaged count must not take what a whole file would
TIME_LIMIT_S = 300
TRIES = 2  # a sound file's reader may be killed by what else the machine does
EXIT_REFUSED = 3
# each thread of theirs would reserve address space, whether it is used or not
CHILD_ENVIRONMENT = {"PXR_WORK_THREAD_LIMIT": "2", "MALLOC_ARENA_MAX": "2"}


def _run(name: str, task: str, source: Path, target: Path, watch: ProgressToken) -> None:
    """Run one task over there. Raises GloametError with one sentence when it fails."""
    for _ in range(TRIES):
        code, lines = _run_once(name, [task, str(source), str(target)], watch)
        if code >= 0:  # not killed by a signal
            break
    if code == EXIT_REFUSED and lines:
        raise GloametError(lines[-1])
    if code != 0:
        raise GloametError(f"{name} is damaged: its reader stopped half-way. Export it again.")


def _run_once(name: str, arguments: list[str], watch: ProgressToken) -> tuple[int, list[str]]:
    """The exit code (minus a signal's number) and the lines of the standard error."""
    command = [sys.executable, "-m", "gloamet.stage.readers.sandbox", *arguments]
    with tempfile.TemporaryFile() as errors:
        process = subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=errors, env={**os.environ, **CHILD_ENVIRONMENT}
        )
        begin = time.monotonic()
        try:
            while process.poll() is None:
                watch.step(0.2, "reading")
                if time.monotonic() - begin > TIME_LIMIT_S:
                    raise GloametError(
                        f"{name} took more than {TIME_LIMIT_S} s to read: export it again, smaller."
                    )
                time.sleep(0.01)
        except (Cancelled, GloametError):
            process.kill()
            process.wait()
            raise
        errors.seek(0)
        return process.returncode, errors.read().decode("utf-8", "replace").strip().splitlines()


def decode_draco(
    name: str, blocks: list[tuple[bytes, dict[str, int]]], watch: ProgressToken
) -> list[dict[str, NDArray]]:
    """Arrays of each compressed primitive by attribute name, and `indices` (N,) uint32."""
    with tempfile.TemporaryDirectory(prefix="gloamet-") as folder:
        source, target = Path(folder) / "blocks.json", Path(folder) / "arrays.npz"
        rows = []
        for k, (data, attributes) in enumerate(blocks):
            (Path(folder) / f"{k}.drc").write_bytes(data)
            rows.append(attributes)
        source.write_text(json.dumps(rows))
        _run(name, "draco", source, target, watch)
        with np.load(target, allow_pickle=False) as found:
            out: list[dict[str, NDArray]] = [{} for _ in blocks]
            for key in found.files:
                index, _, attribute = key.partition(".")
                out[int(index)][attribute] = found[key]
    return out


def read_usd_in_sandbox(
    path: Path, outside: bool, watch: ProgressToken
) -> tuple[dict[str, Any], dict[str, NDArray]]:
    """The rows and arrays of a USD file, as `usd_worker` writes them."""
    with tempfile.TemporaryDirectory(prefix="gloamet-") as folder:
        source, target = Path(folder) / "wish.json", Path(folder) / "arrays.npz"
        source.write_text(json.dumps({"path": str(path), "outside": outside}))
        _run(path.name, "usd", source, target, watch)
        rows = json.loads(target.with_suffix(".json").read_text())
        with np.load(target, allow_pickle=False) as found:
            arrays = {key: found[key] for key in found.files}
    return rows, arrays


def _draco(source: Path, target: Path) -> None:
    import DracoPy

    arrays: dict[str, NDArray] = {}
    for k, attributes in enumerate(json.loads(source.read_text())):
        mesh = DracoPy.decode((source.parent / f"{k}.drc").read_bytes())
        if getattr(mesh, "faces", None) is None or not len(mesh.faces):
            raise GloametError("A compressed mesh holds no triangles: export it again.")
        arrays[f"{k}.indices"] = np.asarray(mesh.faces, np.uint32).ravel()
        by_id = {int(row["unique_id"]): row["data"] for row in mesh.attributes}
        for attribute, number in attributes.items():
            values = by_id.get(number)
            if values is not None:
                values = np.asarray(values)
                if attribute == "COLOR_0" and values.dtype.kind in "iu":
                    values = values / np.float32(np.iinfo(values.dtype).max)
                arrays[f"{k}.{attribute}"] = np.asarray(values, np.float32).reshape(len(values), -1)
    np.savez(target, **arrays)  # type: ignore[arg-type]


def _limit(file_bytes: int) -> None:
    """Bound the address space beyond what is loaded by now."""
    loaded = int(Path("/proc/self/statm").read_text().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    most = loaded + min(LEAST_MEMORY + MEMORY_PER_FILE_BYTE * file_bytes, MOST_MEMORY)
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def main(arguments: list[str]) -> int:
    """The other side: do one task under limits."""
    task, source, target = arguments[0], Path(arguments[1]), Path(arguments[2])
    try:
        if task == "draco":
            import DracoPy  # noqa: F401

            _limit(sum(block.stat().st_size for block in source.parent.glob("*.drc")))
            _draco(source, target)
        else:
            wish = json.loads(source.read_text())
            path = Path(wish["path"])
            from gloamet.stage.readers.usd_worker import dump

            _limit(sum(f.stat().st_size for f in path.parent.glob("*.usd*")))
            dump(path, bool(wish["outside"]), target)
    except GloametError as error:
        print(error, file=sys.stderr)
        return EXIT_REFUSED
    return 0


if __name__ == "__main__":
    code = main(sys.argv[1:])
    sys.stderr.flush()
    os._exit(code)  # without the libraries' own tidying up: their threads may outlive what they use
