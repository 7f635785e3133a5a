# SPDX-License-Identifier: Apache-2.0
"""The desk as `gloamet desk` and `gloamet demo` start it."""

from __future__ import annotations

import gc
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication

from gloamet.desk.start import run_desk
from gloamet.desk.window import DeskWindow
from gloamet.document.model import Document
from gloamet.errors import GloametError


def test_the_window_is_open_with_its_document_and_its_own_thread_collects(
    dressed: QApplication, document: Document, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    seen: list[tuple[bool, str, Document]] = []

    def stay(*_: object) -> int:
        (window,) = [w for w in QApplication.topLevelWidgets() if isinstance(w, DeskWindow) and w.isVisible()]
        seen.append((gc.isenabled(), window.session.title, window.session.document))
        window.session.store.mark_saved()
        window.close()
        return 7

    monkeypatch.setattr(QApplication, "exec", stay)
    assert run_desk(document, "Shed") == 7
    assert seen == [(False, "Shed", document)]
    assert gc.isenabled()


def test_without_a_screen_it_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    with pytest.raises(GloametError, match="There is no screen here"):
        run_desk()
