# SPDX-License-Identifier: Apache-2.0
"""Stage on the desk: parts, materials, plaster, props, views, plan, rectangle, sheet and tray, by hand."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QColorDialog, QPushButton, QTreeWidgetItem, QWidget
from pytestqt.qtbot import QtBot

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.steps.stage import StageStep
from gloamet.desk.steps.stage.lamps import lamp_row
from gloamet.desk.steps.stage.material import MaterialBlock
from gloamet.desk.steps.stage.parts_tree import EYE, LOCK
from gloamet.desk.top_bar import TopBar
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.window import DeskWindow
from gloamet.document.demo import demo_document
from gloamet.preview.events import Frame
from gloamet.stage.camera import EYE_HEIGHT_M
from gloamet.stage.scene import Lamp
from tests.desk.test_steps import step
from tests.desk.test_window import LEFT, NONE, drag


@pytest.fixture
def stage(window: DeskWindow) -> StageStep:
    found = step(window, StageStep)
    assert found is not None
    window.choose_step(0)
    return found


def press(parent: QWidget, text: str) -> None:
    buttons = [b for b in parent.findChildren(QPushButton) if b.property("role") != "head"]
    by_text = [b for b in buttons if b.text().casefold() == text.casefold()]
    found = by_text or [b for b in buttons if b.accessibleName().casefold() == text.casefold()]
    assert len(found) == 1, text
    found[0].click()


def row(stage: StageStep, name: str) -> QTreeWidgetItem:
    return stage.parts.tree._rows[name]


def double_click(widget: QWidget, button: Qt.MouseButton, keys: Qt.KeyboardModifier, at: QPoint) -> None:
    """What Qt sends for the second of two quick presses."""
    kind, where = QEvent.Type.MouseButtonDblClick, QPointF(at)
    QApplication.sendEvent(widget, QMouseEvent(kind, where, widget.mapToGlobal(where), button, button, keys))


def click_mark(stage: StageStep, name: str, column: int, click: Callable = QTest.mouseClick) -> None:
    """Click the eye or the lock of a part's row."""
    tree = stage.parts.tree
    stage.show_page("Parts")
    item = row(stage, name)
    tree.scrollToItem(item)
    at = tree.visualItemRect(item).center()
    at.setX(tree.header().sectionPosition(column) + tree.header().sectionSize(column) // 2)
    click(tree.viewport(), LEFT, NONE, at)


def settled(session: Session, qtbot: QtBot) -> None:
    """Wait until the worker has a picture of the document of now, not of one that was still on its way."""

    def of_now(frame: Frame) -> bool:
        return frame.exact and frame.document is session.document

    with qtbot.waitSignal(session.results.frame_ready, timeout=60_000, check_params_cb=of_now):
        session.render.stop(False)


def at_part(window: DeskWindow, x: float, y: float, z: float) -> QPoint:
    """Where a world point is on the picture."""
    box = window.picture.target()
    camera = camera_from_document(window.session.document)
    spot = camera.project_point(np.array([x, y, z]), box.width() / box.height())
    assert spot is not None
    return QPoint(round(box.x() + spot[0] * box.width()), round(box.y() + spot[1] * box.height()))


# -- parts


def test_a_click_in_the_picture_selects_the_part_and_shows_its_material(
    window: DeskWindow, stage: StageStep
) -> None:
    QTest.mouseClick(window.picture, LEFT, NONE, at_part(window, 1.0, -1.0, 2.9))
    assert window.session.state.selection == "box"
    assert row(stage, "box").isSelected()
    assert stage.stack.currentIndex() == 1
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.session.state.selection == ""


def test_clicks_pass_over_locked_parts(window: DeskWindow, stage: StageStep) -> None:
    click_mark(stage, "box", LOCK)
    assert window.session.document.stage.locked == ("box",)
    assert stage.parts.tree.marks(row(stage, "box")) == (0.0, 1.0)
    assert not stage.parts.tree.chosen()  # a mark does not select
    QTest.mouseClick(window.picture, LEFT, NONE, at_part(window, 1.0, -1.0, 0.5))
    assert window.session.state.selection == "ground"


def test_muting_takes_the_part_out_of_the_picture_and_is_kept(
    window: DeskWindow, stage: StageStep, qtbot: QtBot, tmp_path: Path
) -> None:
    session = window.session
    click_mark(stage, "box", EYE)
    qtbot.waitUntil(lambda: session.document.stage.muted == ("box",), timeout=5_000)
    settled(session, qtbot)
    assert "box" not in [part.name for part in session.loaded.compiled.scene.parts]
    assert "1 parts are muted" in stage.parts.muted.text()
    assert session.save(tmp_path / "p.gloamet")
    from gloamet.document.file import load_document

    assert load_document(tmp_path / "p.gloamet").stage.muted == ("box",)
    press(stage.parts, "Unmute all")
    assert stage.parts.tree.marks(row(stage, "box"))[0] == 0.0
    assert session.document.stage.muted == ()


def test_two_quick_clicks_on_an_eye_mute_and_unmute(window: DeskWindow, stage: StageStep) -> None:
    click_mark(stage, "box", EYE)
    before = window.session.document.stage.view
    click_mark(stage, "box", EYE, double_click)
    assert window.session.document.stage.muted == ()
    assert window.session.document.stage.view == before  # nothing was framed
    assert not stage.parts.tree.chosen()


def test_space_mutes_and_shift_space_locks_what_is_selected(window: DeskWindow, stage: StageStep) -> None:
    tree, state = stage.parts.tree, lambda: window.session.document.stage
    row(stage, "box").setSelected(True)
    QTest.keyClick(tree, Qt.Key.Key_Space)
    assert (state().muted, state().locked) == (("box",), ())
    QTest.keyClick(tree, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    assert (state().muted, state().locked) == (("box",), ("box",))
    QTest.keyClick(tree, Qt.Key.Key_Space)
    assert (state().muted, state().locked) == ((), ("box",))


def test_light_only_with_these_mutes_the_rest(window: DeskWindow, stage: StageStep, qtbot: QtBot) -> None:
    row(stage, "box").setSelected(True)
    press(stage.parts, "Show only these")
    assert window.session.document.stage.muted == ("ground",)
    window.session.undo()
    assert window.session.document.stage.muted == ()


def test_everything_muted_is_a_sentence_and_not_the_end(
    window: DeskWindow, stage: StageStep, qtbot: QtBot
) -> None:
    session = window.session
    with qtbot.waitSignal(session.noticed, timeout=30_000) as caught:
        session.change("stage", muted=("ground", "box"))
    assert "muted" in caught.args[0]
    session.undo()
    settled(session, qtbot)


def test_the_search_shows_only_what_holds_the_text(stage: StageStep) -> None:
    stage.parts.finder.setText("BO")
    assert not row(stage, "box").isHidden()
    assert row(stage, "ground").isHidden()
    stage.parts.finder.setText("")
    assert not row(stage, "ground").isHidden()


def test_thousands_of_parts_come_a_few_at_a_time_with_their_marks(
    window: DeskWindow, stage: StageStep, qtbot: QtBot
) -> None:
    scene, tree = window.session.loaded.scene, stage.parts.tree
    assert scene is not None
    window.session.change("stage", muted=("twig 1999",), locked=("twig 3",))
    many = tuple(replace(scene.parts[0], name=f"twig {k}", group=("hedge",)) for k in range(2000))
    tree.fill(replace(scene, parts=many))
    assert len(tree._rows) < 2000
    qtbot.waitUntil(lambda: len(tree._rows) == 2000, timeout=20_000)
    assert tree.marks(row(stage, "twig 1999")) == (1.0, 0.0)
    assert tree.marks(row(stage, "twig 3")) == (0.0, 1.0)
    assert tree.topLevelItemCount() == 1
    hedge = tree.topLevelItem(0)
    assert tree.marks(hedge) == (1 / 2000, 1 / 2000)
    tree.toggle(tree.names(hedge), EYE)
    qtbot.waitUntil(lambda: len(window.session.document.stage.muted) == 2000, timeout=5_000)
    window.session.undo()  # they are one step
    assert len(window.session.document.stage.muted) == 1


def test_the_eye_of_a_prop_shows_and_hides_it_and_keeps_its_shadow(
    window: DeskWindow, stage: StageStep
) -> None:
    session = window.session
    press(stage.around, "figure")
    eye = stage.around.prop_rows[0].eye
    shown = eye.icon().pixmap(14, 14).toImage()
    eye.click()
    prop = session.document.stage.props[0]
    assert not prop.visible and prop.casts_shadow
    assert stage.around.prop_rows[0].eye is eye  # the focus stays on it
    assert eye.icon().pixmap(14, 14).toImage() != shown
    eye.click()
    assert session.document.stage.props[0].visible
    session.undo()
    assert not session.document.stage.props[0].visible


def test_parts_are_brought_into_view(window: DeskWindow, stage: StageStep) -> None:
    session = window.session
    ahead = camera_from_document(session.document).frame()[0]
    row(stage, "box").setSelected(True)
    press(stage.parts, "Frame")
    camera = camera_from_document(session.document)
    assert camera.target == pytest.approx((0, 0, 1.5), abs=1e-6)
    assert camera.frame()[0] == pytest.approx(ahead, abs=0.35)
    for corner in ((-1, -1, 0), (1, 1, 3)):
        spot = camera.project_point(np.array(corner), 1.5)
        assert spot is not None
        assert 0 <= spot[0] <= 1
        assert 0 <= spot[1] <= 1


# -- materials and plaster


def test_a_material_is_corrected_and_taken_back(window: DeskWindow, stage: StageStep, qtbot: QtBot) -> None:
    session = window.session
    session.state.select("box")
    block = stage.parts.findChildren(QWidget)
    assert block
    name = session.loaded.scene.materials[stage_actions.part_named(session, "box").material].name  # type: ignore[union-attr]
    stage_actions.edit_material(session, name, colour=(1.0, 0.0, 0.0), roughness=0.2)
    stage_actions.edit_material(session, name, emission_cd_m2=50.0)
    settled(session, qtbot)
    m = next(m for m in session.loaded.compiled.scene.materials if m.name == name)
    assert (m.base_colour, m.roughness) == ((1.0, 0.0, 0.0), 0.2)
    assert 0.2126 * m.emission[0] + 0.7152 * m.emission[1] + 0.0722 * m.emission[2] == pytest.approx(50.0)
    assert stage_actions.material_of(session, "box").roughness != 0.2  # type: ignore[union-attr]
    press(stage.parts, "Reset to file")
    assert name not in session.document.stage.materials


def test_plaster_is_one_switch_on_the_strip(window: DeskWindow, qtbot: QtBot) -> None:
    session = window.session
    window.strip.buttons["Plaster"].click()
    session.change("stage.plaster", reflectance=0.7, contours=True)
    settled(session, qtbot)
    assert {m.base_colour for m in session.loaded.compiled.scene.materials} == {(0.7, 0.7, 0.7)}
    assert session.results.frame is not None
    inked = session.results.frame.pixels[..., :3].min()
    session.change("stage.plaster", contours=False)
    settled(session, qtbot)
    assert inked < session.results.frame.pixels[..., :3].min()
    window.strip.buttons["Plaster"].click()
    assert not session.document.stage.plaster.on


# -- around


def test_a_shade_maker_is_added_placed_by_a_click_and_removed(
    window: DeskWindow, stage: StageStep, qtbot: QtBot
) -> None:
    session = window.session
    stage.show_page("Surroundings")
    press(stage.around, "tree")
    assert session.document.stage.props[0].kind == "tree"
    settled(session, qtbot)
    assert any(part.group == ("props",) for part in session.loaded.compiled.scene.parts)
    press(stage.around, "Place")
    assert session.state.tool == "place 0"
    QTest.mouseClick(window.picture, LEFT, NONE, at_part(window, -6.0, -3.0, 0.0))
    assert session.document.stage.props[0].position == pytest.approx((-6.0, -3.0, 0.0), abs=0.3)
    assert session.state.tool == ""
    press(stage.around, "Remove")
    assert session.document.stage.props == ()


def test_the_ground_shows_only_the_rows_that_mean_something(window: DeskWindow, stage: StageStep) -> None:
    stage.show_page("Surroundings")
    around, session = stage.around, window.session
    assert not around.radius.isVisibleTo(around)
    session.change("stage.ground", kind="disc", automatic=False, water=True)
    assert around.radius.isVisibleTo(around)
    assert around.level.isVisibleTo(around)
    assert around.ripple.isVisibleTo(around)
    assert not around.colour.isVisibleTo(around)


# -- views


def test_views_are_kept_named_copied_moved_locked_and_dropped(window: DeskWindow, stage: StageStep) -> None:
    stage.show_page("Views")
    page, session = stage.views, window.session

    def names() -> list[str]:
        return [named.name for named in session.document.stage.views]

    press(page, "Save view")
    assert len(names()) == 1
    page.name.setText("from the road")
    page._rename()
    press(page, "Duplicate")
    assert names() == ["from the road", "from the road 2"]
    page.list.setCurrentRow(1)
    press(page, "Up")
    assert names() == ["from the road 2", "from the road"]
    page.list.setCurrentRow(0)
    press(page, "Lock")
    press(page, "Remove")
    session.change("stage.view", fov_deg=22.0)
    press(page, "Update")
    assert names() == ["from the road 2", "from the road"]
    assert session.document.stage.views[0].view.fov_deg != 22.0
    page.list.setCurrentRow(1)
    press(page, "Update")
    assert session.document.stage.views[1].view.fov_deg == 22.0
    press(page, "Remove")
    assert names() == ["from the road 2"]
    for _ in range(6):
        session.undo()
    assert len(names()) >= 1


def test_a_view_remembers_its_exposure_when_asked(window: DeskWindow, stage: StageStep, qtbot: QtBot) -> None:
    page, session = stage.views, window.session
    session.change("expose", metering="manual", ev=11.0)
    settled(session, qtbot)
    press(page, "Save view")
    press(page, "Store exposure")
    assert session.document.stage.views[0].ev == pytest.approx(11.0)
    session.change("expose", ev=14.0)
    stage_actions.look_through(session, 0)
    assert session.document.expose.ev == pytest.approx(11.0)


def test_kept_views_get_small_pictures(window: DeskWindow, stage: StageStep, qtbot: QtBot) -> None:
    stage.show_page("Views")
    press(stage.views, "Save view")
    view = window.session.document.stage.view
    qtbot.waitUntil(lambda: view in window.session.results.thumbnails, timeout=60_000)
    assert window.session.results.thumbnails[view].shape == (80, 120, 4)
    qtbot.waitUntil(lambda: not stage.views.list.item(0).icon().isNull(), timeout=5000)


def test_a_lens_of_50_mm_sees_27_degrees(window: DeskWindow, stage: StageStep) -> None:
    stage.views._focal(50.0, None)
    # film 24 mm high: 2 atan(12 / 50)
    assert window.session.document.stage.view.fov_deg == pytest.approx(26.99, abs=0.01)


def test_shapes_of_the_picture_keep_its_pixels(window: DeskWindow, stage: StageStep) -> None:
    out = window.session.document.output
    for text, ratio in (("3:2", 1.5), ("4:5", 0.8), ("1:1", 1.0)):
        press(stage.views, text)
        now = window.session.document.output
        assert now.width / now.height == pytest.approx(ratio, rel=0.1)
        assert now.width * now.height == pytest.approx(out.width * out.height, rel=0.5)


def test_the_focus_is_taken_from_a_click(window: DeskWindow, stage: StageStep) -> None:
    session = window.session
    session.state.use_tool("focus")
    QTest.mouseClick(window.picture, LEFT, NONE, at_part(window, 1.0, -1.0, 1.5))
    view = session.document.stage.view
    camera = camera_from_document(session.document)
    ahead = (np.array([1.0, -1.0, 1.5]) - camera.eye) @ camera.frame()[0]
    assert view.depth_of_field
    assert view.focus_m == pytest.approx(ahead, rel=0.02)


def test_the_keyboard_walks_and_turns(window: DeskWindow) -> None:
    session, picture = window.session, window.picture
    picture.setFocus()
    before = camera_from_document(session.document)
    QTest.keyClick(picture, Qt.Key.Key_Up)
    after = camera_from_document(session.document)
    step = np.subtract(after.eye, before.eye)
    assert np.linalg.norm(step) > 0.1
    assert step[2] == pytest.approx(0.0, abs=1e-9)
    QTest.keyClick(picture, Qt.Key.Key_Left)
    turned = camera_from_document(session.document)
    assert turned.eye == pytest.approx(after.eye)
    assert turned.frame()[0] != pytest.approx(after.frame()[0])


# -- plan


@pytest.fixture
def plan(window: DeskWindow, qtbot: QtBot):  # type: ignore[no-untyped-def]
    with qtbot.waitSignal(window.session.results.plan_ready, timeout=60_000):
        window.strip.buttons["Plan"].click()
    return window.plan


def test_a_click_on_the_plan_stands_there_at_eye_height(window: DeskWindow, plan) -> None:  # type: ignore[no-untyped-def]
    session = window.session
    QTest.mouseClick(plan, LEFT, NONE, plan.to_screen(4.0, -5.0).toPoint())
    eye = camera_from_document(session.document).eye
    assert eye[:2] == pytest.approx((4.0, -5.0), abs=0.2)
    assert eye[2] == pytest.approx(EYE_HEIGHT_M, abs=0.02)
    # on the block, not inside it
    QTest.mouseClick(plan, LEFT, NONE, plan.to_screen(0.0, 0.0).toPoint())
    assert camera_from_document(session.document).eye[2] == pytest.approx(3.0 + EYE_HEIGHT_M, abs=0.02)


def test_a_drag_on_the_plan_looks_where_it_ends_and_is_one_step(window: DeskWindow, plan) -> None:  # type: ignore[no-untyped-def]
    session = window.session
    before = session.document
    a, b = plan.to_screen(5.0, -5.0).toPoint(), plan.to_screen(-5.0, 5.0).toPoint()
    drag(plan, a, QPoint((a.x() + b.x()) // 2, (a.y() + b.y()) // 2), b)
    camera = camera_from_document(session.document)
    flat = np.array([-10.0, 10.0]) / np.hypot(10, 10)
    assert camera.eye[:2] == pytest.approx((5.0, -5.0), abs=0.2)
    assert camera.frame()[0][:2] == pytest.approx(flat, abs=0.05)
    assert camera.frame()[0][2] == pytest.approx(0.0, abs=1e-6)
    session.undo()
    assert session.document == before


def test_the_plan_is_moved_enlarged_cut_and_shown_alone(window: DeskWindow, plan, qtbot: QtBot) -> None:  # type: ignore[no-untyped-def]
    span = plan.span_m
    at = QPointF(plan.width() / 2, plan.height() / 2)
    wheel = QWheelEvent(
        at,
        QPointF(plan.mapToGlobal(at.toPoint())),
        QPoint(0, 120),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        NONE,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(plan, wheel)
    assert plan.span_m < span
    window.strip.buttons["Section cut"].click()
    eye = camera_from_document(window.session.document).eye[2]
    assert plan.camera().eye[2] == pytest.approx(eye + 0.6)
    window.strip.buttons["Plan alone"].click()
    assert window.picture.isHidden()
    assert plan.isVisible()
    window.strip.buttons["Plan"].click()
    assert not window.picture.isHidden()
    assert not plan.isVisible()
    assert window.session.render.plan is None


# -- rectangle


def test_a_rectangle_is_drawn_moved_pulled_and_left(window: DeskWindow, qtbot: QtBot) -> None:
    session, picture = window.session, window.picture
    box = picture.target()

    def at(u: float, v: float) -> QPoint:
        return QPoint(round(box.x() + u * box.width()), round(box.y() + v * box.height()))

    window.strip.buttons["Rectangle"].click()
    assert session.state.tool == "rectangle"
    drag(picture, at(0.2, 0.2), at(0.4, 0.4), at(0.6, 0.6))
    assert session.document.stage.rectangle == pytest.approx((0.2, 0.2, 0.6, 0.6), abs=0.01)
    assert session.state.tool == ""
    camera = session.document.stage.view
    drag(picture, at(0.4, 0.2), at(0.45, 0.3), at(0.5, 0.3))
    assert session.document.stage.rectangle == pytest.approx((0.3, 0.3, 0.7, 0.7), abs=0.01)
    drag(picture, at(0.7, 0.7), at(0.75, 0.8), at(0.8, 0.9))
    assert session.document.stage.rectangle == pytest.approx((0.3, 0.3, 0.8, 0.9), abs=0.01)
    # pulled past the edge it stays inside
    drag(picture, at(0.5, 0.3), at(0.5, 0.1), at(0.5, -0.5))
    x0, y0, x1, y1 = session.document.stage.rectangle or (0, 0, 0, 0)
    assert (y0, y1) == pytest.approx((0.0, 0.6), abs=0.01)
    assert session.document.stage.view == camera
    picture.setFocus()
    QTest.keyClick(picture, Qt.Key.Key_Escape)
    assert session.document.stage.rectangle is None


def test_a_stopped_picture_stays_and_goes_on(window: DeskWindow, qtbot: QtBot) -> None:
    session, bar = window.session, window.findChild(TopBar)
    assert bar is not None
    session.change("output", samples=5000)
    bar.stop.click()
    frame, quiet = session.results.frame, 0
    for _ in range(40):  # what was under way when the hand said stop may still arrive
        qtbot.wait(500)
        quiet = quiet + 1 if session.results.frame is frame else 0
        frame = session.results.frame
        if quiet == 3:
            break
    assert frame is not None
    assert bar.stop.text() == "Resume"
    qtbot.wait(500)
    assert session.results.frame is frame
    bar.stop.click()
    qtbot.waitUntil(
        lambda: session.results.frame is not frame and session.results.frame.exact, timeout=60_000
    )
    assert "sample" in bar.status.text()


# -- the model's file


@pytest.mark.parametrize(("height", "drops"), [(1.5, True), (0.0, False), (-0.5, False)])
def test_a_model_that_floats_is_put_on_the_ground_when_it_is_opened(
    window: DeskWindow, qtbot: QtBot, tmp_path: Path, height: float, drops: bool
) -> None:
    model = trimesh.creation.box((1.0, 1.0, 1.0))
    model.apply_translation((0.0, 0.5 + height, 0.0))  # Y is up in a GLB
    model.export(tmp_path / "vase.glb")
    session = window.session
    with qtbot.waitSignal(session.loaded.model_opened, timeout=60_000):
        session.open_model(tmp_path / "vase.glb")
    assert session.document.stage.drop_to_ground is drops
    assert ("Moved 1.5 m down" in window.notice.text.text()) is drops
    lowest = 0.0 if drops else height
    qtbot.waitUntil(
        lambda: (
            session.loaded.scene is not None
            and session.loaded.scene.bounds()[0][2] == pytest.approx(lowest, abs=1e-6)
        ),
        timeout=60_000,
    )
    # the view was made for where it stands now
    low, high = session.loaded.scene.bounds()
    assert low[2] <= session.document.stage.view.target[2] <= high[2]


def test_the_import_sheet_shows_a_model_just_opened_and_its_guesses(
    window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    from tests.conftest import box
    from tests.stage.test_obj_ply_stl import stl_bytes

    (tmp_path / "kiosk.stl").write_bytes(stl_bytes(box((0, 0, 0), (4000, 3000, 2500))))
    session = window.session
    with qtbot.waitSignal(session.loaded.model_opened, timeout=60_000):
        session.open_model(tmp_path / "kiosk.stl")
    sheet = window.sheet
    assert sheet.isVisibleTo(window)
    assert "kiosk.stl" in sheet.title.text()
    assert "4 m wide" in sheet.size_label.text()
    assert "millimetres" in sheet.units_why.text()
    assert not sheet.warning.isVisibleTo(window)
    qtbot.waitUntil(lambda: sheet.drawing._image is not None, timeout=20_000)
    seen = sheet.drawing._image.pixelColor(600, 400)  # inside the box
    assert seen.alpha() == 255
    with qtbot.waitSignal(session.loaded.scene_loaded, timeout=60_000):
        session.change("stage", units="m")
    assert "2500 m tall" in sheet.warning.text()
    assert sheet.units_why.text() == "Chosen by you."
    sheet.done.click()
    assert not sheet.isVisibleTo(window)


def test_fronts_face_where_they_are_told(window: DeskWindow, stage: StageStep, qtbot: QtBot) -> None:
    session = window.session
    press(stage.model, "E")
    assert session.document.stage.rotation_deg == -90.0
    qtbot.waitUntil(
        lambda: session.loaded.scene is not None and abs(session.loaded.scene.parts[1].matrix[0, 1]) > 0.9
    )
    front = session.loaded.scene.parts[1].matrix[:3, :3] @ [0, -1, 0]  # type: ignore[union-attr]
    assert front == pytest.approx([1, 0, 0], abs=1e-9)


def test_a_changed_file_is_offered_and_keeps_every_decision(
    window: DeskWindow, stage: StageStep, qtbot: QtBot, house: Path
) -> None:
    session = window.session
    click_mark(stage, "box", EYE)
    qtbot.waitUntil(lambda: session.document.stage.muted == ("box",), timeout=5_000)
    view = session.document.stage.view
    time.sleep(0.02)
    with qtbot.waitSignal(session.loaded.model_changed, timeout=20_000):
        house.write_text(house.read_text() + "o chimney\nf 9 10 11\n")
    assert "changed" in window.notice.text.text()
    with qtbot.waitSignal(session.loaded.scene_loaded, timeout=60_000):
        window.notice.action.click()
    assert session.loaded.scene is not None
    assert [part.name for part in session.loaded.scene.parts] == ["ground", "box", "chimney"]
    assert session.document.stage.muted == ("box",)
    assert session.document.stage.view == view
    assert stage.parts.tree.marks(row(stage, "box"))[0] == 1.0


def test_a_newer_version_under_another_name_keeps_the_decisions(
    window: DeskWindow, qtbot: QtBot, house: Path, tmp_path: Path
) -> None:
    session = window.session
    session.change("stage", muted=("box",))
    twin = tmp_path / "house_v2.obj"
    twin.write_text(house.read_text())
    with qtbot.waitSignal(session.loaded.model_opened, timeout=60_000):
        session.open_model(twin)
    assert session.document.stage.muted == ("box",)
    assert "2 of 2 parts keep" in window.notice.text.text()


def test_what_is_missing_is_listed_once_and_can_be_read_again(
    window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    (tmp_path / "m.mtl").write_text("newmtl a\nmap_Kd gone.png\nnewmtl b\nmap_Kd gone.png\n")
    (tmp_path / "m.obj").write_text(
        "mtllib m.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nusemtl a\nf 1 2 3\nusemtl b\nf 3 2 1\n"
    )
    session, tray = window.session, window.tray
    with qtbot.waitSignal(session.loaded.scene_loaded, timeout=60_000):
        session.open_model(tmp_path / "m.obj")
    assert tray.isVisibleTo(window)
    assert tray.text.text().count("gone.png") == 1
    press(tray, "Close")
    assert not tray.isVisibleTo(window)
    assert window.strip.notes.text() == "1 note"
    window.strip.notes.click()
    assert tray.isVisibleTo(window)


def test_opening_is_stopped_by_the_word_stop(window: DeskWindow, qtbot: QtBot) -> None:
    from gloamet.stage.readers import gltf

    session, before = window.session, window.session.loaded.scene
    bar = window.findChild(TopBar)
    assert bar is not None
    held, real = [], gltf.read_gltf

    def slowly(path, watch, outside):  # type: ignore[no-untyped-def]
        for k in range(600):
            watch.step(0.001 * k, "reading")
            held.append(k)
            time.sleep(0.02)
        return real(path, watch, outside)

    gltf.read_gltf = slowly
    try:
        session.open_model(Path(str(demo_document("product").stage.scene_file)))
        qtbot.waitUntil(lambda: bool(held) and "reading" in bar.status.text(), timeout=20_000)
        with qtbot.waitSignal(session.noticed, timeout=20_000) as caught:
            bar.stop.click()
    finally:
        gltf.read_gltf = real
    assert "stopped" in caught.args[0]
    assert len(held) < 600
    assert session.loaded.scene is before
    qtbot.waitUntil(lambda: "house.obj" in str(session.document.stage.scene_file), timeout=5000)


# -- rows of a material and of a lamp, driven


def typed(row: NumberRow, text: str) -> None:
    """Type into a row as a hand does."""
    edit = row.begin_typing()
    edit.setText(text)
    QTest.keyClick(edit, Qt.Key.Key_Return)


def test_rows_of_a_material_write_what_is_typed_and_show_what_means_something(
    window: DeskWindow, stage: StageStep
) -> None:
    session = window.session
    session.state.select("box")
    block = stage.parts.findChild(MaterialBlock)
    assert block is not None
    typed(block.rows["roughness"], "0.35")
    assert session.document.stage.materials[block.name].roughness == pytest.approx(0.35)
    assert not block.rows["ior"].isVisibleTo(block) and not block.thin.isVisibleTo(block)
    typed(block.rows["transmission"], "1")
    assert block.rows["ior"].isVisibleTo(block) and block.thin.isVisibleTo(block)
    typed(block.rows["ior"], "1,33")
    was = block.thin.isChecked()
    block.thin.click()
    edit = session.document.stage.materials[block.name]
    assert (edit.ior, edit.thin, edit.transmission) == (pytest.approx(1.33), not was, 1.0)
    assert "texture_strength" not in block.rows and "normal_strength" not in block.rows
    notes: list[str] = []
    session.noticed.connect(lambda text, kind: notes.append(text))
    typed(block.rows["roughness"], "rough")
    assert len(notes) == 1 and notes[0].startswith("Roughness: ")
    assert session.document.stage.materials[block.name].roughness == pytest.approx(0.35)


def test_a_colour_chosen_on_the_screen_is_kept_linear(
    window: DeskWindow, stage: StageStep, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = window.session
    session.state.select("box")
    block = stage.parts.findChild(MaterialBlock)
    assert block is not None and block.colour is not None
    shown: list[QColor] = []

    def dialog(colour: QColor, *buttons: object) -> QColor:
        shown.append(colour)
        return QColor(188, 0, 255)

    monkeypatch.setattr(QColorDialog, "getColor", dialog)
    block.colour.swatch.click()
    r, g, b = session.document.stage.materials[block.name].colour
    # IEC 61966-2-1: code 188 is 50.3 % of white
    assert (r, g, b) == (pytest.approx(0.5029, abs=1e-3), 0.0, 1.0)
    assert block.colour.swatch.colour.name() == "#bc00ff"
    monkeypatch.setattr(
        QColorDialog, "getColor", lambda *buttons: QColor()
    )  # the dialog is closed without a choice
    before = session.document
    block.colour.swatch.click()
    assert session.document is before


def test_a_lamps_row_shows_the_files_light_and_writes_lumens(window: DeskWindow) -> None:
    session = window.session
    lamp = Lamp("pendant", "point", (0.0, 0.0, 2.0), intensity_cd=100.0)
    row = lamp_row(session, lamp)
    assert row.value == pytest.approx(400.0 * np.pi, rel=0.01)  # 100 cd all round: 4 pi steradians
    typed(row, "800 lm")
    assert session.document.stage.lamps["pendant"].lumens == 800.0
    assert row.value == 800.0
