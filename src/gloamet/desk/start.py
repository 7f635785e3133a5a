# SPDX-License-Identifier: Apache-2.0
"""Start of the interface: application, session, window."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from gloamet.document.model import Document
from gloamet.errors import GloametError


def run_desk(
    document: Document | None = None,
    title: str = "Untitled",
    project: Path | None = None,
    model: Path | None = None,
) -> int:
    """Open the window and stay until it is closed; returns the exit code."""
    if sys.platform.startswith("linux") and not (
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")
    ):
        raise GloametError("There is no screen here: start it on a desktop, or use gloamet render.")
    from PySide6.QtWidgets import QApplication

    from gloamet.desk.garbage import GarbageCollector
    from gloamet.desk.hints import Hints
    from gloamet.desk.state.session import Session
    from gloamet.desk.widgets import theme
    from gloamet.desk.window import DeskWindow
    from gloamet.preview.preparation import KernelPreparation

    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setOrganizationName("gloamet")
    app.setApplicationName("gloamet")
    theme.apply(app)
    collector = GarbageCollector()
    preparation = KernelPreparation()
    session = Session(preparation=preparation)
    window = DeskWindow(session)
    if document is not None:
        session.start_with(document, title)
    if project is not None:
        window.moved_files.open_project(project)
    if model is not None:
        session.open_model(model)
    window.show()
    Hints(window)
    window.offer_left()
    code = int(app.exec())
    preparation.close()
    collector.close()
    return code
