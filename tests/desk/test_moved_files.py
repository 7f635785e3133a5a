# SPDX-License-Identifier: Apache-2.0
"""A project whose model has moved asks for it, and finds what moved with it."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from gloamet.desk.window import DeskWindow
from gloamet.document.file import load_document, save_document
from gloamet.document.model import Document


@pytest.fixture
def moved(tmp_path: Path, obj_file: Path) -> tuple[Path, Path]:
    """A project, and the folder its model has moved to."""
    old, new = tmp_path / "old", tmp_path / "new"
    new.mkdir()
    table = "LUT_1D_SIZE 2\n0 0 0\n1 1 1\n"
    (new / "same.cube").write_text(table)
    for name in ("plane.obj", "plane.mtl"):
        (new / name).write_bytes((tmp_path / name).read_bytes())
    document = Document().change("stage", scene_file=str(old / "plane.obj"))
    document = document.change("expose.colour", table=str(old / "same.cube"))
    save_document(document, tmp_path / "p.gloamet")
    return tmp_path / "p.gloamet", new


def answer(monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *words: (name, ""))


def test_a_project_without_its_model_asks_and_takes_what_moved_along(
    window: DeskWindow, moved: tuple[Path, Path], monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    path, new = moved
    session = window.session
    session.store.mark_saved()
    before = session.document
    window.open_file(path)
    assert session.document == before  # it waits, and what is open stays
    assert "plane.obj" in window.notice.text.text() and "no longer" in window.notice.text.text()
    answer(monkeypatch, str(new / "plane.obj"))
    window.notice.action.click()
    assert session.path == path
    assert session.document.stage.scene_file == str(new / "plane.obj")
    assert session.document.expose.colour.table == str(new / "same.cube")
    assert session.dirty  # to be saved where they are now
    qtbot.waitUntil(
        lambda: session.loaded.scene is not None and len(session.loaded.scene.parts) == 1, timeout=30_000
    )
    assert window.save()
    assert load_document(path).stage.scene_file == str(new / "plane.obj")


def test_going_back_leaves_everything_as_it_was(
    window: DeskWindow, moved: tuple[Path, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    session = window.session
    session.store.mark_saved()
    before = session.document
    window.open_file(moved[0])
    answer(monkeypatch, "")
    window.notice.action.click()
    assert session.document == before


def test_a_missing_table_is_asked_for_once_the_project_is_open(
    window: DeskWindow, moved: tuple[Path, Path], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    path, new = moved
    session = window.session
    session.store.mark_saved()
    save_document(load_document(path).change("stage", scene_file=str(new / "plane.obj")), path)
    window.open_file(path)
    assert session.path == path
    assert "no longer in" in window.notice.text.text()
    session.noticed.emit("The colour table same.cube is not there.", "warning")  # as the worker says it
    assert "no longer in" in window.notice.text.text() and window.notice.action.isVisible()
    answer(monkeypatch, str(new / "same.cube"))
    window.notice.action.click()
    assert session.document.expose.colour.table == str(new / "same.cube")
    session.undo()
    assert session.document.expose.colour.table != str(new / "same.cube")
