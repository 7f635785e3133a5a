"""Take the pictures of docs/screenshots anew: the real window with the demos, view by view.

Run it under a virtual screen after a screen has changed, for all views or those named:
`xvfb-run -a -s "-screen 0 1400x900x24" python tools/make_screenshots.py [NAME …]`.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "xcb")

from PySide6.QtWidgets import QApplication

from gloamet.desk import sun_actions, theme
from gloamet.desk.session import Session
from gloamet.desk.steps import FIRST_STEP
from gloamet.desk.window import DeskWindow
from gloamet.document.demo import PANORAMAS, TITLES, demo_document
from gloamet.document.targets import AimPin

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"
STAGE, SUN, AIR, FILL, EXPOSE, OUTPUT = range(6)
LONGEST_S, SETTLE_S, SAMPLES = 300.0, 1.5, 12
HEAD, STEP = (3.4, -6.95, 2.046), (0.8, -6.69, 0.45)  # of the bather in white; the third step from the water


def _start(window: DeskWindow) -> None:
    """Nothing is open."""


def _sun(page: str, prepare: Callable[[DeskWindow], None] = _start) -> Callable[[DeskWindow], None]:
    def show(window: DeskWindow) -> None:
        window.choose_step(SUN)
        window.stack.panel(FIRST_STEP).show_page(page)
        prepare(window)

    return show


def _stage(page: str, prepare: Callable[[DeskWindow], None] = _start) -> Callable[[DeskWindow], None]:
    def show(window: DeskWindow) -> None:
        window.choose_step(STAGE)
        window.stack.panel(STAGE).show_page(page)
        prepare(window)

    return show


def _step(index: int) -> Callable[[DeskWindow], None]:
    return lambda window: window.choose_step(index)


def _pin(**values: object) -> Callable[[DeskWindow], None]:
    return lambda window: sun_actions.add_pin(window.session, AimPin(**values))


def _fill(page: str, prepare: Callable[[DeskWindow], None]) -> Callable[[DeskWindow], None]:
    def show(window: DeskWindow) -> None:
        window.choose_step(FILL)
        window.stack.panel(FILL).show_page(page)
        prepare(window)

    return show


def _spots(window: DeskWindow) -> None:
    """A harder light than nature's, wanted, with a spot in sun and one in shade."""
    spots = ({"name": "lit", "x": 0.345, "y": 0.66}, {"name": "shade", "x": 0.415, "y": 0.62})
    window.session.change("fill", sky_stops=-0.6, spots=spots)


def _wrong(window: DeskWindow) -> None:
    """A light that nature and a camera would not give."""
    _spots(window)
    session = window.session
    session.change("fill", sky_stops=2.0, sky_saturation=0.0)
    session.change("sun", diameter_deg=4.0)
    session.change("expose", kelvin=2900.0)


def _matched_evening(window: DeskWindow) -> None:
    session = window.session
    session.change("panorama", file=str(PANORAMAS / "evening.exr"))
    session.change("sun", mode="hand", azimuth_deg=245.0, elevation_deg=9.0)
    session.change("panorama", lifted=True)
    session.change("fill", sky_on=False)


def _plaster(window: DeskWindow) -> None:
    window.session.change("stage.plaster", on=True, ink=True)


def _plan(window: DeskWindow) -> None:
    window.plan.show()


def _floor(window: DeskWindow) -> None:
    window.session.change("aim", measured="floor")


def _sequence(window: DeskWindow) -> None:
    window.session.change(
        "sequence", begin=datetime(2026, 5, 24, 6), end=datetime(2026, 5, 24, 21), frames=24
    )


def _shafts(window: DeskWindow) -> None:
    window.session.change("shafts", on=True, where="view", visibility_m=20.0)
    window.session.change("sun", wall_time=datetime(2026, 5, 24, 20, 10))
    window.choose_step(AIR)
    window.stack.panel(AIR).show_page("Shafts")


def _box(low: tuple[float, ...], high: tuple[float, ...], first: int) -> list[str]:
    """Lines of an OBJ for a box whose corners are numbered from `first`."""
    corners = [
        (low, high)[i & 1][0:1] + (low, high)[i >> 1 & 1][1:2] + (low, high)[i >> 2][2:] for i in range(8)
    ]
    faces = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    lines = ["v {} {} {}".format(*corner) for corner in corners]
    return lines + ["f " + " ".join(str(first + c) for c in face) for face in faces]


def _open_kiosk(window: DeskWindow) -> None:
    """A kiosk in millimetres, Z up, whose file says neither and names a picture that is not there."""
    posts = [((x, y, 120), (x + 120, y + 120, 2700)) for x in (150, 4330) for y in (150, 3330)]
    groups = {
        "planks": [((0, 0, 0), (4600, 3600, 120)), *posts, ((700, 400, 120), (3900, 900, 1100))],
        "roof": [((-400, -400, 2700), (5000, 4000, 2850))],
    }
    lines, count = ["mtllib kiosk.mtl"], 0
    for name, boxes in groups.items():
        lines += [f"g {name}", f"usemtl {name}"]
        for box in boxes:
            lines += _box(*box, count + 1)
            count += 8
    folder = Path(tempfile.mkdtemp())
    colours = "newmtl planks\nKd 0.35 0.22 0.12\nmap_Kd missing_planks.png\nnewmtl roof\nKd 0.7 0.7 0.7\n"
    (folder / "kiosk.mtl").write_text(colours)
    (folder / "kiosk.obj").write_text("\n".join(lines) + "\n")
    window.open_file(folder / "kiosk.obj")


VIEWS: dict[str, tuple[str, Callable[[DeskWindow], None]]] = {
    "start": ("", _start),
    "sun-morning": ("house", _sun("Almanac")),
    "sun-shadow-pin": ("house", _sun("Aim", _pin(kind="shadow", caster=HEAD, receiver=STEP))),
    "sun-glint-pin": ("house", _sun("Aim", _pin(kind="glint", spot=(0.5, 0.56)))),
    "sun-reach": ("interior", _sun("Aim", _floor)),
    "sun-sequence": ("house", _sun("Sequence", _sequence)),
    "stage": ("house", _stage("Model")),
    "stage-import": ("house", _open_kiosk),
    "stage-parts": ("house", _stage("Parts")),
    "stage-plaster": ("house", _stage("Views", _plaster)),
    "stage-plan": ("house", _stage("Around", _plan)),
    "air": ("house", _step(AIR)),
    "air-shafts": ("interior", _shafts),
    "fill": ("product", _fill("Balance", _spots)),
    "fill-panorama": ("house", _fill("Panorama", _matched_evening)),
    "fill-meter": ("product", _fill("Meter", _wrong)),
    "expose": ("product", _step(EXPOSE)),
    "output": ("product", _step(OUTPUT)),
    "demo-interior": ("interior", _sun("Almanac")),
}


def _is_shown(session: Session) -> bool:
    """Whether the picture is of the document of now, with some samples."""
    frame = session.frame
    return frame is not None and frame.samples >= SAMPLES and frame.document is session.document


def take(app: QApplication, name: str) -> None:
    """One picture of a window of its own, once its exact picture has some samples."""
    demo, prepare = VIEWS[name]
    session = Session()
    window = DeskWindow(session)
    window.resize(1280, 800)
    window.show()
    begin = time.monotonic()

    def wait(until: Callable[[], bool]) -> None:
        while not until() and time.monotonic() - begin < LONGEST_S:
            app.processEvents()
            time.sleep(0.01)

    if demo:
        session.start_with(demo_document(demo), TITLES[demo])
        wait(lambda: session.frame is not None and session.frame.exact)
        before = session.document
        prepare(window)
        wait(lambda: name != "stage-import" or session.document is not before)
        wait(lambda: _is_shown(session))
    settled = time.monotonic() + SETTLE_S
    while time.monotonic() < settled:
        app.processEvents()
        time.sleep(0.01)
    window.grab().save(str(FOLDER / f"{name}.png"))
    print(f"{name}: {time.monotonic() - begin:.0f} s", flush=True)
    session.store.mark_saved()
    window.close()


def main() -> None:
    """Take the pictures that are named, or all."""
    app = QApplication(sys.argv[:1])
    theme.apply(app)
    for name in sys.argv[1:] or VIEWS:
        take(app, name)


if __name__ == "__main__":
    main()
