# SPDX-License-Identifier: Apache-2.0
"""The session: what follows a change, what survives a failure, and that it never blocks."""

from __future__ import annotations

import gc
import time
import weakref
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gloamet.desk.state.recent import recent
from gloamet.desk.state.session import Session
from gloamet.desk.steps import STEPS
from gloamet.desk.window import DeskWindow
from gloamet.document.model import Document


def mean_green(frame) -> float:  # type: ignore[no-untyped-def]
    return float(frame.pixels[..., 1].mean())


def test_every_kind_of_change_shows_a_new_picture(session: Session, qtbot: QtBot) -> None:
    for section, values in (
        ("air", {"turbidity": 6.0}),
        ("sun", {"mode": "manual", "elevation_deg": 8.0}),
        ("fill", {"sky_stops": 1.0}),
        ("expose", {"kelvin": 3500.0}),
        ("expose", {"view": "plain sRGB"}),
        ("stage.view", {"fov_deg": 20.0}),
    ):
        before = session.results.frame
        with qtbot.waitSignal(session.results.frame_ready, timeout=60_000):
            session.change(section, **values)
        assert session.results.frame is not None
        assert session.results.frame is not before


def test_gain_and_exposure_do_not_trace_again(session: Session, qtbot: QtBot) -> None:
    qtbot.waitUntil(
        lambda: session.results.frame is not None and session.results.frame.samples == 4, timeout=60_000
    )
    for section, values in (("fill", {"sun_stops": -1.0}), ("expose", {"kelvin": 4000.0})):
        with qtbot.waitSignal(session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.exact):
            session.change(section, **values)
        assert session.results.frame is not None
        assert session.results.frame.samples == 4


def test_less_exposure_is_a_darker_picture(session: Session, qtbot: QtBot) -> None:
    levels = []
    for ev in (13.0, 16.0):
        with qtbot.waitSignal(
            session.results.frame_ready, timeout=60_000, check_params_cb=lambda f, ev=ev: f.ev == ev
        ):
            session.change("expose", metering="manual", ev=ev)
        levels.append(mean_green(session.results.frame))
    assert levels[1] < 0.7 * levels[0]


def test_a_model_that_cannot_be_read_leaves_the_desk_as_it_was(
    session: Session, qtbot: QtBot, tmp_path: Path
) -> None:
    bad = tmp_path / "bad.glb"
    bad.write_bytes(b"glTF nonsense")
    before, scene = session.document, session.loaded.scene
    with qtbot.waitSignal(session.noticed, timeout=60_000) as caught:
        session.open_model(bad)
    assert "bad.glb" in caught.args[0]
    qtbot.waitUntil(lambda: session.document.stage == before.stage, timeout=5000)
    assert session.loaded.scene is scene
    assert not session.dirty


def test_a_broken_project_leaves_the_desk_as_it_was(session: Session, tmp_path: Path) -> None:
    bad = tmp_path / "bad.gloamet"
    bad.write_text("{")
    said: list[str] = []
    session.noticed.connect(lambda text, _: said.append(text))
    before = session.document
    assert not session.open_project(bad)
    assert session.document is before
    assert "bad.gloamet" in said[0]


def test_a_project_with_a_damaged_model_leaves_the_desk_as_it_was(
    session: Session, qtbot: QtBot, tmp_path: Path
) -> None:
    from gloamet.document.file import save_document

    (tmp_path / "bad.glb").write_bytes(b"glTF nonsense")
    save_document(
        session.document.change("stage", scene_file=str(tmp_path / "bad.glb")), tmp_path / "p.gloamet"
    )
    before, path = session.document, session.path
    with qtbot.waitSignal(session.noticed, timeout=60_000) as caught:
        session.open_project(tmp_path / "p.gloamet")
    assert "bad.glb" in caught.args[0]
    assert session.document == before
    assert session.path == path
    assert not session.dirty


def test_saving_and_opening_bring_the_same_document_back(session: Session, tmp_path: Path) -> None:
    session.change("air", turbidity=5.5)
    assert session.dirty
    path = tmp_path / "job.gloamet"
    assert session.save(path)
    assert not session.dirty
    session.change("air", turbidity=2.0)
    assert session.open_project(path)
    assert session.document.air.turbidity == 5.5
    assert recent()[0] == path


def test_saving_where_one_may_not_says_so_and_keeps_the_edits(session: Session, tmp_path: Path) -> None:
    session.change("air", turbidity=5.5)
    said: list[str] = []
    session.noticed.connect(lambda text, _: said.append(text))
    assert not session.save(tmp_path / "none" / "job.gloamet")
    assert session.dirty
    assert "was not saved" in said[0]


def test_out_of_range_values_are_refused_with_a_sentence(session: Session) -> None:
    said: list[str] = []
    session.noticed.connect(lambda text, _: said.append(text))
    assert not session.change("air", turbidity=0.1)
    assert len(said) == 1


def test_stop_keeps_the_picture_and_go_on_finishes_it(session: Session, qtbot: QtBot) -> None:
    session.change("output", samples=400)
    session.render.stop(True)
    time.sleep(0.3)
    qtbot.wait(50)
    stopped = session.results.frame
    qtbot.wait(300)
    assert session.results.frame is not None
    assert stopped is not None
    assert session.results.frame.samples <= stopped.samples + 1
    with qtbot.waitSignal(
        session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.done and f.samples > 4
    ):
        session.render.stop(False)


def test_undo_brings_the_picture_back(session: Session, qtbot: QtBot) -> None:
    qtbot.waitUntil(
        lambda: session.results.frame is not None and session.results.frame.samples == 4, timeout=60_000
    )
    assert session.results.frame is not None
    first = session.results.frame.pixels.astype(int)
    with qtbot.waitSignal(session.results.frame_ready, timeout=60_000):
        session.change("expose", metering="manual", ev=17.0)
    with qtbot.waitSignal(
        session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.samples == 4
    ):
        session.undo()
    assert np.abs(session.results.frame.pixels.astype(int) - first).max() <= 1


@pytest.mark.parametrize("mode", ["almanac", "manual"])
def test_switching_to_the_hand_does_not_move_the_almanac(session: Session, mode: str) -> None:
    before = session.moment()
    session.change("sun", mode=mode)
    assert session.moment().azimuth_deg == before.azimuth_deg


def test_nothing_holds_a_window_and_its_session_that_are_closed(qtbot: QtBot, document: Document) -> None:
    session = Session()
    session.render.resize(120, 80)
    window = DeskWindow(session)
    with qtbot.waitSignal(session.results.frame_ready, timeout=120_000, check_params_cb=lambda f: f.exact):
        session.start_with(document)
    for k in range(len(STEPS)):
        window.choose_step(k)
    held = [weakref.ref(session), weakref.ref(window), weakref.ref(session.loaded.compiled)]
    window.close()
    session.close()  # twice is once
    del session, window
    qtbot.wait(20)  # the window asks for its end from the event loop
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)  # type: ignore[call-overload]
    gc.collect()
    assert [ref() for ref in held] == [None, None, None]
