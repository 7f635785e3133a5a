# SPDX-License-Identifier: Apache-2.0
"""The About dialog: version, licence, and where files are kept."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget

from gloamet import __version__, kernelcache
from gloamet.desk.files.autosave import state_folder
from gloamet.document.looks import looks_folder


def places() -> dict[str, Path]:
    """Folders of this user that the program writes to, by what they hold."""
    return {
        "Compiled kernels": kernelcache.folder(),
        "Looks": looks_folder(),
        "Unsaved work and kept pictures": state_folder(),
    }


def about_text() -> str:
    """The text of the dialog, as HTML."""
    folders = "".join(
        f"<tr><td>{name}&nbsp;&nbsp;</td><td>{path}</td></tr>" for name, path in places().items()
    )
    return (
        f"<p><b>Gloamet {__version__}</b></p>"
        "<p>Physical sun and sky for architectural and product renders.</p>"
        "<p>Apache License 2.0. Licences of the libraries, fonts, icons and data it uses are in NOTICE.</p>"
        f"<p>It uses no network. Files are kept in:</p><table>{folders}</table>"
    )


def show_about(parent: QWidget) -> None:
    """Show the dialog."""
    box = QMessageBox(parent)
    box.setWindowTitle("About Gloamet")
    box.setTextFormat(Qt.TextFormat.RichText)
    box.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    box.setText(about_text())
    box.exec()
