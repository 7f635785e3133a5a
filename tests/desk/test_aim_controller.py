# SPDX-License-Identifier: Apache-2.0
"""Aiming on the desk with the mouse: pins in picture and plan, the sun by the pointer, sun on a surface, sequences."""

from __future__ import annotations

from datetime import datetime, timedelta

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from gloamet.desk.actions import sun_actions
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.steps import FIRST_STEP
from gloamet.desk.steps.sun.aim import AimPage
from gloamet.desk.steps.sun.hand import HandPage, length_text
from gloamet.desk.steps.sun.sequence import SequencePage
from gloamet.desk.window import DeskWindow
from gloamet.document.model import Document
from gloamet.document.targets import AimPin
from gloamet.stage.scene import Lamp
from gloamet.sun.angles import penumbra_m
from gloamet.sun.nearest import angle_deg
from gloamet.sun.position import direction
from gloamet.translation.document_to_light import sun_from_document
from tests.desk.test_steps import press, step

TOP, FLOOR = np.array([0.6, -0.6, 3.0]), np.array([-3.0, 2.5, 0.0])
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def aiming(window: DeskWindow) -> DeskWindow:
    """The desk looking down on the box, the Aim page in front, nothing refined."""
    window.session.change("stage.view", eye=(-9.0, -9.0, 12.0), target=(0.0, 0.0, 1.0), fov_deg=40.0)
    window.stack.panel(FIRST_STEP).show_page("Aim")
    window.session.render.stop(True)
    return window


def on(window: DeskWindow, point: np.ndarray) -> QPoint:
    position = window.picture._on_picture(point)
    assert position is not None
    return position.toPoint()


def drag(widget: QWidget, a: QPoint, b: QPoint) -> None:
    QTest.mousePress(widget, LEFT, pos=a)
    for fraction in (0.3, 0.7, 1.0):
        QTest.mouseMove(
            widget,
            QPoint(round(a.x() + fraction * (b.x() - a.x())), round(a.y() + fraction * (b.y() - a.y()))),
        )
    QTest.mouseRelease(widget, LEFT, pos=b)


def now(window: DeskWindow) -> np.ndarray:
    return direction(*sun_from_document(window.session.document))


def test_a_dragged_shadow_pin_finds_the_sun_and_its_real_moments(aiming: DeskWindow, qtbot: QtBot) -> None:
    session = aiming.session
    press(aiming.stack.panel(FIRST_STEP).aim, "shadow")
    with qtbot.waitSignal(aiming.aimer.answered, timeout=20_000):
        drag(aiming.picture, on(aiming, TOP), on(aiming, FLOOR))
    assert session.state.tool == ""
    pin = session.document.aim.pins[0]
    assert np.allclose(pin.caster, TOP, atol=0.15)
    assert np.allclose(pin.receiver, FLOOR, atol=0.15)
    line = np.subtract(pin.caster, pin.receiver)
    answer = aiming.aimer.answer
    assert answer is not None and answer.aimed is not None
    assert angle_deg(answer.aimed.towards, line / np.linalg.norm(line)) < 0.05
    assert answer.moments
    page = aiming.stack.panel(FIRST_STEP).aim
    page.moments.itemClicked.emit(page.moments.item(0))
    assert session.document.sun.mode == "almanac"
    assert angle_deg(now(aiming), answer.aimed.towards) == pytest.approx(
        answer.moments[0].error_deg, abs=0.02
    )
    press(page, "Move the sun here")
    assert session.document.sun.mode == "manual"
    assert angle_deg(now(aiming), answer.aimed.towards) < 0.01
    session.undo()
    session.undo()
    assert session.document.aim.pins == (pin,)


def test_a_pin_is_moved_by_its_end_switched_off_and_removed(aiming: DeskWindow, qtbot: QtBot) -> None:
    session = aiming.session
    sun_actions.add_pin(session, AimPin(caster=tuple(TOP), receiver=tuple(FLOOR)))
    other = np.array([-2.0, 3.5, 0.0])
    steps = len(session.history._before)
    drag(aiming.picture, on(aiming, FLOOR), on(aiming, other))
    assert np.allclose(session.document.aim.pins[0].receiver, other, atol=0.15)
    assert np.allclose(session.document.aim.pins[0].caster, TOP)
    assert len(session.history._before) == steps + 1  # one drag is one step
    page = aiming.stack.panel(FIRST_STEP).aim
    qtbot.waitUntil(lambda: aiming.aimer.answer is not None, timeout=20_000)
    found = [b for b in page.findChildren(type(page.commit)) if b.text().startswith("Shadow over")]
    found[0].click()
    assert not session.document.aim.pins[0].on
    qtbot.waitUntil(lambda: aiming.aimer.answer is None, timeout=20_000)
    press(page, "Remove")
    assert session.document.aim.pins == ()


def test_a_frame_pin_puts_the_sun_at_its_pixel(aiming: DeskWindow, qtbot: QtBot) -> None:
    session = aiming.session
    session.change("stage.view", eye=(-9.0, -9.0, 1.6), target=(0.0, 0.0, 3.0))
    press(aiming.stack.panel(FIRST_STEP).aim, "frame")
    box = aiming.picture.target()
    at = QPointF(box.x() + 0.3 * box.width(), box.y() + 0.2 * box.height()).toPoint()
    with qtbot.waitSignal(aiming.aimer.answered, timeout=20_000):
        QTest.mouseClick(aiming.picture, LEFT, pos=at)
    press(aiming.stack.panel(FIRST_STEP).aim, "Move the sun here")
    spot = camera_from_document(session.document).project(now(aiming), box.width() / box.height())
    assert spot == pytest.approx((0.3, 0.2), abs=0.01)


def test_a_glint_pin_mirrors_the_sun_into_the_camera(aiming: DeskWindow, qtbot: QtBot) -> None:
    session = aiming.session
    press(aiming.stack.panel(FIRST_STEP).aim, "glint")
    with qtbot.waitSignal(aiming.aimer.answered, timeout=20_000):
        QTest.mouseClick(aiming.picture, LEFT, pos=on(aiming, TOP))
    press(aiming.stack.panel(FIRST_STEP).aim, "Move the sun here")
    back = np.subtract(camera_from_document(session.document).eye, TOP)
    back /= np.linalg.norm(back)
    assert angle_deg(now(aiming), back * [-1, -1, 1]) < 1.0


def test_shadow_pins_are_dragged_in_plan_too(aiming: DeskWindow, qtbot: QtBot) -> None:
    plan, session = aiming.plan, aiming.session
    plan.show()
    plan.centre, plan.span_m = (0.0, 0.0), 12.0
    session.state.use_tool("shadow pin")
    drag(plan, plan.to_screen(0.5, -0.5).toPoint(), plan.to_screen(-3.0, 2.0).toPoint())
    pin = session.document.aim.pins[0]
    assert pin.caster[2] == pytest.approx(3.0, abs=0.01)
    assert pin.receiver[2] == pytest.approx(0.0, abs=0.01)
    session.state.use_tool("frame pin")
    QTest.mouseClick(plan, LEFT, pos=plan.to_screen(2.0, 2.0).toPoint())
    assert "belongs in the picture" in aiming.notice.text.text()
    assert session.document.aim.pins == (pin,)


def test_the_sun_comes_to_the_pointer_and_by_a_shadow_that_is_dragged(aiming: DeskWindow) -> None:
    session, picture = aiming.session, aiming.picture
    session.change("stage.view", eye=(-9.0, -9.0, 1.6), target=(0.0, 0.0, 3.0))
    box = picture.target()
    session.state.use_tool("lead")
    a, b = (QPointF(box.x() + u * box.width(), box.y() + 0.15 * box.height()).toPoint() for u in (0.2, 0.8))
    drag(picture, a, b)
    spot = camera_from_document(session.document).project(now(aiming), box.width() / box.height())
    assert spot == pytest.approx((0.8, 0.15), abs=0.01)
    session.change("stage.view", eye=(-9.0, -9.0, 12.0), target=(0.0, 0.0, 1.0))
    session.state.use_tool("beam")
    drag(picture, on(aiming, TOP), on(aiming, FLOOR))
    wanted = (TOP - FLOOR) / np.linalg.norm(TOP - FLOOR)
    assert angle_deg(now(aiming), wanted) < 2.0
    assert session.document.aim.pins == ()


def test_outlines_are_drawn_for_a_sun_that_is_not_there_yet(aiming: DeskWindow, qtbot: QtBot) -> None:
    outlines = aiming.aimer.outlines
    aiming.aimer.use_outlines(True)
    with qtbot.waitSignal(outlines.ready, timeout=20_000):
        aiming.aimer.show(direction(120.0, 40.0))
    assert outlines.image is not None
    before = sun_from_document(aiming.session.document)
    QTest.keyClick(aiming.picture, Qt.Key.Key_Escape)
    assert outlines.image is None and aiming.aimer.preview is None
    assert sun_from_document(aiming.session.document) == before


def test_the_picture_of_a_sun_that_is_not_there_yet_is_shown_and_changes_nothing(
    aiming: DeskWindow, qtbot: QtBot
) -> None:
    session, wanted = aiming.session, direction(250.0, 25.0)
    session.change("sun", north_deg=30.0)  # directions are the scene's
    before = session.document
    shown: list[Document] = []
    session.results.frame_ready.connect(lambda frame: shown.append(frame.document))

    def shows(document: Document) -> bool:
        return (
            bool(shown)
            and angle_deg(direction(*sun_from_document(shown[-1])), direction(*sun_from_document(document)))
            < 0.1
        )

    aiming.aimer.show(wanted)
    assert session.render.previewing
    qtbot.waitUntil(
        lambda: bool(shown) and angle_deg(direction(*sun_from_document(shown[-1])), wanted) < 0.1,
        timeout=30_000,
    )
    assert session.document is before
    session.change("expose", compensation=0.5)  # acts on the preview too
    qtbot.waitUntil(lambda: shown[-1].expose.compensation == 0.5, timeout=30_000)
    assert angle_deg(direction(*sun_from_document(shown[-1])), wanted) < 0.1
    QTest.keyClick(aiming.picture, Qt.Key.Key_Escape)
    assert not session.render.previewing
    qtbot.waitUntil(lambda: shows(session.document), timeout=30_000)


def test_the_picture_follows_a_pin_while_it_is_dragged(aiming: DeskWindow, qtbot: QtBot) -> None:
    session = aiming.session
    aiming.show()
    shown: list[Document] = []
    session.results.frame_ready.connect(lambda frame: shown.append(frame.document))
    sun_actions.add_pin(
        session, AimPin(kind="shadow", caster=sun_actions.to_tuple(TOP), receiver=(-3.0, 2.5, 0.0))
    )

    def asked() -> np.ndarray:
        pin = session.document.aim.pins[0]
        line = np.subtract(pin.caster, pin.receiver)
        return np.asarray(line / np.linalg.norm(line))

    followed = 0
    for k in range(12):  # quicker than the pause after which dates are searched
        sun_actions.change_pin(session, 0, "pin 0", receiver=(-3.0 + 0.1 * k, 2.5, 0.0))
        qtbot.wait(100)
        preview = aiming.aimer.preview
        followed += preview is not None and angle_deg(preview, asked()) < 0.1
    assert followed >= 6
    qtbot.waitUntil(
        lambda: bool(shown) and angle_deg(direction(*sun_from_document(shown[-1])), asked()) < 0.1,
        timeout=30_000,
    )


def test_the_aim_page_lets_go_of_the_picture_when_it_is_left(aiming: DeskWindow) -> None:
    aiming.show()
    aiming.aimer.show(direction(250.0, 25.0))
    assert aiming.session.render.previewing
    aiming.choose_step(2)
    assert not aiming.session.render.previewing


def test_a_picked_surface_is_scanned_and_its_best_moment_gone_to(aiming: DeskWindow, qtbot: QtBot) -> None:
    session, page = aiming.session, step(aiming, AimPage)
    press(page, "Pick a surface")
    QTest.mouseClick(aiming.picture, LEFT, pos=on(aiming, np.array([-0.2, -1.0, 1.6])))
    assert session.document.aim.measured_part == "box"
    assert session.document.aim.face_direction == pytest.approx((0.0, -1.0, 0.0), abs=1e-5)
    qtbot.waitUntil(lambda: aiming.aimer.reach is not None, timeout=30_000)
    reach = aiming.aimer.reach
    assert reach is not None and reach.scan.fraction.max() == 1.0
    # a wall to the south has no sun while the sun is in the north
    north = np.cos(np.radians(reach.scan.grid.azimuth_deg)) > 0.02
    assert reach.scan.fraction[north].max() == 0.0
    assert "reaches it from" in page.spans.text()  # type: ignore[attr-defined]
    page.best.click()  # type: ignore[attr-defined]
    assert session.moment().local.replace(tzinfo=None) == reach.best.replace(tzinfo=None)  # type: ignore[union-attr]
    press(page, "Stop measuring")
    qtbot.waitUntil(lambda: aiming.aimer.reach is None, timeout=10_000)


def test_a_wall_is_picked_and_a_level_surface_is_refused(aiming: DeskWindow) -> None:
    session = aiming.session
    session.state.use_tool("wall")
    QTest.mouseClick(aiming.picture, LEFT, pos=on(aiming, TOP))
    assert session.state.wall is None and "has no azimuth" in aiming.notice.text.text()
    QTest.mouseClick(aiming.picture, LEFT, pos=on(aiming, np.array([-1.0, 0.1, 1.6])))
    assert session.state.wall == pytest.approx([-1.0, 0.0, 0.0], abs=1e-5)


def test_the_compass_ring_turns_north_and_keeps_time_and_sun_height(aiming: DeskWindow) -> None:
    disc, session = aiming.disc, aiming.session
    wall, height = session.document.sun.wall_time, sun_from_document(session.document)[1]
    centre = disc.centre()
    a, b = (centre + QPointF(np.sin(t), -np.cos(t)) * 94.0 for t in np.radians((-60.0, -30.0)))
    drag(disc, a.toPoint(), b.toPoint())
    assert session.document.sun.north_deg == pytest.approx(30.0, abs=1.5)
    assert session.document.sun.wall_time == wall and session.document.sun.mode == "almanac"
    assert sun_from_document(session.document)[1] == pytest.approx(height)


def test_the_sun_follows_a_light_of_the_model_and_is_let_go(aiming: DeskWindow) -> None:
    session, page = aiming.session, step(aiming, HandPage)
    assert session.loaded.scene is not None
    lamp = Lamp("key", "distant", direction=tuple(-direction(140.0, 35.0)))
    object.__setattr__(session.loaded.scene, "lamps", (lamp,))
    session.loaded.scene_loaded.emit(session.loaded.scene)
    page.driver.setCurrentIndex(page.driver.findData("key"))  # type: ignore[attr-defined]
    page.driver.activated.emit(page.driver.currentIndex())  # type: ignore[attr-defined]
    assert session.document.sun.mode == "driver"
    assert sun_from_document(session.document) == pytest.approx((140.0, 35.0), abs=1e-3)
    session.change("sun", north_deg=50.0)  # the compass turns, the light of the model does not
    assert sun_from_document(session.document) == pytest.approx((140.0, 35.0), abs=1e-3)
    before = sun_from_document(session.document)
    page.driver.activated.emit(0)  # type: ignore[attr-defined]
    assert session.document.sun.mode == "manual" and sun_from_document(session.document) == pytest.approx(
        before
    )


def test_a_wider_disc_has_a_wider_penumbra() -> None:
    # common practice: the edge is a 107th of the distance at the true disc
    assert penumbra_m(0.533, 10.7) == pytest.approx(0.1, rel=0.01)
    assert penumbra_m(5.0, 4.0) == pytest.approx(9.4 * penumbra_m(0.533, 4.0), rel=0.01)
    assert length_text(penumbra_m(0.533, 4.0)) == "4 cm"


def test_a_sequence_plays_live_and_leaves_everything_as_it_was(aiming: DeskWindow, qtbot: QtBot) -> None:
    session, page = aiming.session, step(aiming, SequencePage)
    aiming.stack.panel(FIRST_STEP).show_page("Sequence")
    session.change("sun", wall_time=datetime(2026, 5, 24, 8, 0))
    press(page, "From now")
    session.change("sun", wall_time=datetime(2026, 5, 24, 16, 0))
    press(page, "To now")
    session.change("sequence", frames=5)
    assert page.list.count() == 5  # type: ignore[attr-defined]
    before, dirty = session.document, len(session.history._before)
    press(page, "Play")
    seen: set[datetime] = set()
    session.results.frame_ready.connect(lambda f: seen.add(f.document.sun.wall_time))
    wanted = {datetime(2026, 5, 24, hour) for hour in (8, 10, 12, 14, 16)}
    qtbot.waitUntil(lambda: len(seen & wanted) >= 4, timeout=60_000)
    assert session.showing_only
    press(page, "Stop")
    assert session.document == before and len(session.history._before) == dirty
    assert not session.showing_only
    page._go(1)  # type: ignore[attr-defined]
    assert session.document.sun.wall_time == datetime(2026, 5, 24, 10, 0)


def test_an_edit_while_a_sequence_plays_is_kept_and_the_moment_comes_back(
    aiming: DeskWindow, qtbot: QtBot
) -> None:
    session, page = aiming.session, step(aiming, SequencePage)
    aiming.stack.panel(FIRST_STEP).show_page("Sequence")
    wall = session.document.sun.wall_time
    session.change("sequence", start=wall + timedelta(hours=1), end=wall + timedelta(hours=4), frames=4)
    press(page, "Play")
    qtbot.waitUntil(lambda: session.showing_only, timeout=5_000)
    session.change("air", turbidity=5.0)
    assert not session.showing_only and not page.playing  # type: ignore[attr-defined]
    assert session.document.air.turbidity == 5.0
    assert session.document.sun.wall_time == wall
    session.undo()
    assert session.document.air.turbidity != 5.0 and session.document.sun.wall_time == wall


def test_a_part_that_is_muted_is_asked_for_again(aiming: DeskWindow, qtbot: QtBot) -> None:
    session = aiming.session
    session.render.stop(False)
    session.change("aim", measured_part="ground", face_direction=(0.0, 0.0, 1.0), face_point=None)
    qtbot.waitUntil(lambda: aiming.aimer.reach is not None, timeout=30_000)
    shaded = float(aiming.aimer.reach.scan.fraction.sum())  # type: ignore[union-attr]
    session.change("stage", muted=("box",))
    qtbot.waitUntil(
        lambda: aiming.aimer.reach is not None and float(aiming.aimer.reach.scan.fraction.sum()) > shaded,
        timeout=60_000,
    )
    assert set(np.unique(aiming.aimer.reach.scan.fraction)) == {0.0, 1.0}  # type: ignore[union-attr]


def test_an_aim_that_breaks_is_said_and_the_desk_lives_on(
    aiming: DeskWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("no such thing")

    monkeypatch.setattr("gloamet.aim.moments.moments_for_pins", broken)
    sun_actions.add_pin(aiming.session, AimPin(caster=(0.0, 0.0, 3.0), receiver=(2.0, 2.0, 0.0)))
    qtbot.waitUntil(lambda: "went wrong while aiming" in aiming.notice.text.text(), timeout=20_000)
    monkeypatch.undo()
    with qtbot.waitSignal(aiming.aimer.answered, timeout=20_000):
        sun_actions.change_pin(aiming.session, 0, receiver=(2.0, 1.0, 0.0))


def test_an_hour_takes_the_other_along_and_a_wrong_pair_gets_one_sentence(aiming: DeskWindow) -> None:
    session, page = aiming.session, aiming.stack.panel(FIRST_STEP).aim
    session.change("aim", from_hour=8.0, to_hour=10.0)
    page._set_hour("from_hour", 12.0, None)
    assert (session.document.aim.from_hour, session.document.aim.to_hour) == (12.0, 12.0)
    page._set_hour("to_hour", 9.0, None)
    assert (session.document.aim.from_hour, session.document.aim.to_hour) == (9.0, 9.0)
    assert not session.change("aim", from_hour=11.0)
    assert aiming.notice.text.text() == "The earliest clock time lies after the latest."
