# SPDX-License-Identifier: Apache-2.0
"""The ray library at C speed: the same rays in a compiled C loop, as the reference for the kernels.

Rays (N, 3) enter, million rays a second leave; nothing where the machine has no C compiler.
"""

from __future__ import annotations

import ctypes
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.thread_pool import new_pool
from gloamet.trace.geometry.embree import PATH_MASK, RayScene, library

# the ray and the hit as the library's reference lays them out; the call comes by its address
_SOURCE = """
#include <stddef.h>
struct __attribute__((aligned(16))) Query {
    float ox, oy, oz, near, dx, dy, dz, time, far; unsigned mask, id, flags;
    float nx, ny, nz, u, v; unsigned primitive, geometry, instance, pad[4];
};
typedef void (*Ask)(void *, void *, void *);
int trace(Ask ask, void *scene, const float *o, const float *d, int first, int last, unsigned mask) {
    int hits = 0;
    for (int i = first; i < last; i++) {
        struct Query q = {o[3*i], o[3*i+1], o[3*i+2], 0, d[3*i], d[3*i+1], d[3*i+2], 0, 1e30f, mask, 0, 0};
        q.primitive = q.geometry = q.instance = -1;
        ask(scene, &q, NULL);
        hits += q.geometry != -1;
    }
    return hits;
}
"""


def raw_closest(
    scene: RayScene,
    origins: NDArray[np.float32],
    directions: NDArray[np.float32],
    jobs: list[tuple[int, int]],
) -> Callable[[], int] | None:
    """A call that traces all rays on all threads and returns how many met anything; None without a compiler."""
    compiler = shutil.which("cc")
    if compiler is None:
        return None
    with tempfile.TemporaryDirectory() as folder:
        source, made = Path(folder) / "raw.c", Path(folder) / "raw.so"
        source.write_text(_SOURCE)
        command = [compiler, "-O3", "-march=native", "-shared", "-fPIC", "-o", str(made), str(source)]
        subprocess.run(command, check=True)
        trace: Any = ctypes.CDLL(str(made)).trace
    ask = ctypes.cast(library().handle.rtcIntersect1, ctypes.c_void_p)
    begun = [array.ctypes.data_as(ctypes.c_void_p) for array in (origins, directions)]
    pool = new_pool("bench")

    def run() -> int:
        def part(job: tuple[int, int]) -> int:
            return int(trace(ask, ctypes.c_void_p(int(scene.handle or 0)), *begun, *job, PATH_MASK))

        return sum(pool.map(part, jobs))

    return run
