# SPDX-License-Identifier: Apache-2.0
"""Speed of the Sun step: scanning a year, painting the year cloth, sun outlines while dragging."""

from __future__ import annotations

import time
from zoneinfo import ZoneInfo

from gloamet.aim.moments import AlmanacSite
from gloamet.aim.sun_windows import scan_year, target_from_part
from gloamet.bench.desk import COMMON, run_apart
from gloamet.bench.relight import bench_of
from gloamet.desk.instruments.year_cloth import MINUTES, sky_cloth
from gloamet.sky.air import Air
from gloamet.sky.sky_palette import solve_sky_palette
from gloamet.sky.sky_solver import SkySolver
from gloamet.sun.year import year_grid

Result = dict[str, float]
BEST_OF = 3

# outlines for a direction that moves as a hand does: each is painted while the next is computed
_OVERLAY = (
    COMMON.replace("demo_document()", "demo_document().change('output', width=960, height=540)")
    + """
import statistics
from gloamet.sun.position import direction
for _ in range(3):
    app.processEvents()
    got = session.render.size
    window.resize(window.width() + 960 - got[0], window.height() + 540 - got[1])
times = []

def drawn():
    if window.aimer.preview is None:
        return
    window.aimer.show(direction(90.0 + 1.5 * len(times), 20.0 + 0.3 * len(times)))
    window.picture.repaint()  # painted, not only computed
    times.append(time.perf_counter())
    if len(times) == 80:
        gaps = sorted(b - a for a, b in zip(times[10:-1], times[11:]))
        out["fps"], out["worst"] = 1.0 / statistics.median(gaps), 1.0 / gaps[-1]
        out["size"] = session.render.size
        print(json.dumps(out), flush=True)
        os._exit(0)

window.aimer.outlined = True  # relit pictures are measured by pin_fps
window.aimer.outlines.ready.connect(drawn)

def begin(frame):
    if frame.exact and window.aimer.preview is None:
        window.aimer.show(direction(90.0, 20.0))

session.results.frame_ready.connect(begin)
app.exec()
"""
)


def scan() -> Result:
    """Seconds to scan a year (52 560 moments, 96 points) for the deck of the demo."""
    scene = bench_of("house").scene
    target, site = (
        target_from_part(scene, "deck and steps"),
        AlmanacSite(57.4, 21.5, ZoneInfo("Europe/Riga"), 2026),
    )
    best = float("inf")
    for _ in range(BEST_OF):
        start = time.perf_counter()
        scan_year(scene, target, site)
        best = min(best, time.perf_counter() - start)
    return {"year_scan_s": best}


def cloth() -> Result:
    """Milliseconds from another place, and from another turbidity, to the painted year."""
    solver, zone = SkySolver(), ZoneInfo("Europe/Riga")
    colours, grid = solve_sky_palette(solver, Air()), year_grid(2026, 50.0, 21.5, zone, MINUTES)
    sunlit = air = float("inf")
    for k in range(BEST_OF + 2):
        start = time.perf_counter()
        sky_cloth(year_grid(2026, 50.0 + k, 21.5, zone, MINUTES), colours)
        middle = time.perf_counter()
        sky_cloth(grid, solve_sky_palette(solver, Air(2.0 + 0.1 * k)))
        sunlit, air = min(sunlit, middle - start), min(air, time.perf_counter() - middle)
    return {"year_cloth_ms": 1e3 * sunlit, "year_cloth_air_ms": 1e3 * air}


def overlay() -> Result:
    """Outlines of sun and shade a second while a direction moves, painting included."""
    run = run_apart(_OVERLAY)
    return {"overlay_fps_960x540": run["fps"], "overlay_worst_fps_960x540": run["worst"]}
