"""Where compiled kernels are kept: in the user's cache, under a name made of the kernels' own sources.

Numba looks only at the file of a kernel itself, so a helper that changed in another file would leave stale
machine code behind. A folder per state of the sources cannot be stale; folders of other states are removed.
`gloamet prepare` compiles in stages and leaves a mark for each; the desk reads them.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import sys
from pathlib import Path

# every package whose constants and functions kernels freeze into machine code; a test follows their imports
PACKAGES = ("colour", "data", "develop", "meter", "sky", "stage", "sun", "trace")
MODULES = (
    "errors.py",
    "jit.py",
    "quick_math.py",
    "thread_barrier.py",
    "document/__init__.py",
    "document/lights.py",
)
# seconds that the stages of `gloamet prepare` take one by one (2 cores, 2026-11-29); the last runs beside the others
STAGE_SECONDS = {"sky": 16.0, "rays": 41.0, "screen colours": 5.0, "denoiser": 1.0, "relighting": 95.0}


def _state() -> str:
    digest = hashlib.sha256()
    root = Path(__file__).parent
    sources = [path for package in PACKAGES for path in sorted((root / package).rglob("*.*"))]
    for path in (*(root / name for name in MODULES), *sources):
        if path.suffix in (".py", ".npy"):
            stat = path.stat()
            digest.update(f"{path}{stat.st_mtime_ns}{stat.st_size}".encode())
    return digest.hexdigest()[:16]


def choose_folder() -> None:
    """Point Numba at the folder, unless the user chose one; must run before Numba is imported."""
    if "NUMBA_CACHE_DIR" in os.environ or "numba" in sys.modules:
        return
    base = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "gloamet"
    folder = base / f"kernels-{_state()}"
    if not folder.is_dir():
        with contextlib.suppress(OSError):  # a read-only home: Numba says so itself
            folder.mkdir(parents=True, exist_ok=True)
        for old in base.glob("kernels-*"):
            if old != folder:
                shutil.rmtree(old, ignore_errors=True)
    os.environ["NUMBA_CACHE_DIR"] = str(folder)


def _mark(stage: str) -> Path:
    return Path(os.environ.get("NUMBA_CACHE_DIR", "")) / f"ready-{stage.replace(' ', '-')}-{_state()}"


def mark_ready(stage: str) -> None:
    """Say that all kernels of a stage are compiled."""
    with contextlib.suppress(OSError):  # a read-only cache: everything is compiled at every start
        _mark(stage).touch()


def is_ready(stage: str) -> bool:
    """Whether all kernels of a stage are compiled."""
    return _mark(stage).exists()
