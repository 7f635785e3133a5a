# SPDX-License-Identifier: Apache-2.0
"""Speed of the interface: start, the first picture after a change, gaps between events, cancelling.

Each is measured in a process of its own, offscreen, at 1280 x 800 with the demo.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from typing import Any

from gloamet.document.demo import TITLES

Result = dict[str, float]

COMMON = """
import json, os, sys, time, traceback
START = float(os.environ["GLOAMET_BENCH_START"])
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from gloamet.document.demo import demo_document
from gloamet.desk.widgets import theme
from gloamet.desk.garbage import GarbageCollector
from gloamet.desk.state.session import Session
from gloamet.desk.window import DeskWindow
from gloamet.preview.preparation import KernelPreparation

def die(*fault):
    traceback.print_exception(*fault)
    os._exit(1)

sys.excepthook = die  # a fault in a slot would let the measure run for ever
app = QApplication(sys.argv[:1])
theme.apply(app)
collector = GarbageCollector()
preparation = KernelPreparation()
session = Session(preparation=preparation)
window = DeskWindow(session)
session.start_with(demo_document())
window.show()
app.processEvents()
window.grab()
out = {"window": time.time() - START}

def finish():
    preparation.close()
    print(json.dumps(out), flush=True)
    os._exit(0)
"""

_START = (
    COMMON
    + """
def first(frame):
    out["picture"] = time.time() - START
    finish()

session.results.frame_ready.connect(first)
app.exec()
"""
)

# Changes come from a timer, as from a hand; a second timer of 1 ms measures how late the interface runs.
_HAND = (
    COMMON
    + """
import statistics
from datetime import timedelta
state = {"frames": 0, "asked": None, "waits": [], "gap": 0.0, "last": None, "left": 12, "drag": 0}

def beat():
    now = time.perf_counter()
    if state["last"] is not None:
        state["gap"] = max(state["gap"], now - state["last"])
    state["last"] = now

pulse = QTimer(interval=1)
pulse.timeout.connect(beat)

def change():
    state["asked"] = time.perf_counter()
    session.change("sun", mode="manual", azimuth_deg=100.0 + 5 * state["left"], elevation_deg=30.0 + state["left"])

def scrub():
    session.go_to(session.moment().instant + timedelta(minutes=2), "sun.time")
    state["drag"] += 1
    if state["drag"] == 200:
        out["gap"] = state["gap"]
        out["first"] = min(state["waits"])
        out["first_median"] = statistics.median(state["waits"])
        out["scrub_fps"] = state["frames"] / (time.perf_counter() - state["begin"])
        finish()

drag = QTimer(interval=20)
drag.timeout.connect(scrub)

def frame(f):
    if state["drag"]:
        state["frames"] += 1
        return
    if state["asked"] is not None:
        state["waits"].append(time.perf_counter() - state["asked"])
        state["asked"] = None
        state["left"] -= 1
    if not f.exact or state["left"] < 0:
        return
    if state["left"] == 0:
        state["left"], state["last"], state["begin"] = -1, None, time.perf_counter()
        pulse.start()
        drag.start()
        state["drag"] = 1
    else:
        QTimer.singleShot(250, change)

session.results.frame_ready.connect(frame)
app.exec()
"""
)

# The very first start: a hand drags the sun from the first moment on, with no kernel compiled. When the first picture
# of another sun came, pictures a second in the ten seconds after it, and how much the mean changed at the hand-over.
_FIRST_SUN = (
    COMMON.replace("demo_document()", "demo_document(sys.argv[1])")
    + """
from datetime import timedelta
import numpy as np
SECONDS, STEPS = 10.0, 120  # of the drag, and after how many it begins again, four hours later in the day
state = {"first": None, "frames": 0, "end": None, "before": None, "step": 0}
begin, instant = session.document, session.moment().instant

def ask():
    state["step"] = state["step"] % STEPS + 1
    session.go_to(instant + timedelta(minutes=2 * state["step"]), "sun.time")

drag = QTimer(interval=20)
drag.timeout.connect(ask)
drag.start()

def frame(f):
    moved = f.document is not None and f.document.sun != begin.sun
    if session.render.prepared:
        if moved and state["first"] is None:  # nothing had to be compiled
            out.update(first=time.time() - START, fps=0.0, handover=0.0)
            finish()
        if state["before"] is None or f.document is None or f.document.sun != session.document.sun:
            return
        mean = float(f.pixels[..., :3].mean())
        out["handover"] = abs(mean - state["before"]) / state["before"]
        finish()
    elif state["end"] is not None:
        state["before"] = float(f.pixels[..., :3].mean())
    elif moved and state["first"] is None:
        state["first"] = out["first"] = time.time() - START
    elif moved:
        state["frames"] += 1
        if time.time() - START - state["first"] > SECONDS:
            out["fps"] = state["frames"] / SECONDS
            drag.stop()
            state["end"] = True

session.results.frame_ready.connect(frame)
app.exec()
"""
)

# A hand drags a shadow pin once pictures can be relit: relit pictures of the sun it asks for, a second.
_PIN = (
    COMMON
    + """
from gloamet.desk.actions import sun_actions
from gloamet.desk.steps import FIRST_STEP
from gloamet.document.targets import AimPin
window.stack.panel(FIRST_STEP).show_page("Aim")
state = {"frames": 0, "moves": 0, "begin": None}
MOVES = 150

def move():
    x = 3.0 + 3.0 * state["moves"] / MOVES
    sun_actions.change_pin(session, 0, "pin 0", receiver=(x, -4.0, 0.0))
    state["moves"] += 1
    if state["moves"] == MOVES:
        out["pin_fps"] = state["frames"] / (time.perf_counter() - state["begin"])
        finish()

drag = QTimer(interval=20)
drag.timeout.connect(move)

def frame(f):
    if state["begin"] is not None:
        state["frames"] += f.document is not None and f.document.sun.mode == "manual"
    elif f.exact and f.relight_state[1]:
        sun_actions.add_pin(session, AimPin(kind="shadow", caster=(0.0, 0.0, 3.0), receiver=(3.0, -4.0, 0.0)))
        state["begin"] = time.perf_counter()
        drag.start()

session.results.frame_ready.connect(frame)
app.exec()
"""
)

# A hand drags the time of a demo whose cache is full, with the picture at a given size on screen.
_RELIGHT = (
    COMMON.replace(
        "demo_document()",  # whose picture fills the size asked for
        "demo_document(sys.argv[1]).change('output', width=int(sys.argv[2]), height=int(sys.argv[3]))",
    )
    + """
import statistics
from datetime import timedelta
wanted = int(sys.argv[2]), int(sys.argv[3])
for _ in range(3):
    app.processEvents()
    got = session.render.size
    window.resize(window.width() + wanted[0] - got[0], window.height() + wanted[1] - got[1])
state = {"times": [], "drag": 0, "rested": None, "ready": None}
# with the air in front of objects and without: turn by turn over the same hours, for a machine has slow moments
gaps = {True: [], False: []}

def ask():
    session.go_to(session.moment().instant + timedelta(minutes=2), "sun.time")
    state["drag"] += 1
    if len(state["times"]) == 25:
        times, aerial = state["times"][5:], session.document.air.aerial_perspective
        gaps[aerial] += [b - a for a, b in zip(times[:-1], times[1:])]
        if len(gaps[False]) >= 3 * 19:
            out["fps"], out["without_air"] = (1.0 / statistics.median(gaps[on]) for on in (True, False))
            out["worst_fps"], out["size"] = 1.0 / max(gaps[True]), session.render.size
            finish()
            return
        state["times"] = []
        state["begin"] = state["begin"] if aerial else session.moment().instant
        session.go_to(state["begin"], "sun.time")
        session.change("air", aerial_perspective=not aerial)

drag = QTimer(interval=20)
drag.timeout.connect(ask)

def frame(f):
    if state["drag"]:
        window.picture.repaint()  # painted, not only computed
        state["times"].append(time.perf_counter())

session.results.frame_ready.connect(frame)

def look():
    ready, full = session.results.relight_state
    now = time.perf_counter()
    if session.results.frame is None:
        return
    if state["rested"] is None:
        state["rested"] = now
    if ready and state["ready"] is None:
        state["ready"] = now
        out["usable"] = now - state["rested"]
    if full and not drag.isActive():
        state["begin"] = session.moment().instant
        out["full"] = now - state["rested"]
        drag.start()
        watch.stop()

watch = QTimer(interval=10)
watch.timeout.connect(look)
watch.start()
app.exec()
"""
)

# The time from a new request to the worker taking it up, while a full-size pass is under way.
_CANCEL = """
import json, os, random, threading, time
from gloamet.document.demo import demo_document
from gloamet.preview.worker import RenderWorker
from gloamet.preview.events import Busy, Frame, LightSolved
taken, frame = threading.Event(), threading.Event()
when = [0.0]

def report(event):
    if isinstance(event, LightSolved):
        when[0] = time.perf_counter()
        taken.set()
    if isinstance(event, Frame) and event.exact:
        frame.set()

engine = RenderWorker(report)
document = demo_document()
engine.request(document, 744, 628)
frame.wait(120)
waits, dice = [], random.Random(1)
for k in range(20):
    frame.clear()
    taken.clear()
    document = document.change("stage.view", fov_deg=30.0 + 0.1 * k)
    engine.request(document, 744, 628)
    frame.wait(60)
    time.sleep(0.05 + 0.3 * dice.random())
    taken.clear()
    start = time.perf_counter()
    engine.request(document.change("stage.view", fov_deg=50.0), 744, 628)
    taken.wait(60)
    waits.append(when[0] - start)
waits.sort()
print(json.dumps({"median": waits[10], "worst": waits[-1]}), flush=True)
os._exit(0)
"""


def run_apart(script: str, *arguments: str, cache: str | None = None) -> dict[str, Any]:
    """The last line that a script prints in a separate process, as JSON."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "GLOAMET_BENCH_START": str(time.time())}
    if cache is not None:
        environment["XDG_CACHE_HOME"] = cache
        environment.pop("NUMBA_CACHE_DIR", None)  # this process has chosen its own
    done = subprocess.run(
        [sys.executable, "-c", script, *arguments],
        capture_output=True,
        text=True,
        env=environment,
        timeout=600,
        check=False,
    )
    if done.returncode != 0 or not done.stdout.strip():
        raise RuntimeError(done.stderr[-1000:] or "the measured process said nothing")
    return dict(json.loads(done.stdout.strip().splitlines()[-1]))


def start_warm() -> Result:
    """Seconds from starting the program to the window and to the first lit picture, caches warm."""
    runs = [run_apart(_START) for _ in range(5)]
    return {
        "window_warm_s": min(r["window"] for r in runs),
        "first_picture_warm_s": min(r["picture"] for r in runs),
    }


def start_cold() -> Result:
    """The same with empty caches, as on a new machine: every kernel is compiled."""
    with tempfile.TemporaryDirectory() as cache:
        run = run_apart(_START, cache=cache)
    return {"window_first_s": run["window"], "first_picture_first_s": run["picture"]}


FIRST_SUN_NAMES = ("first_sun_drag_s", "first_sun_fps", "first_sun_handover")


def first_sun() -> Result:
    """The very first start, worst of the demos: seconds to the first picture of a dragged sun, pictures a second while
    kernels are compiled, and the change of the mean when the renderer takes over."""
    runs = []
    for name in TITLES:
        with tempfile.TemporaryDirectory() as cache:
            runs.append(run_apart(_FIRST_SUN, name, cache=cache))
    values = max(r["first"] for r in runs), min(r["fps"] for r in runs), max(r["handover"] for r in runs)
    return dict(zip(FIRST_SUN_NAMES, values, strict=True))


def compile_cold() -> Result:
    """Seconds of `gloamet prepare` with an empty cache: all kernels, in as many processes as it starts."""
    with tempfile.TemporaryDirectory() as cache:
        environment = {**os.environ, "XDG_CACHE_HOME": cache}
        environment.pop("NUMBA_CACHE_DIR", None)
        start = time.perf_counter()
        subprocess.run(
            [sys.executable, "-m", "gloamet", "prepare"], env=environment, check=True, capture_output=True
        )
        return {"compile_cold_s": time.perf_counter() - start}


def hand() -> Result:
    """First picture after a change, pictures a second while scrubbing, and the longest gap meanwhile."""
    run = run_apart(_HAND)
    return {
        "first_change_ms": 1e3 * run["first"],
        "first_change_median_ms": 1e3 * run["first_median"],
        "gui_gap_ms": 1e3 * run["gap"],
        "scrub_fps": run["scrub_fps"],
    }


def pin() -> Result:
    """Relit pictures a second while a shadow pin is dragged."""
    return {"pin_fps": run_apart(_PIN)["pin_fps"]}


def cancel() -> Result:
    """Milliseconds from a new request to the next picture begun, while rays are under way."""
    run = run_apart(_CANCEL)
    return {"cancel_ms": 1e3 * run["median"], "cancel_worst_ms": 1e3 * run["worst"]}


RELIGHT_NAMES = (
    "relight_fps_960x540",
    "relight_worst_fps_960x540",
    "relight_aerial_ratio",
    "cache_usable_s",
    "cache_full_s",
    "relight_fps_960x540_interior",
    "relight_worst_fps_960x540_interior",
    "relight_aerial_ratio_interior",
    "cache_usable_s_interior",
    "cache_full_s_interior",
    "relight_fps_480x270",
)


def relight() -> Result:
    """Pictures a second while time is dragged, painting included, and seconds until a cache can be used."""
    out: Result = {}
    for demo, end in (("house", ""), ("interior", "_interior")):
        run = run_apart(_RELIGHT, demo, "960", "540")
        out[f"relight_fps_960x540{end}"] = run["fps"]
        out[f"relight_worst_fps_960x540{end}"] = run["worst_fps"]
        out[f"relight_aerial_ratio{end}"] = run["fps"] / run["without_air"]
        out[f"cache_usable_s{end}"], out[f"cache_full_s{end}"] = run["usable"], run["full"]
    out["relight_fps_480x270"] = run_apart(_RELIGHT, "house", "480", "270")["fps"]
    return out
