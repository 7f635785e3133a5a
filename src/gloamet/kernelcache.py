# SPDX-License-Identifier: Apache-2.0
"""The cache of compiled kernels: a user folder named after the content of the kernels' sources.

The content is that of every module which a kernel may freeze into machine code: those that define kernels and all
they import, without comments, docstrings, paths and file times. So a changed comment, another clone or a
reinstallation compiles nothing, and a changed constant compiles again. `gloamet prepare` compiles in stages and
leaves a mark for each; the desk reads them. Importing this module writes nothing.
"""

from __future__ import annotations

import ast
import contextlib
import hashlib
import json
import os
import re
import shutil
import sys
import tempfile
import time
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parent
# what bench measures beside the program has kernels of its own, which only it calls
WITHOUT = ("bench",)
FROZEN_DATA = ("*.npy",)  # tables that kernels freeze
UNUSED_SECONDS = 30 * 86400.0  # after which the folder of another version is removed
MOST_STATES = 50
# seconds that the stages of `gloamet prepare` take one by one (2 cores, 2026-11-29); the last runs beside the others
STAGE_SECONDS = {"sky": 16.0, "rays": 41.0, "screen colours": 5.0, "denoiser": 1.0, "relighting": 95.0}
_IMPORT = re.compile(r"^\s*(?:from (gloamet[\w.]*) import (\([^)]*\)|[^\n]*)|import (gloamet[\w.]+))", re.M)
_KERNEL = re.compile(r"^@(njit|intrinsic)\b", re.M)


def _sources(root: Path) -> dict[str, bytes]:
    """Every module of the program by its dotted name, and the frozen tables by their file's name."""
    found = {}
    for path in sorted(root.rglob("*.py")):
        parts = ("gloamet", *path.relative_to(root).with_suffix("").parts)
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path.read_bytes()
    for pattern in FROZEN_DATA:
        for path in sorted((root / "data").rglob(pattern)):
            found[path.name] = path.read_bytes()
    return found


def kernel_modules(sources: dict[str, bytes]) -> set[str]:
    """The modules whose content kernels may freeze.

    Parameters
    ----------
    sources : dict of str to bytes
        The text of every module by its dotted name.

    Returns
    -------
    set of str
        The modules that define kernels, and all modules of the program that those import, directly or not.
    """
    texts = {name: text.decode() for name, text in sources.items() if name.startswith("gloamet")}
    waiting = [
        name
        for name, text in texts.items()
        if _KERNEL.search(text) and not name.startswith(tuple(f"gloamet.{part}." for part in WITHOUT))
    ]
    reached: set[str] = set()
    while waiting:
        name = waiting.pop()
        if name in reached:
            continue
        reached.add(name)
        for package, names, module in _IMPORT.findall(texts[name]):
            below = [f"{package}.{part}" for part in re.findall(r"\w+", names)]
            waiting += [other for other in (package, module, *below) if other in texts]
    return reached - {"gloamet", "gloamet.kernelcache"}  # which freeze nothing


def _without_words(text: bytes) -> str:
    """A module's syntax tree without docstrings, comments and positions."""
    tree = ast.parse(text)
    for node in ast.walk(tree):
        body = getattr(node, "body", None)
        if isinstance(body, list) and body and isinstance(body[0], ast.Expr):
            value = body[0].value
            if isinstance(value, ast.Constant) and isinstance(value.value, str):
                body[0] = ast.Pass()
    return ast.dump(tree)


def _content(sources: dict[str, bytes]) -> str:
    digest = hashlib.sha256()
    wanted = kernel_modules(sources)
    for name, text in sources.items():
        if name in wanted:
            digest.update(f"{name}\n{_without_words(text)}\n".encode())
        elif not name.startswith("gloamet"):
            digest.update(name.encode() + text)
    return digest.hexdigest()[:16]


def _base() -> Path:
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "gloamet"


def _known_states() -> dict[str, str]:
    try:
        found = json.loads((_base() / "states.json").read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


@cache
def _raw_and_state() -> tuple[str, str]:
    """Digest of the sources as they are on the disk, and of their content; the second is remembered by the first."""
    sources = _sources(ROOT)
    digest = hashlib.sha256()
    for name, text in sources.items():
        digest.update(name.encode() + text)
    raw = digest.hexdigest()[:16]
    return raw, _known_states().get(raw) or _content(sources)


def state() -> str:
    """Return the digest of all that kernels freeze.

    Returns
    -------
    str
        Sixteen hexadecimal digits.
    """
    return _raw_and_state()[1]


def choose_folder() -> None:
    """Point Numba at the kernel cache, unless the user chose a folder.

    Must run before Numba is imported.
    """
    if "NUMBA_CACHE_DIR" not in os.environ and "numba" not in sys.modules:
        os.environ["NUMBA_CACHE_DIR"] = str(_base() / f"kernels-{state()}")


def folder() -> Path:
    """Return the folder of compiled kernels.

    Returns
    -------
    Path
        The folder chosen, or a temporary one where that cannot be written.
    """
    chosen = Path(os.environ.get("NUMBA_CACHE_DIR", ""))
    folder = chosen
    while not folder.exists() and folder != folder.parent:
        folder = folder.parent
    if os.access(folder, os.W_OK):
        return chosen
    return Path(tempfile.gettempdir()) / f"gloamet-{os.getuid()}" / chosen.name


def mark_used() -> None:
    """Mark the kernel cache as used today."""
    here = folder()
    with contextlib.suppress(OSError):  # a read-only cache: everything is compiled at every start
        here.mkdir(parents=True, exist_ok=True)
        (here / "used").touch()
        raw, content = _raw_and_state()
        states = _known_states()
        if states.get(raw) != content:
            kept = dict([*states.items(), (raw, content)][-MOST_STATES:])
            part = _base() / f"states.{os.getpid()}.part"
            part.write_text(json.dumps(kept))
            part.replace(_base() / "states.json")


def remove_unused_folders() -> None:
    """Remove kernel caches of other versions that were not used for a month."""
    for other in _base().glob("kernels-*"):
        mark = other / "used"
        with contextlib.suppress(OSError):
            last = (mark if mark.exists() else other).stat().st_mtime
            if other != folder() and time.time() - last > UNUSED_SECONDS:
                shutil.rmtree(other, ignore_errors=True)


def _mark(stage: str) -> Path:
    return folder() / f"ready-{stage.replace(' ', '-')}-{state()}"


def mark_ready(stage: str) -> None:
    """Say that all kernels of a stage are compiled.

    Parameters
    ----------
    stage : str
        A key of `STAGE_SECONDS`.
    """
    mark_used()
    with contextlib.suppress(OSError):  # a read-only cache: everything is compiled at every start
        _mark(stage).touch()


def is_ready(stage: str) -> bool:
    """Whether all kernels of a stage are compiled.

    Parameters
    ----------
    stage : str
        A key of `STAGE_SECONDS`.

    Returns
    -------
    bool
        Whether its mark is there.
    """
    return _mark(stage).exists()
