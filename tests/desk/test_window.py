# SPDX-License-Identifier: Apache-2.0
"""The real interface, driven as a hand would: offscreen here, in a real window in test_window_real."""

from __future__ import annotations

import math
import sys
from datetime import timedelta
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.steps import STEP_TITLES
from gloamet.desk.steps.sun.site import SiteField
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.window import DeskWindow
from gloamet.document.demo import TITLES
from gloamet.sun.site import City

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def drag(widget: QWidget, start: QPoint, *stops: QPoint, modifier: Qt.KeyboardModifier = NONE) -> None:
    QTest.mousePress(widget, LEFT, modifier, start)
    for stop in stops:
        QTest.mouseMove(widget, stop)
        QApplication.processEvents()
    QTest.mouseRelease(widget, LEFT, modifier, stops[-1])


@pytest.fixture
def window(window: DeskWindow) -> DeskWindow:
    """The whole window, with all panels."""
    for k in range(len(STEP_TITLES)):
        window.stack.panel(k)
    return window


def rows(window: DeskWindow) -> dict[str, NumberRow]:
    return {f"{r.field.section}.{r.field.name}": r for r in window.findChildren(NumberRow)}


def test_every_control_explains_itself(window: DeskWindow) -> None:
    for row in window.findChildren(NumberRow):
        assert row.toolTip() == row.field.description
    for button in window.findChildren(QPushButton):
        assert button.toolTip() or button.accessibleName(), button.text()


def test_every_step_opens_by_its_key(window: DeskWindow) -> None:
    for k in range(len(STEP_TITLES)):
        QTest.keyClick(window, Qt.Key(Qt.Key.Key_1 + k), Qt.KeyboardModifier.ControlModifier)
        assert window.stack.currentIndex() == k
        assert window.bar.buttons[k].isChecked()


def test_dragging_the_ribbon_moves_the_clock_and_is_one_undo_step(window: DeskWindow) -> None:
    ribbon, session = window.ribbon, window.session
    before = session.document
    start = session.moment().instant
    x = ribbon.x_of(start.timestamp())
    to = ribbon.x_of((start + timedelta(hours=3)).timestamp())
    drag(ribbon, QPoint(int(x), 55), QPoint(int(x) + 5, 55), QPoint(int(to), 55))
    moved = (session.moment().instant - start).total_seconds() / 3600
    assert moved == pytest.approx(3.0, abs=0.05)
    session.undo()
    assert session.document == before


def test_arrows_step_the_ribbon(window: DeskWindow) -> None:
    session = window.session
    before = session.moment().instant
    window.ribbon.setFocus()
    QTest.keyClick(window.ribbon, Qt.Key.Key_Right)
    assert session.moment().instant - before == timedelta(minutes=5)
    QTest.keyClick(window.ribbon, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert session.moment().instant - before == timedelta(minutes=-55)


def test_grabbing_the_sun_frees_it_without_a_jump(window: DeskWindow) -> None:
    disc, session = window.disc, window.session
    azimuth, elevation = disc.sun()
    at = disc.position(azimuth, elevation).toPoint()
    QTest.mousePress(disc, LEFT, NONE, at)
    assert session.document.sun.mode == "manual"
    assert session.document.sun.azimuth_deg == pytest.approx(azimuth, abs=0.01)
    assert session.document.sun.elevation_deg == pytest.approx(elevation, abs=0.01)
    QTest.mouseRelease(disc, LEFT, NONE, at)


@pytest.mark.parametrize(("azimuth", "elevation"), [(90.0, 20.0), (200.0, 70.0), (300.0, -5.0)])
def test_the_sun_goes_where_it_is_dragged(window: DeskWindow, azimuth: float, elevation: float) -> None:
    disc = window.disc
    goal = disc.position(azimuth, elevation).toPoint()
    drag(disc, disc.centre().toPoint() + QPoint(30, 30), goal)
    sun = window.session.document.sun
    assert sun.azimuth_deg == pytest.approx(azimuth, abs=2.0)
    assert sun.elevation_deg == pytest.approx(elevation, abs=2.0)


def test_number_rows_are_dragged_typed_stepped_and_reset(window: DeskWindow, qtbot: QtBot) -> None:
    window.choose_step(2)
    row = rows(window)["air.turbidity"]
    field, session = row.field, window.session
    track = row.slider().toRect()
    drag(row, track.center(), QPoint(track.right() - 5, track.center().y()))
    # a pixel short of the end, which is worth the track's ratio shared among its pixels
    pixel = field.high * math.log(field.high / field.low) / (track.width() - 10)
    assert session.document.air.turbidity == pytest.approx(field.high, abs=1.5 * pixel)
    edit = row.begin_typing()
    edit.setText("4.25")
    QTest.keyClick(edit, Qt.Key.Key_Return)
    assert session.document.air.turbidity == 4.25
    row.setFocus()
    QTest.keyClick(row, Qt.Key.Key_Right)
    assert session.document.air.turbidity == pytest.approx(4.35)
    QTest.keyClick(row, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert session.document.air.turbidity == pytest.approx(3.35)
    QTest.mouseDClick(row, LEFT, NONE, QPoint(8, 8))
    assert session.document.air.turbidity == field.default


def test_nonsense_typed_into_a_number_is_refused_with_a_sentence(window: DeskWindow) -> None:
    row = rows(window)["air.turbidity"]
    before = window.session.document
    for text in ("Thick", "99", "-1", "nan"):
        edit = row.begin_typing()
        edit.setText(text)
        row._end_typing()
        assert window.session.document is before
        assert "Turbidity" in window.notice.text.text()


def test_the_wheel_over_a_number_changes_nothing(window: DeskWindow) -> None:
    window.choose_step(2)
    row = rows(window)["air.turbidity"]
    before = window.session.document
    at = row.slider().center()
    event = QWheelEvent(
        at,
        QPointF(row.mapToGlobal(at.toPoint())),
        QPoint(0, 120),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        NONE,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(row, event)
    assert window.session.document is before


def test_dragging_the_picture_turns_the_camera_and_never_sinks_it(window: DeskWindow) -> None:
    picture, session = window.picture, window.session
    before = camera_from_document(session.document)
    c = picture.rect().center()
    drag(picture, c, c + QPoint(80, 0), c + QPoint(80, -4000))
    after = camera_from_document(session.document)
    assert after.eye != before.eye
    assert after.eye[2] >= 0.04
    aspect = picture.target().width() / picture.target().height()
    where = stage_actions.point_at(session, 0.5, 0.5, aspect)
    assert where is not None  # the point that was pressed is in the middle still
    assert before.project_point(where, aspect) == pytest.approx((0.5, 0.5), abs=0.02)
    drag(picture, c, c + QPoint(0, 3000), modifier=Qt.KeyboardModifier.ShiftModifier)
    assert camera_from_document(session.document).eye[2] >= 0.04


def test_a_city_moves_the_site_and_its_clock(window: DeskWindow) -> None:
    position = window.findChild(SiteField)
    assert position is not None
    position.take_city(City("Quito", "Ecuador", -0.23, -78.5, "America/Guayaquil", 1))
    site = window.session.document.site
    assert (site.name, site.latitude_deg, site.timezone) == ("Quito, Ecuador", -0.23, "America/Guayaquil")


def test_typed_coordinates_find_their_clock(window: DeskWindow, qtbot: QtBot) -> None:
    position = window.findChild(SiteField)
    assert position is not None
    position.edit.setText("-33.9, 151.2")
    position._enter()
    qtbot.waitUntil(lambda: window.session.document.site.timezone == "Australia/Sydney", timeout=20_000)
    assert window.session.document.site.longitude_deg == 151.2


def test_typed_dates_and_times_move_the_sun(window: DeskWindow) -> None:
    from gloamet.desk.steps.sun.date_time import DateTimeFields

    fields = window.findChild(DateTimeFields)
    assert fields is not None
    fields.day.setText("21 dec 2027")
    fields._on_day_edited()
    fields.clock.setText("14:05")
    fields._on_clock_edited()
    assert f"{window.session.document.sun.wall_time:%Y-%m-%d %H:%M}" == "2027-12-21 14:05"
    fields.day.setText("30 feb")
    fields._on_day_edited()
    assert "30 feb" in window.notice.text.text()
    assert f"{window.session.document.sun.wall_time:%Y-%m-%d}" == "2027-12-21"


@pytest.mark.parametrize("name", ["house", "product", "interior"])
def test_an_empty_desk_offers_a_model_and_the_demos(qapp: QApplication, qtbot: QtBot, name: str) -> None:
    session = Session()
    window = DeskWindow(session)
    window.show()
    assert window.picture.start.isVisibleTo(window)
    assert [b.text() for b in window.picture.start.findChildren(QPushButton)] == ["Open …"]
    demos = {b.text(): b for b in window.picture.start.findChildren(QToolButton)}
    assert set(demos) == set(TITLES.values())
    assert not any(b.icon().isNull() for b in demos.values())
    with qtbot.waitSignal(session.results.frame_ready, timeout=120_000):
        demos[TITLES[name]].click()
    assert not window.picture.start.isVisibleTo(window)
    assert not session.dirty
    assert session.title == TITLES[name]
    window.close()


def test_a_dropped_file_of_the_wrong_kind_is_a_sentence(window: DeskWindow, tmp_path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / "notes.txt"))])
    event = QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, LEFT, NONE)
    window.picture.dropEvent(event)
    assert "notes.txt" in window.notice.text.text()
    assert window.notice.isVisibleTo(window)


def test_a_saved_picture_has_the_size_and_the_desk_goes_on(
    window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    from PIL import Image

    path = tmp_path / "out.png"
    window.save_picture(path)
    qtbot.waitUntil(lambda: window.job is None, timeout=60_000)
    assert "Saved out.png" in window.notice.text.text()
    assert Image.open(path).size == (48, 32)
    with qtbot.waitSignal(window.session.results.frame_ready, timeout=60_000):
        window.session.change("air", turbidity=4.0)


def test_a_stopped_save_keeps_the_passes_that_are_done(
    window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    window.session.change("output", samples=60_000, noise=0.0)
    window.save_picture(tmp_path / "out.png")
    qtbot.waitUntil(lambda: "left" in window.bar.status.text(), timeout=60_000)
    assert window.bar.stop.text() == "Stop"
    QTest.mouseClick(window.bar.stop, LEFT)
    qtbot.waitUntil(lambda: window.job is None, timeout=60_000)
    message = window.notice.text.text()
    assert "Saved out.png" in message and "continue" in message
    assert (tmp_path / "out.png").exists() and (tmp_path / "out.png.unfinished").exists()
    done = int(message.split(" at ")[1].split(" ")[0])
    window.session.change("output", samples=done + 2)
    window.save_picture(tmp_path / "out.png")
    qtbot.waitUntil(lambda: window.job is None, timeout=60_000)
    message = window.notice.text.text()  # some pixels had a pass more than others when it was stopped
    assert (
        message.endswith("samples per pixel.")
        and done <= int(message.split(": ")[1].split(" ")[0]) <= done + 64
    )
    assert not (tmp_path / "out.png.unfinished").exists()
    window.session.change("output", samples=4)


def test_layers_and_failures_of_saving_are_told(window: DeskWindow, qtbot: QtBot, tmp_path: Path) -> None:
    for path, written in ((tmp_path / "out.exr", True), (tmp_path / "none" / "out.png", False)):
        window.save_picture(path)
        qtbot.waitUntil(lambda: window.job is None, timeout=60_000)
        assert ("Saved" in window.notice.text.text()) == written
        assert path.exists() == written
    window.save_picture(tmp_path / "out.bmp")
    assert "out.bmp" in window.notice.text.text()


def test_the_toolkit_keeps_its_references_in_balance(window: DeskWindow) -> None:
    # PySide6 6.12.0 on Python 3.11 loses a reference to None with every call and aborts after minutes
    window.update()
    before = sys.getrefcount(None)
    for _ in range(2000):
        window.update()
    assert abs(sys.getrefcount(None) - before) < 1000
