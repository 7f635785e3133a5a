"""Where compiled kernels are kept: in the user's cache, under a name made of the kernels' own sources.

Numba looks only at the file of a kernel itself, so a helper that changed in another file would leave stale
machine code behind. A folder per state of the sources cannot be stale; folders of other states are removed.
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
MODULES = ("errors.py", "jit.py", "thread_barrier.py")


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
