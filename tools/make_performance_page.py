# SPDX-License-Identifier: Apache-2.0
"""Make docs/performance.md: how the time of pictures and of opening grows, each beside its limit on this machine.

Run it on a quiet machine, `python tools/make_performance_page.py`; it takes about ten minutes.
"""

from __future__ import annotations

import json
import os
import platform
import subprocess
import sys
import tempfile
import time
from datetime import date
from pathlib import Path

import numpy as np

from gloamet.bench import core, desk, opening, relight
from gloamet.trace.film import Film, Renderer
from gloamet.trace.noise import error_quantile, tile_relative_error
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.relight.fine_display import FineDisplay
from gloamet.trace.relight.points import UNIT_SOURCE_GAINS

PAGE = Path(__file__).parents[1] / "docs" / "performance.md"
SIZES = ((240, 136), (480, 270), (720, 405), (960, 540))
TRIANGLES = (10_000, 100_000, 1_000_000, 5_000_000)
SUNS = [relight.sky_at(110.0 + 0.25 * k, 30.0 + 0.05 * k) for k in range(24)]
VIEW = json.dumps({"eye": (25.0, -30.0, 20.0), "target": (25.0, 20.0, 0.0)})
QT_START = (
    "from PySide6.QtWidgets import QApplication, QWidget; a = QApplication([]); w = QWidget(); w.show()"
)


def table(heads: list[str], rows: list[list[str]]) -> str:
    """A table in Markdown."""
    lines = [heads, ["---"] * len(heads), *rows]
    return "\n".join(f"| {' | '.join(line)} |" for line in lines)


def cache_of(bench: relight.Bench, size: tuple[int, int], threads: int) -> RelightCache:
    """A complete relight cache of a demo's view at a size."""
    cache = RelightCache(bench.scene, bench.camera, *size, bench.tracer.pool, threads)
    while not cache.full:
        cache.improve(SUNS[0])
    return cache


def drag_ms(cache: RelightCache) -> float:
    """Median time of a relit picture while the sun moves."""
    times = []
    for sun in SUNS:
        begin = time.perf_counter()
        cache.relit(sun)
        times.append(time.perf_counter() - begin)
    return 1e3 * float(np.median(times[4:]))


def by_pixels() -> str:
    """Relit pictures in motion, by their pixels."""
    rows = []
    for demo in ("house", "interior"):
        bench = relight.bench_of(demo)
        times = [drag_ms(cache_of(bench, size, bench.tracer.threads)) for size in SIZES]
        slope, fixed = np.polyfit([w * h for w, h in SIZES], times, 1)
        rows.append([demo, *(f"{t:.1f}" for t in times), f"{fixed:.1f}", f"{1e6 * slope:.0f}"])
    heads = ["scene", *(f"{w} × {h}, ms" for w, h in SIZES), "whatever the size, ms", "each pixel, ns"]
    return table(heads, rows)


def by_screen() -> str:
    """What shows 480 x 336 relit pixels on larger screens."""
    bench, rows = relight.bench_of("house"), []
    cache = cache_of(bench, (480, 336), bench.tracer.threads)
    cache.relit(SUNS[0], at_rest=True)
    pixels = np.full((336, 480, 4), 128, np.uint8)
    for width, height in ((730, 511), (1070, 749)):
        fine, begin = FineDisplay(cache, width, height), time.perf_counter()
        fine.improve(lambda: False)
        made = time.perf_counter() - begin
        enlarged = 1e3 * core.best(lambda fine=fine: fine.enlarge(pixels))  # type: ignore[misc]
        shaded = 1e3 * core.best(lambda fine=fine: fine.shade(SUNS[0], UNIT_SOURCE_GAINS))  # type: ignore[misc]
        rows.append([f"{width} × {height}", f"{made:.1f}", f"{enlarged:.1f}", f"{shaded:.0f}"])
    return table(["screen", "made once per camera, s", "enlarged in motion, ms", "shaded at rest, ms"], rows)


def by_cores() -> str:
    """Relighting and path tracing on one core and on all."""
    rows, bench = [], relight.bench_of("house")
    for threads in sorted({1, os.cpu_count() or 1}):
        relit = drag_ms(cache_of(bench, (480, 270), threads))
        tracer, film = Renderer(threads), Film(320, 180)
        begin = time.perf_counter()
        tracer.accumulate(film, bench.scene, SUNS[0], bench.camera, 16)
        samples = 16 * film.width * film.height / (time.perf_counter() - begin)
        tracer.pool.shutdown()
        rows.append([str(threads), f"{relit:.1f}", f"{samples / 1e6:.2f}"])
    return table(["threads", "relit 480 × 270, ms", "path samples a second, millions"], rows)


def by_frames() -> str:
    """Noise of a traced picture by its samples."""
    bench, rows, film = relight.bench_of("house"), [], Film(320, 180)
    spent, done = 0.0, 0
    for samples in (4, 16, 64, 256):
        begin = time.perf_counter()
        bench.tracer.accumulate(film, bench.scene, SUNS[0], bench.camera, samples - done)
        spent, done = spent + time.perf_counter() - begin, samples
        rows.append(
            [str(samples), f"{spent:.1f}", f"{100.0 * error_quantile(tile_relative_error(film)):.1f}"]
        )
    return table(["samples of 320 × 180", "seconds", "noise, %"], rows)


def by_triangles() -> str:
    """Opening a GLB, by its triangles."""
    rows = []
    for triangles in TRIANGLES:
        meshes = max(1, triangles // 40_000)
        side = int((triangles / meshes / 2) ** 0.5) + 1
        sheets = [opening._wavy(side, k) for k in range(meshes)]
        nodes = [{"mesh": k, "translation": [10.0 * (k % 5), 0.0, -10.0 * (k // 5)]} for k in range(meshes)]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "model.glb"
            opening._save(path, sheets, nodes)
            run = desk.run_apart(opening._OPEN, str(path), VIEW)
            size = path.stat().st_size / 2**20
        rows.append(
            [f"{triangles:,}".replace(",", " "), f"{size:.0f}", f"{run['seconds']:.2f}", f"{run['mb']:.0f}"]
        )
    return table(["triangles", "file, MB", "first picture after, s", "memory more, MB"], rows)


def limits() -> str:
    """What the machine itself allows."""
    rays = core.rays()
    block = np.ones(32 << 20, np.float32)
    copy_gb_s = 2e-9 * block.nbytes / core.best(lambda: block.copy())
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", QT_START]
    qt_s = core.best(lambda: subprocess.run(command, env=environment, check=True, capture_output=True), 3)
    started = desk.start_warm()
    rows = [
        ["closest hits, million rays a second", f"{rays['rays_closest_mps']:.1f}"],
        ["any hits (shadow rays), million a second", f"{rays['rays_any_mps']:.1f}"],
        ["memory read and written by one thread, GB/s", f"{copy_gb_s:.1f}"],
        ["Python, Qt and an empty window, s", f"{qt_s:.2f}"],
        ["this program's window, caches warm, s", f"{started['window_warm_s']:.2f}"],
        ["its first picture, caches warm, s", f"{started['first_picture_warm_s']:.2f}"],
    ]
    return table(["limit", "here"], rows)


def main() -> None:
    """Measure and write."""
    cores = os.cpu_count()
    parts = [
        "# How cost grows",
        f"Made by `tools/make_performance_page.py` on {date.today()}: {cores} cores, {platform.machine()}, "
        f"Python {platform.python_version()}. The figures of one run belong together; another machine, or this one "
        "under load, gives others.",
        "## Limits of the machine",
        limits(),
        "## A relit picture in motion, by its pixels",
        by_pixels(),
        "What the stages of a frame take: [methods.md](methods.md). While a hand moves, 160 000 to 400 000 pixels are "
        "relit, as many as the machine manages in 33 ms with all the rest.",
        "## From relit pixels to the screen",
        by_screen(),
        "## Cores",
        by_cores(),
        "## Samples of a traced picture",
        by_frames(),
        "Noise falls with the square root of the samples.",
        "## Opening a model",
        by_triangles(),
        "Memory is the peak above that of a desk that has shown a small model before: up to a million triangles the "
        "picture of that took more.",
    ]
    PAGE.write_text("\n\n".join(parts) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
