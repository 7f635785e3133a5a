# SPDX-License-Identifier: Apache-2.0
"""Menus and their keys, help, terms, About, and the clipboard."""

from __future__ import annotations

from collections import Counter
from xml.etree import ElementTree

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot

from gloamet import __version__
from gloamet.desk.about import about_text
from gloamet.desk.clipboard import paste
from gloamet.desk.help_overlay import OF_STEP
from gloamet.desk.menu_table import menu_table
from gloamet.desk.steps import STEPS
from gloamet.desk.widgets import theme
from gloamet.desk.widgets.palettes import LIGHT
from gloamet.desk.widgets.term_card import TermButton, TermCard, TermList, terms
from gloamet.desk.window import DeskWindow


def test_every_command_has_a_menu_and_its_keys_work_once(window: DeskWindow) -> None:
    table = menu_table(window)
    assert list(table) == ["File", "Edit", "View", "Light", "Help"]
    keys = Counter(row.keys for rows in table.values() for row in rows() if row.keys)
    assert max(keys.values()) == 1
    shortcuts = Counter(s.key().toString() for s in window.findChildren(QShortcut))
    for key in keys:
        if key != "Tab":
            assert shortcuts[QKeySequence(key).toString()] == 1, key


def test_menus_say_what_stands(window: DeskWindow) -> None:
    rows = {row.text: row for row in window.menus.commands()}
    assert not rows["Undo"].enabled()
    checked = {text for text, row in rows.items() if row.checked is not None and row.checked()}
    assert "Dark theme" in checked and "Light theme" not in checked
    window.session.change("air", turbidity=4.0)
    rows = {row.text: row for row in window.menus.commands()}
    rows["Undo"].act()
    assert not window.session.history.can_undo
    before = window.session.moment().instant
    rows["Hour later"].act()
    assert (window.session.moment().instant - before).total_seconds() == 3600.0


def test_alt_alone_shows_the_menu_bar_and_hides_it(window: DeskWindow, qtbot: QtBot) -> None:
    window.show()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=3000)
    QTest.keyClick(window.picture, Qt.Key.Key_Alt)
    assert window.menus.bar.isVisible()
    assert [a.text() for a in window.menus.bar.actions()] == ["&File", "&Edit", "&View", "&Light", "&Help"]
    QTest.keyClick(window.menus.bar, Qt.Key.Key_Alt)
    assert not window.menus.bar.isVisible()
    QTest.keyPress(window.picture, Qt.Key.Key_Alt)
    QTest.keyClick(window.picture, Qt.Key.Key_X, Qt.KeyboardModifier.AltModifier)
    QTest.keyRelease(window.picture, Qt.Key.Key_Alt)
    assert not window.menus.bar.isVisible()  # Alt with another key is a shortcut


def test_help_names_the_gestures_of_each_step(window: DeskWindow) -> None:
    for k, step in enumerate(STEPS):
        window.choose_step(k)
        window.help.show_for(k)
        assert window.help.isVisibleTo(window.picture)
        shown = {found.text() for found in window.help.findChildren(QLabel)}
        assert {keys for keys, _text in OF_STEP.get(step.module, ())} <= shown
        QTest.keyClick(window, Qt.Key.Key_Escape)
        assert window.help.isHidden()


@pytest.mark.parametrize("key", list(terms()))
def test_a_term_has_two_sentences_and_a_drawing(key: str) -> None:
    term = terms()[key]
    assert 2 <= term.text.count(". ") + term.text.endswith(".") <= 3
    assert len(term.text) < 260
    drawn = term.drawing
    for name in ("ink", "dim", "sun", "sky"):
        drawn = drawn.replace(f"${name}", "#000000")
    assert "$" not in drawn
    assert len(ElementTree.fromstring(f"<svg>{drawn}</svg>")) >= 2


def test_question_marks_explain_their_group(window: DeskWindow, qtbot: QtBot) -> None:
    found = {b.key for k in range(len(STEPS)) for b in window.stack.panel(k).findChildren(TermButton)}
    assert {"turbidity", "key_to_fill", "penumbra", "contact_shadow", "exposure"} <= found
    button = window.stack.panel(2).findChildren(TermButton)[0]
    button.open()
    card = next(w for w in QApplication.topLevelWidgets() if isinstance(w, TermCard))
    assert terms()[button.key].text in {found.text() for found in card.findChildren(QLabel)}
    QTest.keyClick(card, Qt.Key.Key_Escape)
    listed = TermList(window)
    listed.list.setCurrentRow(3)
    assert list(terms().values())[3].text in {found.text() for found in listed.findChildren(QLabel)}


def test_about_names_version_licence_and_folders() -> None:
    text = about_text()
    assert __version__ in text and "Apache License 2.0" in text and "kernels" in text


@pytest.mark.parametrize(
    ("text", "wall"),
    [("18:30", "18:30"), ("2026-06-21 05:15", "05:15"), ("2026-06-21T12:00:00+00:00", "15:00")],
)
def test_a_pasted_time_moves_the_clock(window: DeskWindow, text: str, wall: str) -> None:
    window.session.change("site", latitude_deg=57.4, longitude_deg=21.5, timezone="Europe/Riga")
    QGuiApplication.clipboard().setText(text)
    paste(window.session)
    assert f"{window.session.document.sun.wall_time:%H:%M}" == wall


def test_pasted_coordinates_move_the_site(window: DeskWindow) -> None:
    QGuiApplication.clipboard().setText(" 48.2, 16.37 ")
    paste(window.session)
    site = window.session.document.site
    assert (site.latitude_deg, site.longitude_deg, site.timezone) == (48.2, 16.37, "Europe/Vienna")


def test_a_pasted_site_has_the_altitude_of_its_land(window: DeskWindow) -> None:
    QGuiApplication.clipboard().setText("39.74, -104.99")
    paste(window.session)
    # Denver, the mile-high city: 1609 m (from memory); a cell of the shipped grid reaches into the mountains beside it
    assert window.session.document.site.altitude_m == pytest.approx(1609.0, abs=500.0)


@pytest.mark.parametrize("text", ["", "nonsense " * 20, "98.2, 400"])
def test_other_text_is_told_and_changes_nothing(window: DeskWindow, text: str) -> None:
    before = window.session.document
    QGuiApplication.clipboard().setText(text)
    paste(window.session)
    assert window.session.document == before
    assert window.notice.text.text().endswith(".") and len(window.notice.text.text()) < 160


def test_the_theme_is_chosen_in_the_view_menu(window: DeskWindow) -> None:
    rows = {row.text: row for row in window.menus.commands()}
    try:
        rows["Light theme"].act()
        rows["Middle grey"].act()
        assert LIGHT.ink == theme.INK and theme.SURROUND == "#777777"
    finally:
        theme.use("dark", "theme")


def test_keys_walk_and_a_double_click_frames(window: DeskWindow, qtbot: QtBot) -> None:
    window.show()
    view = window.session.document.stage.view
    window.picture.setFocus()
    QTest.keyClick(window.picture, Qt.Key.Key_W)
    ahead = window.session.document.stage.view
    assert ahead.eye[2] == view.eye[2] and ahead.eye != view.eye
    QTest.keyClick(window.picture, Qt.Key.Key_D)
    QTest.keyClick(window.picture, Qt.Key.Key_A)
    assert window.session.document.stage.view.eye == pytest.approx(ahead.eye, abs=1e-9)
    qtbot.waitUntil(lambda: window.session.loaded.compiled is not None, timeout=60_000)
    middle = window.picture.rect().center()
    QTest.mouseDClick(window.picture, Qt.MouseButton.LeftButton, pos=middle)
    assert window.session.document.stage.view.target != ahead.target
