# SPDX-License-Identifier: Apache-2.0
"""A desk with a small scene, offscreen."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gloamet.desk.garbage import GarbageCollector
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.window import DeskWindow
from gloamet.document.model import Document
from gloamet.preview import pipeline

HOUSE_OBJ = (
    "v -20 -20 0\nv 20 -20 0\nv 20 20 0\nv -20 20 0\n"
    "v -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nv -1 -1 3\nv 1 -1 3\nv 1 1 3\nv -1 1 3\n"
    "o ground\nf 1 2 3 4\no box\nf 5 6 10 9\nf 6 7 11 10\nf 7 8 12 11\nf 8 5 9 12\nf 9 10 11 12\n"
)


@pytest.fixture
def house(tmp_path: Path) -> Path:
    """A box on a plane, Z up, as OBJ."""
    path = tmp_path / "house.obj"
    path.write_text(HOUSE_OBJ)
    return path


@pytest.fixture
def document(house: Path) -> Document:
    """The box in the morning, few samples."""
    document = Document().change("stage", scene_file=str(house), up="z")
    return document.change("output", width=48, height=32, samples=4)


@pytest.fixture(scope="session")
def dressed(qapp: QApplication) -> QApplication:
    """The application in its own dress, once: dressing it again would polish every widget that still lives."""
    theme.apply(qapp)
    return qapp


@pytest.fixture
def session(
    dressed: QApplication, qtbot: QtBot, document: Document, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Session]:
    """A session that has shown its first exact picture."""
    monkeypatch.setattr(
        pipeline, "AHEAD_SECONDS", 0.01
    )  # else each test waits a second for what nobody asks for
    collector = GarbageCollector()
    session = Session()
    try:
        session.render.resize(120, 80)
        with qtbot.waitSignal(
            session.results.frame_ready, timeout=120_000, check_params_cb=lambda f: f.exact
        ):
            session.start_with(document)
        yield session
    finally:
        session.close()
        collector.close()


@pytest.fixture
def window(session: Session, qtbot: QtBot) -> Iterator[DeskWindow]:
    """The whole window, shown; of the panels those that the tests ask for, as building all takes a second."""
    window = DeskWindow(session)
    window.show()
    window.stack.stop_building()
    yield window
    session.preview_document(None)
    session.store.mark_saved()
    window.close()
