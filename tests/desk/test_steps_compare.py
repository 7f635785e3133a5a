# SPDX-License-Identifier: Apache-2.0
"""Compare on the desk: keeping, looking together, taking back, sheets, looks, and nothing is lost."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from gloamet.desk.compare.keeper import Keeper
from gloamet.desk.compare.kept_compare import MODES, NOW
from gloamet.desk.compare.kept_strip import KeptStrip
from gloamet.desk.steps import STEP_TITLES
from gloamet.desk.steps.compare import CompareStep
from gloamet.desk.window import DeskWindow
from gloamet.document.file import load_document, save_document
from gloamet.document.looks import LOOKS, apply_look
from gloamet.document.model import Document
from gloamet.output.layers import read_layers
from gloamet.translation.document_to_light import sun_from_document
from gloamet.translation.refining import picture_size
from tests.desk.test_steps import press, step
from tests.desk.test_steps_expose import newer

COMPARE = STEP_TITLES.index("Compare")


@pytest.fixture(autouse=True)
def own_state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """No kept picture, look or autosave of anybody else."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


@pytest.fixture
def compare(own_state: None, window: DeskWindow) -> Iterator[CompareStep]:
    found = step(window, CompareStep)
    assert isinstance(found, CompareStep)
    window.choose_step(COMPARE)
    window.resize(window.minimumSize())  # small pictures: many are made whole here
    yield found
    window.tools.job.stop()


def keep(window: DeskWindow, qtbot: QtBot) -> None:
    keeper = window.tools.keeper
    before = len(keeper.pictures)
    QTest.keyClick(window, Qt.Key.Key_K)
    qtbot.waitUntil(lambda: len(keeper.pictures) > before, timeout=20_000)


def keep_two(window: DeskWindow, qtbot: QtBot) -> tuple[Document, Document]:
    """Two pictures, the second of a low sun; the documents they were kept of."""
    session = window.session
    first = session.document
    keep(window, qtbot)
    newer(window, qtbot, lambda: session.change("sun", mode="manual", elevation_deg=6.0))
    keep(window, qtbot)
    return first, session.document


def test_k_keeps_the_moment_in_every_step(window: DeskWindow, compare: CompareStep, qtbot: QtBot) -> None:
    window.choose_step(STEP_TITLES.index("Sun"))
    frame = (
        window.session.results.frame
    )  # the strip that appears makes the picture another size, metered again
    keep(window, qtbot)
    (kept,) = window.tools.keeper.pictures
    assert kept.missing == ()
    assert kept.picture.parent == window.tools.keeper.folder
    assert frame is not None
    assert kept.ev == pytest.approx(frame.ev)


def test_settings_return_whole_or_in_part_and_undo_takes_it_back(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    session, keeper = window.session, window.tools.keeper
    first, second = keep_two(window, qtbot)
    session.change("air", turbidity=7.0)
    now = session.document
    keeper.choose(keeper.pictures[0].name)
    assert "turbidity" in compare.kept.table.text()
    compare.kept.parts["sun"].setChecked(True)
    press(compare.kept, "Restore these")
    assert session.document.sun == first.sun
    assert session.document.air == now.air
    session.undo()
    assert session.document == now
    press(compare.kept, "Restore settings")
    assert session.document == first
    session.undo()
    assert session.document == now
    assert second != first


def test_the_lights_of_an_exact_picture_are_kept_apart(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    keeper = window.tools.keeper
    keep(window, qtbot)
    qtbot.waitUntil(lambda: keeper.pictures[0].layered, timeout=20_000)
    assert keeper.pictures[0].layers.is_file()
    assert "sun" in read_layers(keeper.pictures[0].layers).lights


def test_a_coarse_picture_is_refined_while_one_goes_on(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    keeper, refiner = window.tools.keeper, window.tools.refiner
    newer(window, qtbot, lambda: window.session.change("output", samples=9))
    keep(window, qtbot)
    before = keeper.pictures[0]
    keeper.choose(before.name)
    refiner.refine([before])
    under_way = refiner._stop
    refiner.stop()  # what is stopped does not keep the next from beginning
    assert under_way.is_set()
    assert refiner.waiting == []
    window.session.change("air", turbidity=6.0)  # the hand goes on
    press(compare.kept, "Refine")
    assert refiner.waiting == [before.name]
    assert compare.kept.stop.isVisibleTo(compare.kept)
    qtbot.waitUntil(lambda: not refiner.waiting, timeout=120_000)
    qtbot.waitUntil(lambda: keeper.pictures[0].seconds > before.seconds, timeout=20_000)
    assert keeper.pictures[0].samples == 9
    assert keeper.document(keeper.pictures[0]) == keeper.document(before)
    assert not compare.kept.stop.isVisibleTo(compare.kept)


def test_two_windows_of_one_unsaved_title_keep_apart(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    other = Keeper(window.session)
    assert other.folder != window.tools.keeper.folder
    keep(window, qtbot)
    qtbot.wait(50)
    assert other.pictures == []
    other.close()
    third = Keeper(window.session)
    assert third.folder == other.folder  # a window that was closed leaves its place
    third.close()


def test_any_number_of_the_document_can_be_varied(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    row = compare.vary.first
    paths = {row.field.itemData(k) for k in range(row.field.count())}
    assert {"air.ozone_du", "expose.tone.contrast", "stage.view.fov_deg"} <= paths
    row.field.setCurrentIndex(row.field.findData("air.ozone_du"))
    found = row.vary(False)
    assert found is not None and (found.path, found.low, found.high) == ("air.ozone_du", 100.0, 600.0)
    row.field.setEditText("hats")
    press(compare.vary, "Make sheet")
    assert "There is no “hats” to vary" in window.notice.text.text()


def test_an_opened_picture_is_exposed_as_it_was_kept(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    session, keeper = window.session, window.tools.keeper
    keep(window, qtbot)
    kept = keeper.pictures[0]
    window.hold.release()
    newer(window, qtbot, lambda: session.change("sun", mode="manual", elevation_deg=3.0))
    window.hold.release()
    newer(window, qtbot, lambda: None, lambda f: f.ev == f.meter_ev)
    assert session.results.frame is not None and session.results.frame.ev < kept.ev - 1.0
    frame = newer(window, qtbot, lambda: keeper.open(kept))
    assert frame.ev == kept.ev


def test_a_newer_batch_takes_the_place_of_the_one_before(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    job, document = window.tools.job, window.session.document
    made: list[tuple[object, int]] = []
    job.made.connect(lambda owner, index, _picture: made.append((owner, index)))
    lights = [document.change("air", turbidity=2.0 + 0.5 * k) for k in range(6)]
    begin = time.perf_counter()
    job.pictures("first", lights)
    job.pictures("second", lights[:2])
    assert time.perf_counter() - begin < 0.1  # the window waits for neither
    with qtbot.waitSignal(job.ended, timeout=120_000, check_params_cb=lambda owner, _: owner == "second"):
        pass
    assert [index for owner, index in made if owner == "second"] == [0, 1]
    assert not [owner for owner, _ in made if owner == "first"]
    assert not job.running


def test_the_work_is_written_before_a_model_is_opened(
    window: DeskWindow, compare: CompareStep, house: Path
) -> None:
    window.session.change("air", turbidity=6.5)
    assert not window.autosave.folder.exists()
    window.open_file(house)
    assert load_document(window.autosave.folder / "work.gloamet").air.turbidity == 6.5


def test_a_star_and_a_note_stay_with_the_picture(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    keeper = window.tools.keeper
    keep(window, qtbot)
    keeper.choose(keeper.pictures[0].name)
    press(compare.kept, "Star")
    qtbot.waitUntil(lambda: keeper.pictures[0].star, timeout=10_000)
    compare.kept.note.setText("long shade")
    compare.kept.note.editingFinished.emit()
    qtbot.waitUntil(lambda: keeper.pictures[0].note == "long shade", timeout=10_000)
    press(compare.kept, "Remove")
    qtbot.waitUntil(lambda: not keeper.pictures, timeout=10_000)


def test_two_are_looked_at_in_every_mode(window: DeskWindow, compare: CompareStep, qtbot: QtBot) -> None:
    keeper, view = window.tools.keeper, window.tools.compare
    keep_two(window, qtbot)
    keeper.chosen = [kept.name for kept in keeper.pictures]
    camera = window.session.document.stage.view
    for mode in MODES:
        compare.kept.look(mode)
        assert view.on and view.mode == mode and view.names == keeper.chosen
        if mode in ("difference", "stops"):
            qtbot.waitUntil(lambda: view.difference is not None, timeout=20_000)
            assert view.difference is not None and view.difference.most > 0.0
        image = window.picture.grab().toImage()
        at = [(x, y) for x in range(0, image.width(), 9) for y in range(0, image.height(), 9)]
        assert len({image.pixel(x, y) for x, y in at}) > 10, mode
        # all share one zoom and one place
        view.zoom_by(5.0)
        assert view.zoom == pytest.approx(1.2**5)
        box = window.picture.target()
        start = QPointF(box.x() + 0.3 * box.width(), box.y() + 0.3 * box.height()).toPoint()
        QTest.mousePress(window.picture, Qt.MouseButton.LeftButton, pos=start)
        QTest.mouseMove(window.picture, start + QPoint(40, 20))
        QTest.mouseRelease(window.picture, Qt.MouseButton.LeftButton, pos=start + QPoint(40, 20))
        assert view.centre.x() < 0.5, mode
        compare.kept.look(mode)  # again goes back
        assert not view.on
        view.zoom_by(-5.0)
        assert (view.centre.x(), view.centre.y()) == (0.5, 0.5)
    assert window.session.document.stage.view == camera


def test_the_line_of_a_wipe_is_dragged(window: DeskWindow, compare: CompareStep, qtbot: QtBot) -> None:
    keep_two(window, qtbot)
    window.tools.keeper.chosen = [kept.name for kept in window.tools.keeper.pictures]
    compare.kept.look("wipe")
    box = window.picture.target()
    middle = QPointF(box.center().x(), box.center().y()).toPoint()
    QTest.mousePress(window.picture, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(window.picture, middle + QPoint(round(0.2 * box.width()), 0))
    QTest.mouseRelease(window.picture, Qt.MouseButton.LeftButton, pos=middle)
    assert window.tools.compare.fraction == pytest.approx(0.7, abs=0.02)


def test_a_change_ends_the_looking_and_one_alone_is_held_against_now(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    keep(window, qtbot)
    window.tools.keeper.choose(window.tools.keeper.pictures[0].name)
    compare.kept.look("side by side")
    assert window.tools.compare.names[-1] == NOW
    window.session.change("air", turbidity=6.0)
    assert not window.tools.compare.on


def test_blind_hides_names_asks_and_tells(window: DeskWindow, compare: CompareStep, qtbot: QtBot) -> None:
    keep_two(window, qtbot)
    keeper, view = window.tools.keeper, window.tools.compare
    keeper.chosen = [kept.name for kept in keeper.pictures]
    press(compare.kept, "Blind")
    assert view.hidden and {view.title(name) for name in view.names} == {"A", "B"}
    wanted = view.names[1]
    with qtbot.waitSignal(window.session.noticed, timeout=5_000) as said:
        compare.kept.vote_buttons[1].click()
    assert said.args[0].startswith("You chose the one of")
    assert not view.hidden
    assert keeper.chosen == [wanted]


def test_holding_b_shows_the_picture_as_it_was_opened(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    session = window.session
    session.store.mark_saved()
    opened = session.document
    session.change("air", turbidity=8.0)
    QTest.keyPress(window, Qt.Key.Key_B)
    assert session.showing_only and session.document == opened
    QTest.keyRelease(window, Qt.Key.Key_B)
    assert not session.showing_only and session.document.air.turbidity == 8.0
    compare.kept.before["nature"].click()
    session.change("fill", sky_stops=2.0)
    QTest.keyPress(window, Qt.Key.Key_B)
    assert session.document.fill.sky_stops == 0.0
    assert session.document.air.turbidity == 8.0
    QTest.keyRelease(window, Qt.Key.Key_B)


def test_a_sheet_is_made_and_one_light_gone_on_with(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    page, sheet, session = compare.vary, window.tools.sheet, window.session
    page.first.field.setCurrentIndex(page.first.field.findData("air.turbidity"))
    page.first.low.setText("2")
    page.first.high.setText("8")
    page.first.number.setText("3")
    press(page, "Make sheet")
    assert sheet.on
    qtbot.waitUntil(lambda: len(sheet.pictures) == 3 and not window.tools.job.running, timeout=120_000)
    window.picture.grab()
    box = window.picture.target()
    at = sheet.cell(box, 2).center().toPoint()
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=at)
    assert sheet.chosen == [2]
    assert "turbidity 8.00" in page.details.text()
    target = tmp_path / "sheet.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    press(page, "Save sheet …")
    assert target.read_bytes().startswith(b"%PDF")
    press(page, "Use this light")
    assert session.document.air.turbidity == 8.0
    assert session.render.held_ev == sheet.pictures[2].ev  # exposed as it was chosen
    assert not sheet.on
    session.undo()
    assert session.document.air.turbidity != 8.0


def test_several_lights_of_a_sheet_are_kept_and_refined_to_the_pictures_size(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    page, sheet, keeper = compare.vary, window.tools.sheet, window.tools.keeper
    newer(window, qtbot, lambda: window.session.change("output", samples=4))
    page.first.field.setCurrentIndex(page.first.field.findData("air.turbidity"))
    page.first.number.setText("3")
    press(page, "Make sheet")
    qtbot.waitUntil(lambda: len(sheet.pictures) == 3 and not window.tools.job.running, timeout=120_000)
    sheet.chosen = [0, 2]
    press(page, "Keep")
    qtbot.waitUntil(lambda: len(keeper.pictures) == 2, timeout=20_000)
    assert [keeper.document(kept).air.turbidity for kept in keeper.pictures] == [2.0, 8.0]  # type: ignore[union-attr]
    assert [kept.samples_label for kept in keeper.pictures] == ["draft"] * 2
    assert keeper.pictures[1].ev == sheet.pictures[2].ev
    window.tools.refiner.refine(keeper.pictures[1:])
    qtbot.waitUntil(lambda: keeper.pictures[1].samples == 4, timeout=120_000)
    assert picture_size(keeper.pictures[1].picture) == window.session.render.size


def test_the_strip_puts_stars_first_and_two_are_told_apart_in_words(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    keeper = window.tools.keeper
    keep_two(window, qtbot)
    keeper.mark(keeper.pictures[1], star=True)
    qtbot.waitUntil(lambda: keeper.pictures[1].star, timeout=20_000)
    first, second = keeper.pictures
    assert keeper.in_order == [first, second]
    keeper.sort(True)
    strip = window.findChild(KeptStrip)
    assert strip is not None
    assert [thumb.kept for thumb in strip.thumbs] == [second, first]
    keeper.choose(first.name)
    keeper.choose(second.name, more=True)
    assert compare.kept.table.text().startswith("From A to B:")
    assert "sun elevation" in compare.kept.table.text()
    window.session.change("air", turbidity=9.0)  # of no matter to the two
    assert "turbidity" not in compare.kept.table.text()


def test_a_range_that_cannot_be_is_told(window: DeskWindow, compare: CompareStep, qtbot: QtBot) -> None:
    page = compare.vary
    page.first.low.setText("-50")
    with qtbot.waitSignal(window.session.noticed, timeout=5_000) as said:
        press(page, "Make sheet")
    assert "out of range" in said.args[0]


def test_suggestions_come_with_reasons_and_can_be_stopped(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    page, sheet = compare.vary, window.tools.sheet
    press(page, "6 lights")
    qtbot.waitUntil(lambda: len(sheet.items) == 6, timeout=180_000)
    assert all(item.label and item.more for item in sheet.items)
    heights = {round(sun_from_document(item.document)[1]) for item in sheet.items}
    assert len(heights) >= 3
    press(page, "24 lights")
    page._stop()
    qtbot.waitUntil(lambda: not window.tools.job.running, timeout=30_000)


def test_a_look_is_taken_with_a_strength_drawn_and_kept(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    page, session = compare.looks, window.session
    before = session.document
    index = next(k for k, look in enumerate(LOOKS) if look.name == "hazy noon")
    page.take(index)
    assert session.document == apply_look(before, LOOKS[index])
    session.undo()
    page.strength.setValue(50)
    page.take(index)
    assert session.document == apply_look(before, LOOKS[index], 0.5)
    press(page, "Show thumbnails")
    qtbot.waitUntil(
        lambda: not page.buttons[0].icon().isNull() and not window.tools.job.running, timeout=120_000
    )
    session.change("fill", sky_stops=0.7)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("my light", True))
    press(page, "Save look …")
    assert page.looks[-1].name == "my light"
    assert page.looks[-1].fields["fill.sky_stops"] == 0.7


def test_undo_says_what_it_takes_back_and_steps_are_listed(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    session = window.session
    session.change("air", turbidity=6.0)
    assert "turbidity" in window.bar.undo.toolTip()
    session.change("fill", sky_stops=1.0)
    compare.show_page("Looks")
    compare.looks._show_steps()
    label = [compare.looks.steps.itemAt(k).widget().toolTip() for k in range(compare.looks.steps.count())]  # type: ignore[union-attr]
    assert label[0].startswith("sky ")
    assert label[1].startswith("turbidity ")
    session.undo()
    assert "sky" in window.bar.redo.toolTip()


# -- nothing is lost


def test_a_project_that_others_changed_is_not_written_over_without_a_word(
    window: DeskWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, path = window.session, tmp_path / "p.gloamet"
    assert session.save(path)
    session.change("air", turbidity=6.0)
    other = session.document.change("air", turbidity=3.3)
    save_document(other, path)
    os.utime(path, (datetime.now().timestamp() + 5,) * 2)
    asked: list[str] = []

    def cancel(box: QMessageBox) -> int:
        asked.append(box.text())
        return 0

    monkeypatch.setattr(QMessageBox, "exec", cancel)
    assert not window.save()
    assert "changed on disk" in asked[0]
    assert load_document(path).air.turbidity == 3.3
    assert session.dirty


def test_new_and_quit_are_in_the_menu(window: DeskWindow, own_state: None) -> None:
    texts = [row.text for row in window.menus.commands()]
    assert "New" in texts and "Quit" in texts
    window.session.store.mark_saved()
    window.begin_new()
    assert window.session.document == Document()
    assert np.isfinite(window.session.document.air.turbidity)
