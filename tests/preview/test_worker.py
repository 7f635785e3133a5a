# SPDX-License-Identifier: Apache-2.0
"""The worker by itself, without Qt: what it computes again, what it keeps, how it fails."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from gloamet.document.model import Document
from gloamet.preview import pipeline
from gloamet.preview.events import Busy, Failed, Frame, LightSolved, PaletteSolved, Preparing, SceneLoaded
from gloamet.preview.preparation import PreparationState
from gloamet.preview.sky_image import paint_disc
from gloamet.preview.worker import RenderWorker
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver


class Listener:
    """Collects events and waits for some."""

    def __init__(self) -> None:
        self.events: list[Any] = []
        self._new = threading.Condition()

    def __call__(self, event: Any) -> None:
        with self._new:
            self.events.append(event)
            self._new.notify_all()

    def wait(self, wanted: Callable[[Any], bool], seconds: float = 300.0) -> Any:
        end = time.monotonic() + seconds
        with self._new:
            while True:
                for event in self.events:
                    if wanted(event):
                        return event
                assert self._new.wait(max(0.0, end - time.monotonic())), "nothing came"

    def of(self, kind: type) -> list[Any]:
        with self._new:
            return [event for event in self.events if isinstance(event, kind)]

    def forget(self) -> None:
        with self._new:
            self.events.clear()


def done(event: Any) -> bool:
    return isinstance(event, Frame) and event.exact and event.done


@pytest.fixture
def running(
    document: Document, monkeypatch: pytest.MonkeyPatch
) -> Iterator[tuple[RenderWorker, Listener, Document]]:
    monkeypatch.setattr(pipeline, "AHEAD_SECONDS", 0.01)
    listener = Listener()
    engine = RenderWorker(listener)
    engine.request(document, 96, 64)
    listener.wait(done)
    listener.wait(lambda e: isinstance(e, Busy) and e.text == "")
    yield engine, listener, document
    engine.close()


def test_a_first_wish_brings_scene_light_colours_preview_and_picture(
    running: tuple[RenderWorker, Listener, Document],
) -> None:
    _, listener, _ = running
    for kind in (SceneLoaded, LightSolved, PaletteSolved, Frame):
        assert listener.of(kind), kind
    frames = listener.of(Frame)
    assert not frames[0].exact
    samples = [f.samples for f in frames if f.exact]
    assert samples == sorted(samples) and samples[-1] == 4
    assert frames[-1].pixels.shape == (64, 96, 4)


def test_a_moved_sun_does_not_read_the_model_again(running: tuple[RenderWorker, Listener, Document]) -> None:
    engine, listener, document = running
    listener.forget()
    engine.request(document.change("sun", mode="manual", elevation_deg=50.0), 96, 64)
    light = listener.wait(lambda e: isinstance(e, LightSolved))
    listener.wait(done)
    assert light.sun_elevation_deg == 50.0
    assert not listener.of(SceneLoaded)


def test_going_back_to_the_setting_before_traces_and_builds_nothing(
    running: tuple[RenderWorker, Listener, Document],
) -> None:
    engine, listener, document = running
    for there in (
        document.change("air", turbidity=6.0),
        document.change("stage.plaster", on=True),
        document.change("stage.view", fov_deg=25.0),
    ):
        engine.request(there, 96, 64)
        listener.wait(lambda e, there=there: done(e) and e.document is there)
        listener.wait(lambda e: isinstance(e, Busy) and e.text == "")
        solved = engine.pipeline._dome._results.copy()
        listener.forget()
        engine.request(document, 96, 64)
        first = listener.wait(lambda e: isinstance(e, Frame))
        assert first.exact and first.samples == 4  # what was there, at once
        listener.wait(lambda e: isinstance(e, Busy) and e.text == "")
        assert {frame.samples for frame in listener.of(Frame)} == {4}
        assert {id(made) for _, made in engine.pipeline._dome._results} == {id(made) for _, made in solved}
        listener.forget()


def test_a_gain_develops_the_same_film(running: tuple[RenderWorker, Listener, Document]) -> None:
    engine, listener, document = running
    listener.forget()
    engine.request(document.change("fill", sky_stops=1.0), 96, 64)
    listener.wait(done)
    frames = listener.of(Frame)
    assert {f.samples for f in frames} == {4}  # relit first, then as it was
    reading, natural = listener.of(LightSolved)[0].reading, listener.of(LightSolved)[0].natural
    assert reading.sky_horizontal_lx == pytest.approx(2 * natural.sky_horizontal_lx)


def test_the_newest_wish_wins_and_pictures_come_while_the_hand_moves(
    running: tuple[RenderWorker, Listener, Document],
) -> None:
    engine, listener, document = running
    listener.forget()
    for k in range(40):
        engine.request(
            document.change("sun", mode="manual", azimuth_deg=100.0 + k, elevation_deg=40.0), 96, 64
        )
        time.sleep(0.01)
    listener.wait(done)
    assert listener.of(LightSolved)[-1].sun_azimuth_deg == 139.0
    assert len([f for f in listener.of(Frame) if not f.exact]) >= 2


def test_north_turns_the_scene_and_not_the_place(running: tuple[RenderWorker, Listener, Document]) -> None:
    engine, listener, document = running
    before = listener.of(LightSolved)[-1].sun_azimuth_deg
    listener.forget()
    engine.request(document.change("sun", north_deg=30.0), 96, 64)
    assert listener.wait(lambda e: isinstance(e, LightSolved)).sun_azimuth_deg == pytest.approx(
        (before + 30) % 360
    )


def test_a_missing_model_is_told_once_and_the_light_still_comes(document: Document, tmp_path: Path) -> None:
    listener = Listener()
    engine = RenderWorker(listener)
    lost = document.change("stage", scene_file=str(tmp_path / "lost.glb"))
    engine.request(lost, 96, 64)
    failure = listener.wait(lambda e: isinstance(e, Failed))
    assert "lost.glb" in failure.sentence
    listener.wait(lambda e: isinstance(e, PaletteSolved))
    engine.request(lost.change("air", turbidity=5.0), 96, 64)
    listener.wait(lambda e: isinstance(e, Busy) and e.text == "")  # the last word of what was asked
    assert len(listener.of(Failed)) == 1
    engine.close()


def test_an_unforeseen_failure_is_a_sentence_and_the_worker_lives_on(
    running: tuple[RenderWorker, Listener, Document],
    monkeypatch: pytest.MonkeyPatch,
    capfd: pytest.CaptureFixture[str],
) -> None:
    engine, listener, document = running
    listener.forget()
    with monkeypatch.context() as m:

        def broken(*_: object) -> None:
            raise RuntimeError("a bug")

        m.setattr(pipeline, "paint_disc", broken)
        engine.request(document.change("air", turbidity=6.0), 96, 64)
        assert "a bug" in listener.wait(lambda e: isinstance(e, Failed)).sentence
    capfd.readouterr()
    engine.request(document.change("air", turbidity=7.0), 96, 64)
    listener.wait(done)


class Compiling:
    """Kernels that are compiled until it is told otherwise; it notes whether compiling was started."""

    def __init__(self) -> None:
        self.started, self.done = False, False

    def start(self) -> None:
        self.started = True

    def ready(self, *stages: str) -> bool:
        return self.done

    def state(self) -> PreparationState:
        return PreparationState(0.5, 10.0)


def test_while_kernels_are_compiled_every_request_gets_preliminary_light(document: Document) -> None:
    listener, compiling = Listener(), Compiling()
    worker = RenderWorker(listener, compiling)  # type: ignore[arg-type]
    low = document.change("sun", mode="manual", azimuth_deg=100.0, elevation_deg=20.0)
    for moved in (low, low.change("sun", elevation_deg=50.0)):
        worker.request(moved, 96, 64)
        frame = listener.wait(lambda e, d=moved: isinstance(e, Frame) and e.document is d, 30.0)
        assert not frame.exact and frame.samples == 0
    assert compiling.started and any(isinstance(e, Preparing) for e in listener.events)
    compiling.done = True
    exact = listener.wait(lambda e: isinstance(e, Frame) and e.exact)
    assert exact.document.sun.elevation_deg == 50.0
    assert listener.of(Preparing)[-1].fraction == 1.0
    worker.close()


def test_preliminary_light_that_fails_does_not_keep_the_renderer_from_being_prepared(
    document: Document, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def broken(*_arguments: object, **_options: object) -> None:
        raise ValueError("a broken picture")

    monkeypatch.setattr("gloamet.preview.preliminary.renderer.PreliminaryRenderer.show", broken)
    listener, compiling = Listener(), Compiling()
    worker = RenderWorker(listener, compiling)  # type: ignore[arg-type]
    worker.request(document, 96, 64)
    listener.wait(lambda e: isinstance(e, Preparing), 30.0)
    compiling.done = True
    assert listener.wait(lambda e: isinstance(e, Frame) and e.exact) is not None
    worker.close()
    assert "a broken picture" in capsys.readouterr().err


def test_closing_stops_a_long_render_at_once(document: Document) -> None:
    listener = Listener()
    engine = RenderWorker(listener)
    engine.request(document.change("output", samples=60_000), 320, 240)
    listener.wait(lambda e: isinstance(e, Frame) and e.exact)
    engine.close()
    thread = engine._worker._thread
    assert thread is None or not thread.is_alive()


def test_a_stopped_wish_keeps_the_picture_it_has(running: tuple[RenderWorker, Listener, Document]) -> None:
    engine, listener, document = running
    listener.forget()
    engine.request(document.change("output", samples=5000), 96, 64, stopped=True)
    frame = listener.wait(lambda e: isinstance(e, Frame))
    listener.wait(lambda e: isinstance(e, Busy) and e.text == "")  # the last word of what was asked
    assert frame.samples == 4
    assert {shown.samples for shown in listener.of(Frame)} == {4}


@pytest.mark.parametrize(("azimuth", "north"), [(90.0, 0.0), (180.0, 0.0), (90.0, 45.0)])
def test_the_disc_is_brightest_towards_the_sun(solver: SkySolver, azimuth: float, north: float) -> None:
    pixels = (
        paint_disc(solver.dome(Air(4.0), (azimuth + north) % 360, 20.0), north)[..., :3].astype(int).sum(2)
    )
    size = len(pixels)
    y, x = np.unravel_index(np.argmax(pixels), pixels.shape)
    angle = np.degrees(np.arctan2(x - size / 2, size / 2 - y)) % 360
    assert abs((angle - azimuth + 180) % 360 - 180) < 25
