# SPDX-License-Identifier: Apache-2.0
"""Every control of the window has a name and a role for assistive technology, and is reached by the keyboard."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractScrollArea,
    QComboBox,
    QHeaderView,
    QLineEdit,
    QMenu,
    QMenuBar,
    QScrollBar,
    QWidget,
)

from gloamet.desk.steps import STEPS
from gloamet.desk.widgets.number import NumberRow
from gloamet.desk.window import DeskWindow

CONTROLS = (QAbstractButton, QLineEdit, QComboBox, QAbstractItemView, NumberRow)
OF_QT = (QMenu, QMenuBar, QScrollBar, QHeaderView)
# lists that arrows reach from the field above them
BY_ARROWS = ("Found", "Cities found")


def controls(window: DeskWindow) -> Iterator[QWidget]:
    for k in range(len(STEPS)):
        window.stack.panel(k)
    for widget in window.findChildren(QWidget):
        parent = widget.parent()
        inside = isinstance(parent, (QComboBox, QMenuBar)) or (
            parent is not None and parent.metaObject().className() == "QComboBoxPrivateContainer"
        )
        if isinstance(widget, OF_QT) or inside:
            continue
        focusable = widget.focusPolicy() != Qt.FocusPolicy.NoFocus
        if isinstance(widget, CONTROLS) or (focusable and not isinstance(widget, QAbstractScrollArea)):
            yield widget


def name_of(widget: QWidget) -> str:
    interface = QAccessible.queryAccessibleInterface(widget)
    return "" if interface is None else interface.text(QAccessible.Text.Name)


def waits_for_its_text(widget: QWidget, window: QWidget) -> bool:
    """A hidden button that gets its text when it is shown."""
    return isinstance(widget, QAbstractButton) and not widget.isVisibleTo(window) and not widget.text()


def test_no_control_is_without_a_name(window: DeskWindow) -> None:
    nameless = [
        (type(widget).__name__, widget.toolTip())
        for widget in controls(window)
        if not name_of(widget) and not waits_for_its_text(widget, window)
    ]
    assert not nameless


def test_no_control_is_out_of_reach_of_the_keyboard(window: DeskWindow) -> None:
    unreached = [
        (type(widget).__name__, name_of(widget))
        for widget in controls(window)
        if widget.focusPolicy() == Qt.FocusPolicy.NoFocus and widget.accessibleName() not in BY_ARROWS
    ]
    assert not unreached


def test_every_control_has_a_role(window: DeskWindow) -> None:
    for widget in controls(window):
        interface = QAccessible.queryAccessibleInterface(widget)
        assert interface is not None and interface.role() != QAccessible.Role.NoRole, widget


@pytest.mark.parametrize("step", range(len(STEPS)))
def test_tab_goes_round_a_panel_and_the_focus_is_seen(window: DeskWindow, step: int) -> None:
    window.show()
    window.choose_step(step)
    panel = window.stack.panel(step)
    first = next(w for w in panel.findChildren(QAbstractButton) if w.isVisible() and w.isEnabled())
    first.setFocus()
    met: list[QWidget] = []
    for _ in range(200):
        now = window.focusWidget()
        if now is None or now in met:
            break
        met.append(now)
        QTest.keyClick(now, Qt.Key.Key_Tab)
    inside = [widget for widget in met if panel.isAncestorOf(widget)]
    assert len(inside) >= 3
    assert all(widget.isVisible() for widget in met)
