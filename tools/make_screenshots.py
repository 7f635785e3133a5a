# SPDX-License-Identifier: Apache-2.0
"""Take the pictures of docs/screenshots again: the real window with the demos, view by view.

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

from PIL import Image
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QApplication

from gloamet.desk.actions import expose_actions, sun_actions
from gloamet.desk.state.session import Session
from gloamet.desk.steps import FIRST_STEP
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.palettes import PALETTES
from gloamet.desk.window import DeskWindow
from gloamet.document.demo import PANORAMAS, TITLES, demo_document
from gloamet.document.targets import AimPin

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"
STAGE, SUN, AIR, FILL, EXPOSE, COMPARE, OUTPUT = range(7)
LONGEST_S, SETTLE_S, SAMPLES = 300.0, 1.5, 12
COLOURS, LARGEST_BYTES = range(224, 40, -16), 250_000
FEWEST_PIXELS = 12
# hues of the themes, as the dots and marks of the sun are
THEME_COLOURS = sorted(
    {
        (QColor(text).red(), QColor(text).green(), QColor(text).blue())
        for palette in PALETTES.values()
        for text in palette[-5:]
    }
)
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
    """Light harder than the physical one, with a spot in the sun and one in the shade."""
    spots = ({"name": "lit", "x": 0.345, "y": 0.66}, {"name": "shade", "x": 0.415, "y": 0.62})
    window.session.change("fill", sky_stops=-0.6, spots=spots)


def _wrong(window: DeskWindow) -> None:
    """Light that is neither physical nor as a camera records it."""
    _spots(window)
    session = window.session
    session.change("fill", sky_stops=2.0, sky_saturation=0.0)
    session.change("sun", diameter_deg=4.0)
    session.change("expose", kelvin=2900.0)


def _matched_evening(window: DeskWindow) -> None:
    session = window.session
    session.change("panorama", file=str(PANORAMAS / "evening.exr"))
    session.change("sun", mode="manual", azimuth_deg=245.0, elevation_deg=9.0)
    session.change("panorama", sun_removed=True)
    session.change("fill", sky_on=False)


def _expose(page: str, prepare: Callable[[DeskWindow], None] = _start) -> Callable[[DeskWindow], None]:
    def show(window: DeskWindow) -> None:
        window.choose_step(EXPOSE)
        window.stack.panel(EXPOSE).show_page(page)
        prepare(window)

    return show


def _developed(window: DeskWindow) -> None:
    """A developed picture: tone, curve and vibrance."""
    window.session.change("expose.tone", shadows=0.5, contrast=0.2, local_contrast=0.3)
    window.session.change("expose.tone", curve=((0.0, 0.0), (0.45, 0.43), (0.7, 0.74), (1.0, 1.0)))
    window.session.change("expose.colour", vibrance=0.2)
    window.stack.panel(EXPOSE).scopes.choose("waveform")


def _false_colour(window: DeskWindow) -> None:
    window.session.render.inspect_as("false colour")
    window.stack.panel(EXPOSE).scopes.choose("stops")


def _masked(window: DeskWindow) -> None:
    expose_actions.add_mask(window.session, "round")
    expose_actions.change_mask(
        window.session, x=0.44, y=0.5, width=0.75, height=0.7, exposure=0.7, mired=10.0
    )
    expose_actions.change_mask(window.session, name="pail")


def _pump(until: Callable[[], bool]) -> None:
    """Let the window work until something is so."""
    begin = time.monotonic()
    while not until() and time.monotonic() - begin < LONGEST_S:
        QApplication.processEvents()
        time.sleep(0.01)


def _compared(mode: str, blind: bool = False) -> Callable[[DeskWindow], None]:
    """Three lights kept, two of them looked at together."""

    def show(window: DeskWindow) -> None:
        _keep_three(window)
        page = window.stack.panel(COMPARE).kept
        page.begin_blind() if blind else page.look(mode)

    return show


def _keep_three(window: DeskWindow) -> None:
    session, keeper = window.session, window.tools.keeper
    window.choose_step(COMPARE)
    for number, (hour, turbidity, note) in enumerate(
        ((10, 2.4, "morning"), (18, 3.2, "late"), (20, 3.0, "low west")), 1
    ):
        session.change("sun", wall_time=datetime(2026, 5, 24, hour, 30))
        session.change("air", turbidity=turbidity)
        window.hold.release()
        _pump(lambda: _is_shown(session))
        keeper.keep_now()
        _pump(lambda n=number: len(keeper.pictures) == n)
        keeper.mark(keeper.pictures[-1], star=note == "late", note=note)
        _pump(lambda n=note: keeper.pictures[-1].note == n)
    keeper.chosen = [kept.name for kept in keeper.pictures[:2]]
    keeper.changed.emit()


def _swept(window: DeskWindow) -> None:
    """Elevations of the sun in columns, turbidities in rows."""
    window.choose_step(COMPARE)
    step = window.stack.panel(COMPARE)
    step.show_page("Vary")
    page = step.vary
    for row, path, number in ((page.first, "sun.elevation_deg", 5), (page.second, "air.turbidity", 4)):
        row.field.setCurrentIndex(row.field.findData(path))
        row.number.setText(str(number))
    page.start.buttons[0].click()
    _pump(lambda: len(window.tools.sheet.pictures) == 20 and not window.tools.job.running)


def _suggested(window: DeskWindow) -> None:
    window.choose_step(COMPARE)
    step = window.stack.panel(COMPARE)
    step.show_page("Vary")
    step.vary.ask_for(12)
    _pump(lambda: len(window.tools.sheet.items) == 12 and not window.tools.job.running)
    window.tools.sheet.chosen = [3]
    window.tools.sheet.changed.emit()


def _plaster(window: DeskWindow) -> None:
    window.session.change("stage.plaster", on=True, contours=True)


def _plan(window: DeskWindow) -> None:
    window.plan.show()


def _floor(window: DeskWindow) -> None:
    window.session.change("aim", measured_part="floor")


def _shafts(window: DeskWindow) -> None:
    window.session.change("light_shafts", on=True, region="view", visibility_m=20.0)
    window.session.change("sun", wall_time=datetime(2026, 5, 24, 20, 10))
    window.choose_step(AIR)
    window.stack.panel(AIR).show_page("Light shafts")


def _light_theme(window: DeskWindow) -> None:
    """The Output step, in the light theme."""
    theme.use("light", "theme", keep=False)
    window.choose_step(OUTPUT)


VIEWS: dict[str, tuple[str, Callable[[DeskWindow], None]]] = {
    "start": ("", _start),
    "sun-morning": ("house", _sun("Almanac")),
    "sun-shadow-pin": ("house", _sun("Aim", _pin(kind="shadow", caster=HEAD, receiver=STEP))),
    "sun-reach": ("interior", _sun("Aim", _floor)),
    "stage": ("house", _stage("Model")),
    "stage-plaster": ("house", _stage("Views", _plaster)),
    "stage-plan": ("house", _stage("Surroundings", _plan)),
    "air": ("house", _step(AIR)),
    "air-shafts": ("interior", _shafts),
    "fill": ("product", _fill("Balance", _spots)),
    "fill-panorama": ("house", _fill("Panorama", _matched_evening)),
    "fill-meter": ("product", _fill("Meter", _wrong)),
    "expose": ("house", _expose("Chain", _developed)),
    "expose-false-colour": ("interior", _expose("Light", _false_colour)),
    "expose-masks": ("product", _expose("Masks", _masked)),
    "expose-proofs": ("house", _expose("Proofs")),
    "compare": ("house", _compared("wipe")),
    "../compare/difference": ("house", _compared("difference")),
    "../compare/blind": ("house", _compared("side by side", blind=True)),
    "../compare/sheet": ("product", _swept),
    "compare-suggest": ("product", _suggested),
    "output": ("product", _light_theme),
}


def _is_shown(session: Session) -> bool:
    """Whether the picture is of the document of now, with some samples."""
    frame = session.results.frame
    if frame is None or session.render.previewing:
        return frame is not None and frame.document is not session.document
    return frame.samples >= SAMPLES and frame.document is session.document


def shrink(path: Path) -> None:
    """Write a picture again, dithered, with as many colours as keep it small: the repository keeps every version."""
    with Image.open(path) as opened:
        picture = opened.convert("RGB")
    counted = {colour: count for count, colour in picture.getcolors(1 << 24) or []}
    # marks of a few pixels in the theme's own colours would be lost among the picture's
    own = [colour for colour in THEME_COLOURS if counted.get(colour, 0) >= FEWEST_PIXELS]
    for colours in COLOURS:
        found = picture.quantize(colours - len(own), Image.Quantize.MEDIANCUT).getpalette() or []
        palette = Image.new("P", (1, 1))
        palette.putpalette([*found[: 3 * (colours - len(own))], *(part for colour in own for part in colour)])
        picture.quantize(palette=palette, dither=Image.Dither.FLOYDSTEINBERG).save(path, optimize=True)
        if path.stat().st_size <= LARGEST_BYTES:
            return


def take(app: QApplication, name: str) -> None:
    """One picture of a window of its own, once its exact picture has some samples."""
    os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()  # no kept picture of another view
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
        wait(lambda: session.results.frame is not None and session.results.frame.exact)
        prepare(window)
        wait(lambda: _is_shown(session))
    settled = time.monotonic() + SETTLE_S
    while time.monotonic() < settled:
        app.processEvents()
        time.sleep(0.01)
    window.grab().save(str(FOLDER / f"{name}.png"))
    shrink(FOLDER / f"{name}.png")
    print(f"{name}: {time.monotonic() - begin:.0f} s", flush=True)
    session.store.mark_saved()
    window.close()
    theme.use("dark", "theme", keep=False)


def main() -> None:
    """Take the pictures that are named, or all."""
    app = QApplication(sys.argv[:1])
    theme.apply(app)
    for name in sys.argv[1:] or VIEWS:
        take(app, name)


if __name__ == "__main__":
    main()
