# SPDX-License-Identifier: Apache-2.0
"""Qt objects die in the windows' thread, whoever allocates."""

from __future__ import annotations

import gc
import threading
import weakref
from collections.abc import Iterator

import pytest
from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gloamet.desk import garbage
from gloamet.desk.garbage import GarbageCollector


@pytest.fixture
def collector(qapp: QApplication, monkeypatch: pytest.MonkeyPatch) -> Iterator[GarbageCollector]:
    monkeypatch.setattr(garbage, "EVERY_MS", 20)
    gc.collect()
    made = GarbageCollector()
    yield made
    made.close()
    assert gc.isenabled()


def dropped() -> tuple[weakref.ref[QObject], list[int]]:
    """A Qt object that only garbage holds, in a ring, and the threads in which it dies."""
    one, threads = QObject(), []
    one.ring = [one]  # type: ignore[attr-defined]
    weakref.finalize(one, lambda: threads.append(threading.get_ident()))
    return weakref.ref(one), threads


def allocate() -> list[list[int]]:
    """Far more than makes Python collect, in another thread."""
    made: list[list[int]] = []
    thread = threading.Thread(target=lambda: made.extend([k] for k in range(200_000)))
    thread.start()
    thread.join()
    return made


def test_without_it_a_qt_object_may_die_in_any_thread(qapp: QApplication) -> None:
    _, threads = dropped()
    allocate()
    assert threads and threads[0] != threading.get_ident()


def test_with_it_a_qt_object_dies_in_the_windows_thread(collector: GarbageCollector, qtbot: QtBot) -> None:
    ref, threads = dropped()
    made = allocate()
    assert ref() is not None
    qtbot.waitUntil(lambda: ref() is None, timeout=10_000)
    assert threads == [threading.get_ident()]
    assert len(made) == 200_000  # still there: Python collects by how much there is


def test_what_is_old_waits_until_no_button_is_held(
    collector: GarbageCollector, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    collected: list[int] = []
    monkeypatch.setattr(gc, "get_count", lambda: (1000, 11, 11))
    monkeypatch.setattr(gc, "collect", collected.append)
    held = Qt.MouseButton.LeftButton
    monkeypatch.setattr(QGuiApplication, "mouseButtons", lambda: held)
    qtbot.waitUntil(lambda: bool(collected), timeout=10_000)
    assert set(collected) == {1}
    held = Qt.MouseButton.NoButton
    qtbot.waitUntil(lambda: 2 in collected, timeout=10_000)
