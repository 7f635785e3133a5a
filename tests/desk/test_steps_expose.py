# SPDX-License-Identifier: Apache-2.0
"""Expose on the desk: metering, white balance, the chain, masks, scopes, proofs, an exposure that is held."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from gloamet.colour.curves import STRAIGHT
from gloamet.desk.steps import STEP_TITLES
from gloamet.desk.steps.expose import ExposeStep
from gloamet.desk.steps.expose.camera_row import read_setting
from gloamet.desk.window import DeskWindow
from gloamet.develop.colour_table import write_table
from gloamet.develop.inspect import ZONES
from gloamet.document.expose import ColourState, HueBand, ToneState
from gloamet.errors import GloametError
from gloamet.preview.events import Frame
from tests.desk.test_steps import press, step

EXPOSE, SUN = STEP_TITLES.index("Expose"), STEP_TITLES.index("Sun")


@pytest.fixture
def expose(window: DeskWindow) -> ExposeStep:
    found = step(window, ExposeStep)
    assert isinstance(found, ExposeStep)
    window.choose_step(EXPOSE)
    return found


def newer(window: DeskWindow, qtbot: QtBot, change: object, seen: object = None) -> Frame:
    """The frame that follows a change, the first for which `seen` holds."""
    session = window.session
    wanted = seen or (lambda frame: frame.document == session.document)
    with qtbot.waitSignal(session.results.frame_ready, timeout=60_000, check_params_cb=wanted):
        change()  # type: ignore[operator]
    assert session.results.frame is not None
    return session.results.frame


def settled(window: DeskWindow, qtbot: QtBot) -> Frame:
    """The picture that is shown once nothing is left to trace: what follows of it is developing alone."""
    session = window.session
    qtbot.waitUntil(lambda: session.results.frame is not None and session.results.frame.done, timeout=120_000)
    assert session.results.frame is not None
    return session.results.frame


def done(window: DeskWindow) -> object:
    """Whether a frame is finished and shows the document of now."""
    return lambda frame: frame.done and frame.document == window.session.document


def click_in(window: DeskWindow, x: float, y: float) -> None:
    """A click at fractions of the picture."""
    box = window.picture.target()
    at = QPoint(round(box.x() + x * box.width()), round(box.y() + y * box.height()))
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=at)


def mean(frame: Frame) -> float:
    return float(frame.pixels[..., :3].mean())


def test_every_way_of_metering_is_a_word_to_press(
    expose: ExposeStep, window: DeskWindow, qtbot: QtBot
) -> None:
    page, session = expose.exposure, window.session
    for way in ("incident", "average", "whites", "spot"):
        newer(window, qtbot, lambda way=way: page.metering.choose(way))
        assert session.document.expose.metering == way
        assert page.clipped.isVisibleTo(page) == (way == "whites")
        assert page.spot.isVisibleTo(page) == (way == "spot")
    assert session.results.light is not None
    frame = newer(window, qtbot, lambda: page.metering.choose("incident"))
    assert frame.ev == pytest.approx(session.results.light.reading.incident_ev, abs=0.05)


def test_a_click_says_where_the_spot_meter_reads(
    expose: ExposeStep, window: DeskWindow, qtbot: QtBot
) -> None:
    sky, ground = (
        newer(
            window, qtbot, lambda y=y: (press(expose.exposure, "Place spot meter"), click_in(window, 0.5, y))
        )
        if window.session.document.expose.metering == "spot"
        else newer(
            window,
            qtbot,
            lambda y=y: (window.session.state.use_tool("exposure spot"), click_in(window, 0.5, y)),
        )
        for y in (0.05, 0.9)
    )
    assert window.session.document.expose.spot_y == pytest.approx(0.9, abs=0.02)
    assert sky.ev != pytest.approx(ground.ev, abs=0.1)


def test_a_typical_light_sets_the_exposure_by_hand(expose: ExposeStep, window: DeskWindow) -> None:
    menu = expose.exposure.typical_menu()
    entry = next(action for action in menu.actions() if "Blue hour" in action.text())
    entry.trigger()
    assert (window.session.document.expose.metering, window.session.document.expose.ev) == ("manual", 6.0)


def test_the_camera_follows_and_holds(expose: ExposeStep, window: DeskWindow, qtbot: QtBot) -> None:
    page, session = expose.exposure, window.session
    newer(
        window, qtbot, lambda: session.change("expose", metering="manual", ev=14.0, f_number=8.0, iso=100.0)
    )
    shutter = page.camera["shutter_s"]
    # N² / t · 100 / S = 2^EV: 64 / 2^14
    assert shutter.value == pytest.approx(64.0 / 2.0**14)
    assert shutter.field.text(shutter.value) == "1/250 s"
    newer(window, qtbot, lambda: page.camera["f_number"].set_value(11.3))
    assert shutter.value == pytest.approx(128.0 / 2.0**14, rel=0.01)
    assert session.document.expose.ev == 14.0
    # the one that follows sets the exposure itself
    newer(window, qtbot, lambda: shutter.set_value(shutter.field.parse("1/500")))
    assert session.document.expose.ev == pytest.approx(np.log2(128.0 * 512.0), abs=0.02)
    before = page.camera["iso"].value
    QTest.keyClick(page.camera["iso"], Qt.Key.Key_Right)
    assert page.camera["iso"].value == pytest.approx(before * 2.0 ** (1.0 / 3.0))


def test_settings_are_typed_as_on_a_camera() -> None:
    assert read_setting("f/5.6", "f_number") == 5.6
    assert read_setting("1/125", "shutter_s") == pytest.approx(0.008)
    assert read_setting("2 s", "shutter_s") == 2.0
    assert read_setting("ISO 400", "iso") == 400.0
    with pytest.raises(GloametError, match="1/125"):
        read_setting("1/0", "shutter_s")


def test_what_is_clicked_becomes_grey(expose: ExposeStep, window: DeskWindow, qtbot: QtBot) -> None:
    session = window.session
    press(expose.exposure, "Lamp")
    assert session.document.expose.kelvin == 2850.0

    def make_grey() -> None:
        press(expose.exposure, "Pick grey")
        click_in(window, 0.5, 0.95)

    frame = newer(window, qtbot, make_grey)
    assert session.document.expose.kelvin > 4000.0
    height, width = frame.pixels.shape[:2]
    patch = frame.pixels[int(0.95 * height) - 1 : int(0.95 * height) + 2, width // 2 - 1 : width // 2 + 2, :3]
    assert np.ptp(patch.reshape(-1, 3).mean(0)) < 6.0


def test_an_exposure_stays_while_another_step_is_worked_on(window: DeskWindow, qtbot: QtBot) -> None:
    session = window.session
    window.choose_step(SUN)
    before = session.results.frame
    assert before is not None
    frame = newer(window, qtbot, lambda: session.change("sun", mode="manual", elevation_deg=14.0))
    assert frame.ev == before.ev
    assert frame.meter_ev < before.ev - 0.3
    assert window.strip.held.isVisibleTo(window.strip)
    assert f"meter {frame.meter_ev:.1f}" in window.strip.held.text()
    # the word takes what the meter reads
    taken = newer(window, qtbot, window.strip.held.click, lambda f: f.ev == f.meter_ev)
    assert taken.ev < before.ev - 0.3
    assert not window.strip.held.isVisibleTo(window.strip)
    newer(window, qtbot, lambda: session.change("sun", elevation_deg=30.0))
    assert session.results.frame is not None and session.results.frame.ev == taken.ev
    # the Expose step follows the meter
    newer(window, qtbot, lambda: window.choose_step(EXPOSE), lambda f: f.ev == f.meter_ev)
    assert window.hold.held_ev is None


def test_each_link_acts_is_told_in_words_and_goes_back(
    expose: ExposeStep, window: DeskWindow, qtbot: QtBot
) -> None:
    expose.show_page("Chain")
    page, session = expose.chain, window.session
    settled(window, qtbot)
    newer(window, qtbot, lambda: session.change("expose", metering="manual", ev=14.0), done(window))
    for row, name, value in (
        (page.glare, "veiling_glare", 15.0),
        (page.tone, "contrast", 0.8),
        (page.colour, "saturation", 0.0),
        (page.lens, "vignette", 2.0),
    ):
        before = session.results.frame
        assert before is not None
        after = newer(
            window,
            qtbot,
            lambda row=row, name=name, value=value: row.rows[name].set_value(value),
            done(window),
        )
        assert np.abs(after.pixels.astype(int) - before.pixels).max() > 3
        assert row.rows[name].label.lower() in row.summary_label.text().lower()
        # hold to see it without
        without = newer(window, qtbot, row.without.pressed.emit, done(window))
        assert np.abs(without.pixels.astype(int) - before.pixels).max() <= 2
        newer(window, qtbot, row.without.released.emit, done(window))
        newer(window, qtbot, row.reset.click, done(window))
        assert not row.summary_label.isVisibleTo(page)


def test_a_link_that_is_off_keeps_its_settings(expose: ExposeStep, window: DeskWindow) -> None:
    row, session = expose.chain.tone, window.session
    expose.show_page("Chain")
    row.rows["shadows"].set_value(1.0)
    row.on.click()
    assert (session.document.expose.tone.on, session.document.expose.tone.shadows) == (False, 1.0)
    assert not row.rest.isEnabled()
    session.undo()
    assert session.document.expose.tone.on


def test_a_curve_is_bent_by_hand_and_straightened(expose: ExposeStep, window: DeskWindow) -> None:
    page, session = expose.chain, window.session
    expose.show_page("Chain")
    curve = page.curve
    at = curve.position(0.5, 0.7).toPoint()
    QTest.mouseClick(curve, Qt.MouseButton.LeftButton, pos=at)
    points = session.document.expose.tone.curve
    assert len(points) == 3
    assert points[1] == pytest.approx((0.5, 0.7), abs=0.02)
    assert "curve brightness" in page.tone.summary_label.text().lower()
    QTest.keyClick(curve, Qt.Key.Key_Down)
    assert session.document.expose.tone.curve[1][1] == pytest.approx(points[1][1] - 0.01, abs=1e-4)
    # it cannot be drawn under its left neighbour: the curve never falls
    curve.move_point(1, 0.5, -1.0)
    assert session.document.expose.tone.curve[1][1] == 0.0
    curve.remove_point(1)
    assert session.document.expose.tone.curve == STRAIGHT
    page.curves.buttons["curve_red"].click()
    QTest.mouseClick(curve, Qt.MouseButton.LeftButton, pos=at)
    assert len(session.document.expose.tone.curve_red) == 3
    page.curves.reset.click()
    assert session.document.expose.tone == ToneState()


def test_a_band_of_hue_is_chosen_by_its_swatch(expose: ExposeStep, window: DeskWindow) -> None:
    bands = expose.chain.colour.bands
    expose.show_page("Chain")
    bands.swatches[5].click()
    bands.rows[5]["saturation"].set_value(-0.5)
    assert window.session.document.expose.colour.bands[5] == HueBand(saturation=-0.5)
    assert "bands blue" in expose.chain.colour.summary_label.text().lower()


def test_a_colour_table_is_chosen_and_a_bad_one_refused(
    expose: ExposeStep, window: DeskWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    good, bad = tmp_path / "dark.cube", tmp_path / "bad.cube"
    write_table(good, lambda codes: 0.5 * codes, 9, "dark")
    bad.write_text("no table")
    toning, session = expose.chain.colour.toning, window.session
    before = settled(window, qtbot)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(bad), ""))
    with qtbot.waitSignal(session.noticed, timeout=5_000) as summary:
        press(toning, "Choose …")
    assert "bad.cube is not a look-up table" in summary.args[0]
    assert session.document.expose.colour == ColourState()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(good), ""))
    after = newer(window, qtbot, lambda: press(toning, "Choose …"), done(window))
    assert mean(after) == pytest.approx(0.5 * mean(before), abs=3.0)
    press(toning, "Remove")
    assert session.document.expose.colour.table == ""


def test_a_mask_is_added_moved_seen_and_taken_away(
    expose: ExposeStep, window: DeskWindow, qtbot: QtBot
) -> None:
    page, session = expose.masks, window.session
    expose.show_page("Masks")
    settled(window, qtbot)
    before = newer(window, qtbot, lambda: session.change("expose", metering="manual", ev=14.0), done(window))
    newer(window, qtbot, next(a for a in page.menu().actions() if a.text().startswith("Round")).trigger)
    assert page.controls is not None
    exposure = page.controls.rows["exposure"]
    bright = newer(window, qtbot, lambda: exposure.set_value(2.0), done(window))
    height, width = bright.pixels.shape[:2]
    middle = (slice(height // 2 - 2, height // 2 + 2), slice(width // 2 - 2, width // 2 + 2))
    assert bright.pixels[middle][..., :3].mean() > before.pixels[middle][..., :3].mean() + 10.0
    assert np.abs(bright.pixels[:2].astype(int) - before.pixels[:2]).max() <= 2
    # its middle is dragged in the picture
    box = window.picture.target()
    start = QPointF(box.x() + 0.5 * box.width(), box.y() + 0.5 * box.height()).toPoint()
    end = QPointF(box.x() + 0.25 * box.width(), box.y() + 0.4 * box.height()).toPoint()
    QTest.mousePress(window.picture, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(window.picture, end)
    QTest.mouseRelease(window.picture, Qt.MouseButton.LeftButton, pos=end)
    mask = session.document.expose.masks[0]
    assert (mask.x, mask.y) == pytest.approx((0.25, 0.4), abs=0.02)
    shown = newer(window, qtbot, page.show_link.click, lambda f: f.inspected is not None)
    assert shown.inspected is not None
    assert (shown.inspected != shown.pixels).any()
    press(page, "Remove")
    assert session.document.expose.masks == ()
    session.undo()
    assert len(session.document.expose.masks) == 1


def test_a_mask_is_painted_and_another_covers_a_part(
    expose: ExposeStep, window: DeskWindow, qtbot: QtBot
) -> None:
    page, session = expose.masks, window.session
    expose.show_page("Masks")
    next(a for a in page.menu().actions() if a.text().startswith("Painted")).trigger()
    press(page, "wide brush")
    box = window.picture.target()
    positions = [
        QPointF(box.x() + s * box.width(), box.y() + 0.5 * box.height()).toPoint() for s in (0.2, 0.5, 0.8)
    ]
    QTest.mousePress(window.picture, Qt.MouseButton.LeftButton, pos=positions[0])
    for at in positions[1:]:
        QTest.mouseMove(window.picture, at)
    QTest.mouseRelease(window.picture, Qt.MouseButton.LeftButton, pos=positions[-1])
    strokes = session.document.expose.masks[0].strokes
    assert len(strokes) >= 3
    assert strokes[0] == pytest.approx((0.2, 0.5, 0.25), abs=0.02)
    session.state.use_tool("")
    next(a for a in page.menu().actions() if a.text().startswith("Part")).trigger()
    press(page, "Pick in the picture")
    click_in(window, 0.5, 0.95)
    assert session.document.expose.masks[1].target == "ground"
    newer(window, qtbot, lambda: session.change(("expose", "masks", 1), exposure=-3.0))


def test_scopes_show_what_is_on_the_screen(expose: ExposeStep, window: DeskWindow, qtbot: QtBot) -> None:
    panel = expose.scopes
    for way in ("stops", "waveform", "vectorscope", "codes"):
        panel.buttons[way].click()
        assert panel.scope.way == way
        image = panel.scope.grab().toImage()
        colours = {image.pixel(x, y) for x in range(0, image.width(), 7) for y in range(0, image.height(), 5)}
        assert len(colours) > 2
    newer(window, qtbot, lambda: window.session.change("expose", metering="manual", ev=2.0))
    assert float(panel.ends.text().split()[1]) > 50.0  # white


def test_false_colour_lays_zones_over_the_picture_and_ends_with_the_step(
    expose: ExposeStep, window: DeskWindow, qtbot: QtBot
) -> None:
    panel = expose.scopes
    frame = newer(window, qtbot, panel.inspections["false colour"].click, lambda f: f.inspected is not None)
    assert frame.inspected is not None
    zones = {zone.colour for zone in ZONES}
    assert {tuple(pixel) for pixel in frame.inspected[::7, ::7, :3].reshape(-1, 3).tolist()} <= zones or (
        frame.light is not None and frame.light.shape[:2] != frame.inspected.shape[:2]
    )
    window.picture.grab()  # with its key
    clip = newer(window, qtbot, panel.inspections["clipping"].click, lambda f: f.inspected is not None)
    assert clip.inspected is not None
    newer(window, qtbot, lambda: window.choose_step(SUN), lambda f: f.inspected is None)
    assert window.session.render.inspect == ""


def test_proofs_are_drawn_and_one_is_seen_large(expose: ExposeStep, window: DeskWindow, qtbot: QtBot) -> None:
    page = expose.proofs
    expose.show_page("Proofs")
    page.refresh()
    assert all(not button.icon().isNull() for button in page.buttons.values())
    assert page.warnings.text()
    grey = newer(window, qtbot, page.buttons["grey"].click, lambda f: f.inspected is not None)
    assert grey.inspected is not None
    assert np.ptp(grey.inspected[..., :3].astype(int), axis=-1).max() <= 1
    newer(window, qtbot, page.buttons["grey"].click, lambda f: f.inspected is None)
    page.look("projector")
    expose.show_page("Light")
    assert window.session.render.inspect == ""


def test_spots_are_named_and_read_in_stops_and_on_the_screen(
    expose: ExposeStep, window: DeskWindow, qtbot: QtBot
) -> None:
    spots, session = expose.exposure.spots, window.session
    for y in (0.05, 0.95):
        press(spots, "Add spot")
        newer(window, qtbot, lambda y=y: click_in(window, 0.5, y))
    row = spots.rows[0]
    row.name.setText("sky")
    row.name.editingFinished.emit()
    assert session.document.fill.spots[0].name == "sky"
    spots._on_document_changed(session.document)
    assert "cd/m²" in row.text.text()
    assert "from grey" in row.text.text()
    assert "screen" in row.more.text()
    assert spots.contrast.text().startswith("sky over B")
