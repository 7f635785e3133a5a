# SPDX-License-Identifier: Apache-2.0
"""Questions before data would be lost, and the text of an azimuth."""

from __future__ import annotations

from PySide6.QtWidgets import QMessageBox, QWidget


def ask(parent: QWidget, sentence: str, answers: tuple[str, ...]) -> str:
    """Ask once; the answer that was chosen, "" for going back."""
    box = QMessageBox(parent)
    box.setText(sentence)
    roles = (QMessageBox.ButtonRole.AcceptRole, QMessageBox.ButtonRole.DestructiveRole)
    buttons = {box.addButton(text, role): text for text, role in zip(answers, roles, strict=False)}
    box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return next((text for button, text in buttons.items() if button is box.clickedButton()), "")


def azimuth_label(azimuth_deg: float) -> str:
    """A bearing as a mason says it: from the nearest of north and south towards east or west.

    >>> azimuth_label(292.0), azimuth_label(180.0), azimuth_label(118.7)
    ('W 22° N', 'S', 'E 29° S')
    """
    quarter = int(((azimuth_deg + 45.0) % 360.0) // 90.0)
    main = "NESW"[quarter]
    off = round((azimuth_deg - 90.0 * quarter + 180.0) % 360.0 - 180.0)
    if off == 0:
        return main
    side = {"N": "EW", "E": "SN", "S": "WE", "W": "NS"}[main][0 if off > 0 else 1]
    return f"{main} {abs(off)}° {side}"
