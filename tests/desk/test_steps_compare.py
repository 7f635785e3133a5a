"""Compare on the desk: keeping, looking together, taking back, sheets, looks, and nothing is lost."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from gloamet.desk.autosave import Autosave, left_behind, state_folder, take_up
from gloamet.desk.kept_compare import MODES, NOW
from gloamet.desk.session import Session
from gloamet.desk.steps import STEP_TITLES
from gloamet.desk.steps.compare import CompareStep
from gloamet.desk.window import DeskWindow
from gloamet.document.file import load_document, save_document
from gloamet.document.looks import LOOKS, apply_look
from gloamet.document.model import Document
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
    newer(window, qtbot, lambda: session.change("sun", mode="hand", elevation_deg=6.0))
    keep(window, qtbot)
    return first, session.document


def test_k_keeps_the_moment_in_every_step(window: DeskWindow, compare: CompareStep, qtbot: QtBot) -> None:
    window.choose_step(STEP_TITLES.index("Sun"))
    keep(window, qtbot)
    (kept,) = window.tools.keeper.pictures
    assert kept.missing == ()
    assert kept.picture.parent == window.tools.keeper.folder
    assert window.session.frame is not None
    assert kept.ev == pytest.approx(window.session.frame.ev)


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
    press(compare.kept, "take these")
    assert session.document.sun == first.sun
    assert session.document.air == now.air
    session.undo()
    assert session.document == now
    press(compare.kept, "open")
    assert session.document == first
    session.undo()
    assert session.document == now
    assert second != first


def test_a_star_and_a_note_stay_with_the_picture(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    keeper = window.tools.keeper
    keep(window, qtbot)
    keeper.choose(keeper.pictures[0].name)
    press(compare.kept, "star")
    qtbot.waitUntil(lambda: keeper.pictures[0].star, timeout=10_000)
    compare.kept.note.setText("long shade")
    compare.kept.note.editingFinished.emit()
    qtbot.waitUntil(lambda: keeper.pictures[0].note == "long shade", timeout=10_000)
    press(compare.kept, "take away")
    qtbot.waitUntil(lambda: not keeper.pictures, timeout=10_000)


@pytest.mark.parametrize("mode", MODES)
def test_two_are_looked_at_in_every_mode(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot, mode: str
) -> None:
    keeper, view = window.tools.keeper, window.tools.compare
    keep_two(window, qtbot)
    keeper.chosen = [kept.name for kept in keeper.pictures]
    compare.kept.look(mode)
    assert view.on and view.names == keeper.chosen
    if mode in ("difference", "stops"):
        qtbot.waitUntil(lambda: view.difference is not None, timeout=20_000)
        assert view.difference is not None and view.difference.most > 0.0
    image = window.picture.grab().toImage()
    colours = {image.pixel(x, y) for x in range(0, image.width(), 9) for y in range(0, image.height(), 9)}
    assert len(colours) > 10
    # all share one zoom and one place
    view.zoom_by(5.0)
    assert view.zoom == pytest.approx(1.2**5)
    box = window.picture.target()
    start = QPointF(box.x() + 0.3 * box.width(), box.y() + 0.3 * box.height()).toPoint()
    QTest.mousePress(window.picture, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(window.picture, start + QPoint(40, 20))
    QTest.mouseRelease(window.picture, Qt.MouseButton.LeftButton, pos=start + QPoint(40, 20))
    assert view.centre.x() < 0.5
    camera = window.session.document.stage.view
    compare.kept.look(mode)  # again goes back
    assert not view.on
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
    assert window.tools.compare.share == pytest.approx(0.7, abs=0.02)


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
    press(compare.kept, "blind")
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
    press(page, "make the sheet")
    assert sheet.on
    qtbot.waitUntil(lambda: len(sheet.pixels) == 3 and not window.tools.job.running, timeout=120_000)
    window.picture.grab()
    box = window.picture.target()
    at = sheet.cell(box, 2).center().toPoint()
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=at)
    assert sheet.chosen == [2]
    assert "turbidity 8.00" in page.said.text()
    target = tmp_path / "sheet.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    press(page, "save …")
    assert target.read_bytes().startswith(b"%PDF")
    press(page, "go on with it")
    assert session.document.air.turbidity == 8.0
    assert not sheet.on
    session.undo()
    assert session.document.air.turbidity != 8.0


def test_a_range_that_cannot_be_is_told(window: DeskWindow, compare: CompareStep, qtbot: QtBot) -> None:
    page = compare.vary
    page.first.low.setText("-50")
    with qtbot.waitSignal(window.session.noticed, timeout=5_000) as said:
        press(page, "make the sheet")
    assert "out of range" in said.args[0]


def test_suggestions_come_with_reasons_and_can_be_stopped(
    window: DeskWindow, compare: CompareStep, qtbot: QtBot
) -> None:
    page, sheet = compare.vary, window.tools.sheet
    press(page, "6 lights")
    qtbot.waitUntil(lambda: len(sheet.items) == 6, timeout=180_000)
    assert all(item.words and item.more for item in sheet.items)
    heights = {item.document.sun.elevation_deg for item in sheet.items}
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
    press(page, "show here")
    qtbot.waitUntil(
        lambda: not page.buttons[0].icon().isNull() and not window.tools.job.running, timeout=120_000
    )
    session.change("fill", sky_stops=0.7)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("my light", True))
    press(page, "keep as look …")
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
    words = [compare.looks.steps.itemAt(k).widget().toolTip() for k in range(compare.looks.steps.count())]  # type: ignore[union-attr]
    assert words[0].startswith("sky ")
    assert words[1].startswith("turbidity ")
    session.undo()
    assert "sky" in window.bar.redo.toolTip()


# -- nothing is lost


def test_unsaved_work_is_written_and_taken_up_after_a_crash(
    own_state: None, session: Session, tmp_path: Path
) -> None:
    autosave = Autosave(session)
    assert not autosave.write()  # nothing to lose yet
    session.change("air", turbidity=6.5)
    assert autosave.write()
    assert not autosave.write()  # the same document is not written twice
    assert load_document(autosave.folder / "work.gloamet").air.turbidity == 6.5
    assert left_behind() == []  # this window holds it
    assert autosave._lock is not None
    autosave._lock.close()  # the program is gone
    autosave._lock = None
    (left,) = left_behind()
    store = take_up(left)
    assert store.current.air.turbidity == 6.5
    assert store.dirty
    assert store.current == session.document
    autosave.close()
    assert left_behind() == []


def test_two_windows_each_have_their_own(own_state: None, session: Session) -> None:
    one, other = Autosave(session), Autosave(session)
    session.change("air", turbidity=6.5)
    assert one.write() and other.write()
    assert one.folder != other.folder
    one.close()
    assert other.folder.exists() and not one.folder.exists()
    other.close()


def test_a_saved_document_leaves_nothing_behind(own_state: None, session: Session, tmp_path: Path) -> None:
    autosave = Autosave(session)
    session.change("air", turbidity=6.5)
    assert autosave.write()
    assert session.save(tmp_path / "p.gloamet")
    autosave.write()
    assert not autosave.folder.exists()
    autosave.close()


def test_a_killed_program_leaves_its_last_whole_document(own_state: None, tmp_path: Path) -> None:
    script = """
        from PySide6.QtCore import QCoreApplication
        from gloamet.desk.autosave import Autosave
        from gloamet.desk.session import Session
        app = QCoreApplication([])
        session = Session()
        autosave = Autosave(session)
        k = 0
        while True:
            k += 1
            session.change("output", samples=1 + k % 60000)
            autosave.write()
            if k == 3:
                print("ready", flush=True)
    """
    for _ in range(5):
        process = subprocess.Popen(
            [sys.executable, "-c", textwrap.dedent(script)],
            stdout=subprocess.PIPE,
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        )
        assert process.stdout is not None
        process.stdout.readline()
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
    found = left_behind()
    assert len(found) == 5
    for left in found:
        assert take_up(left).current.output.samples > 1
    assert all(path.is_dir() for path in state_folder().iterdir())


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
    window._fill_menu()
    texts = [action.text().partition("\t")[0] for action in window.menu.actions()]
    assert "New" in texts and "Quit" in texts
    window.session.store.mark_saved()
    window.begin_new()
    assert window.session.document == Document()
    assert np.isfinite(window.session.document.air.turbidity)
