# SPDX-License-Identifier: Apache-2.0
"""Each step of the desk: its words do what they say."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, time
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton, QWidget
from pytestqt.qtbot import QtBot

from gloamet.desk.actions import stage_actions
from gloamet.desk.dialogs import azimuth_label
from gloamet.desk.instruments.meter import kelvin_text, lux_text
from gloamet.desk.picture.view_tool_bar import ViewToolBar
from gloamet.desk.state.recent import recent
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.steps import STEP_TITLES, STEPS
from gloamet.desk.steps.air import AirStep
from gloamet.desk.steps.expose import ExposeStep
from gloamet.desk.steps.output import OutputStep
from gloamet.desk.steps.stage import StageStep
from gloamet.desk.steps.sun.date_time import parse_date, parse_time
from gloamet.desk.top_bar import TopBar, fraction_done, status_text
from gloamet.desk.widgets.document_fields import number_field
from gloamet.desk.widgets.form import SegmentedControl
from gloamet.desk.widgets.switch import Switch
from gloamet.desk.window import DeskWindow
from gloamet.document.demo import demo_document
from gloamet.errors import GloametError
from gloamet.preview.air_presets import AIR_PRESETS
from gloamet.preview.events import Frame
from gloamet.translation.memory import memory_needed


def press(parent: QWidget, text: str) -> None:
    buttons = [b for b in parent.findChildren(QPushButton) if b.property("role") != "head"]
    by_text = [b for b in buttons if b.text().casefold() == text.casefold()]
    found = by_text or [b for b in buttons if b.accessibleName().casefold() == text.casefold()]
    assert len(found) == 1, text
    assert found[0].isEnabled(), text
    found[0].click()


def step(window: DeskWindow, kind: type) -> QWidget:
    """The part of that kind, its panel built now if it is not there yet."""
    before, _, module = kind.__module__.partition("gloamet.desk.steps.")
    if not before and module:
        window.stack.panel([step.module for step in STEPS].index(module.partition(".")[0]))
    found = window.findChild(kind)
    assert found is not None
    return found


def test_the_bar_names_samples_noise_and_time_and_no_noise_beyond_all_light() -> None:
    pixels = np.zeros((1, 1, 4), np.uint8)
    frame = Frame(pixels, 9, 1024, 0.0, 0.0, True, 12.0, 300.0, noise=0.123, goal=0.02)
    assert status_text(frame, False) == "9 samples   noise 12.3 %   12 s   5 min left"
    assert fraction_done(frame) == pytest.approx((0.02 / 0.123) ** 2)
    dim = replace(frame, noise=2.12, seconds_left=0.0)
    assert status_text(dim, True) == "9 samples   noise over 100 %   12 s   stopped"
    assert status_text(replace(frame, samples=1), False).startswith("1 sample  ")
    ended, preview = replace(frame, done=True), replace(frame, exact=False)
    assert status_text(ended, False).endswith("done") and fraction_done(ended) == 1.0
    assert status_text(preview, False) == "preview" and fraction_done(preview) == 0.0
    assert status_text(preview, False, depth_of_field=True) == "preview, all in focus"


def test_haze_is_switched_and_only_then_dialled(window: DeskWindow, qtbot: QtBot) -> None:
    air = step(window, AirStep).atmosphere  # type: ignore[attr-defined]
    window.choose_step(STEP_TITLES.index("Air"))
    assert not air.haze.isEnabled()  # type: ignore[attr-defined]
    switch = air.findChild(Switch)
    assert switch is not None
    with qtbot.waitSignal(
        window.session.results.light_solved, timeout=30_000, check_params_cb=lambda x: x.visibility_km < 13
    ):
        switch.click()
    assert air.haze.isEnabled()  # type: ignore[attr-defined]
    assert "visibility" in air.reading.text()  # type: ignore[attr-defined]


def test_an_air_is_taken_by_its_picture(window: DeskWindow, qtbot: QtBot) -> None:
    air, session = step(window, AirStep).atmosphere, window.session  # type: ignore[attr-defined]
    window.choose_step(STEP_TITLES.index("Air"))
    looks = air.looks  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: len(looks.images) == len(AIR_PRESETS), timeout=30_000)
    words = [look.word for look in AIR_PRESETS]
    dusty = words.index("dusty")
    QTest.mouseClick(looks, Qt.MouseButton.LeftButton, pos=looks.tile(dusty).center().toPoint())
    assert (session.document.air.particles, session.document.air.turbidity) == ("dust", 8.0)
    assert [look.word for look in AIR_PRESETS if look.fits(session.document.air)] == ["dusty"]
    session.undo()
    assert session.document.air.particles == "rural"

    def blue(word: str) -> float:
        # of the sky's upper left corner, away from the sun
        colour = looks.images[words.index(word)].pixelColor(2, 2)
        return colour.blue() / max(1, colour.red())

    assert blue("crisp") > blue("hazy") > blue("dusty")


def test_a_sky_is_made_by_another_model(window: DeskWindow, qtbot: QtBot) -> None:
    air, session = step(window, AirStep).atmosphere, window.session  # type: ignore[attr-defined]
    window.choose_step(STEP_TITLES.index("Air"))

    def shown() -> set[str]:
        rows = {name: getattr(air, name) for name in ("general", "level", "kelvin", "looks", "caveat")}
        return {name for name, row in rows.items() if row.isVisibleTo(air)}

    assert shown() == {"looks"}
    with qtbot.waitSignal(
        session.results.light_solved, timeout=30_000, check_params_cb=lambda light: "overcast" in light.caveat
    ):
        press(air, "CIE")
    assert shown() == {"general", "level", "kelvin", "caveat"}
    assert session.results.light is not None and session.results.light.reading.sun_horizontal_lx == 0.0
    with qtbot.waitSignal(
        session.results.light_solved,
        timeout=30_000,
        check_params_cb=lambda light: "uniform sky" in light.caveat,
    ):
        press(air, "Uniform")
    assert shown() == {"level", "kelvin", "caveat"}


def test_exposure_is_held_and_white_is_picked(window: DeskWindow) -> None:
    expose, session = step(window, ExposeStep), window.session
    assert session.results.frame is not None
    press(expose, "Lock exposure")
    assert not session.document.expose.automatic
    assert session.document.expose.ev == pytest.approx(session.results.frame.ev, abs=0.01)
    assert session.results.light is not None
    press(expose, "Open shade")
    assert session.document.expose.kelvin == pytest.approx(session.results.light.reading.sky_cct_k, abs=1.0)
    press(expose, "ACES 1.3")
    assert session.document.expose.view == "ACES 1.3"


def test_sizes_of_the_saved_picture_shape_the_picture_on_screen(window: DeskWindow) -> None:
    press(step(window, OutputStep), "3840 × 2160")
    assert window.session.document.output.width == 3840
    window.choose_step(STEP_TITLES.index("Output"))
    compiled = window.session.loaded.compiled
    assert compiled is not None
    need = memory_needed(compiled, 3840, 2160, window.session.document.output.denoise)
    assert step(window, OutputStep).memory.text() == f"Memory needed for saving: about {need / 1e9:.1f} GB."
    assert 3e9 < need < 8e9  # a 4K picture on a small scene
    box = window.picture.target()
    assert box.width() / box.height() == pytest.approx(16 / 9, rel=0.01)


def test_the_model_is_described_and_looked_over(window: DeskWindow, qtbot: QtBot) -> None:
    stage, session = step(window, StageStep), window.session
    with qtbot.waitSignal(session.loaded.scene_loaded, timeout=30_000):
        session.change("stage", units="cm")
    assert "12 triangles" in stage.model.facts.text()  # type: ignore[attr-defined]
    press(stage, "Frame all")
    press(stage, "Eye height")
    assert camera_from_document(session.document).eye[2] == pytest.approx(1.6)


def test_opening_a_model_takes_its_camera_and_lists_its_views(window: DeskWindow, qtbot: QtBot) -> None:
    session = window.session
    demo = demo_document()
    with qtbot.waitSignal(session.loaded.scene_loaded, timeout=60_000):
        session.open_model(Path(str(demo.stage.scene_file)))
    assert session.loaded.scene is not None
    strip = step(window, ViewToolBar)
    assert "From the basin" in strip.view.text()  # type: ignore[attr-defined]
    views = step(window, StageStep).views  # type: ignore[attr-defined]
    names = [named.name for named in session.document.stage.views]
    views.list.itemClicked.emit(views.list.item(names.index("Veranda")))
    assert camera_from_document(session.document).eye == pytest.approx(
        session.loaded.scene.views["Veranda"].eye
    )
    assert stage_actions.current_view(session) == names.index("Veranda")
    assert Path(str(demo.stage.scene_file)) in recent()


def test_choices_follow_the_document(window: DeskWindow) -> None:
    window.choose_step(STEP_TITLES.index("Expose"))
    window.stack.panel(STEP_TITLES.index("Expose")).show_page("Chain")  # type: ignore[attr-defined]
    choices = {(c.section, c.name): c for c in window.findChildren(SegmentedControl)}
    window.session.change("expose", view="plain sRGB")
    assert choices["expose", "view"].buttons["plain sRGB"].isChecked()


def test_the_bar_tells_edits_undo_and_progress(window: DeskWindow, tmp_path: Path) -> None:
    bar, session = step(window, TopBar), window.session
    assert isinstance(bar, TopBar)
    session.change("air", turbidity=7.0)
    assert bar.state.text() == "edited"
    assert bar.undo.isEnabled()
    bar.undo.click()
    assert bar.redo.isEnabled()
    assert session.document.air.turbidity == 2.6
    session.save(tmp_path / "evening.gloamet")
    assert bar.name.text().startswith("evening")
    assert bar.state.text() == "saved"


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("24 May 2026", date(2026, 5, 24)),
        ("may 24", date(2024, 5, 24)),
        ("2026-05-24", date(2026, 5, 24)),
        ("24.5.2026", date(2026, 5, 24)),
        ("24.5.", date(2024, 5, 24)),
        ("29 february", date(2024, 2, 29)),
    ],
)
def test_dates_as_people_type_them(text: str, wanted: date) -> None:
    assert parse_date(text, 2024) == wanted


@pytest.mark.parametrize("text", ["", "soon", "31 april", "99", "2026-13-01"])
def test_dates_that_are_none_get_a_sentence(text: str) -> None:
    with pytest.raises(GloametError):
        parse_date(text, 2026)


@pytest.mark.parametrize(
    ("text", "wanted"),
    [("14:35", time(14, 35)), ("9", time(9)), ("1435", time(14, 35)), ("12:05 am", time(0, 5))],
)
def test_times_as_people_type_them(text: str, wanted: time) -> None:
    assert parse_time(text) == wanted


@pytest.mark.parametrize("text", ["25:00", "12:75", "noonish", ""])
def test_times_that_are_none_get_a_sentence(text: str) -> None:
    with pytest.raises(GloametError):
        parse_time(text)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("5600 K", 5600.0),
        ("5600", 5600.0),
        ("5 600", 5600.0),
        ("5 60", None),
        ("5600 kelvin", 5600.0),
        ("1e4", 10000.0),
    ],
)
def test_numbers_are_read_with_their_unit(text: str, value: float | None) -> None:
    field = number_field("expose", "kelvin")
    if value is None:
        with pytest.raises(GloametError):
            field.read(text)
    else:
        assert field.read(text) == value


def test_readings_are_written_for_photographers() -> None:
    assert lux_text(108_000.0) == "108.0 klx"
    assert lux_text(0.0) == "none"
    assert kelvin_text(float("nan")) == "–"
    assert azimuth_label(359.9) == "N"
    assert azimuth_label(45.0) in ("N 45° E", "E 45° N")
