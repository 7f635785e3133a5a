# SPDX-License-Identifier: Apache-2.0
"""The worker relights: when it does, when it must not, and how the exact picture takes over."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from gloamet.desk.state.session import Session
from gloamet.document.demo import demo_document
from gloamet.document.model import Document
from gloamet.meter.light import read_light
from gloamet.output.images import save_light
from gloamet.preview import aerial_tables as air_tables
from gloamet.preview import pipeline, relit_size
from gloamet.preview.events import Busy, Frame, LightSolved
from gloamet.preview.relighting import (
    CROSSFADE_BEGIN,
    CROSSFADE_END,
    EQUAL_ERROR_SAMPLES,
    Relighting,
    RelightView,
    crossfade_weight,
)
from gloamet.preview.worker import RenderRequest, RenderWorker
from gloamet.sky.dome import uniform_dome
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.relight.fine_display import FineDisplay
from gloamet.trace.upsample import FeatureBuffers
from gloamet.translation.document_to_light import air_from_document, dome_from_document, sun_from_document
from gloamet.translation.document_to_picture import Exposure
from tests.preview.test_worker import Listener, done

SIZE = (240, 160)


@pytest.fixture
def ahead_s() -> float:
    """Seconds for what may be asked for next: most tests ask for nothing of it."""
    return 0.01


@pytest.fixture
def recorded(
    document: Document, ahead_s: float, monkeypatch: pytest.MonkeyPatch
) -> Iterator[tuple[RenderWorker, Listener, Document]]:
    """A worker at rest whose record is full."""
    monkeypatch.setattr(pipeline, "AHEAD_SECONDS", ahead_s)
    listener = Listener()
    engine = RenderWorker(listener)
    document = document.change("expose", metering="manual", ev=14.0).change("output", samples=16)
    document = document.change("stage", quality="final")
    engine.request(document, *SIZE)
    listener.wait(done)
    listener.wait(lambda e: isinstance(e, Busy) and e.text == "")
    assert engine.pipeline.viewport.cache.full
    assert engine.pipeline.viewport.relight_state == (True, True)
    yield engine, listener, document
    engine.close()


def relit(event: Any) -> bool:
    return isinstance(event, Frame) and not event.exact


def wait_for(engine: RenderWorker, listener: Listener, document: Document, wanted: Any) -> Frame:
    listener.forget()
    engine.request(document, *SIZE)
    frame: Frame = listener.wait(wanted, 60.0)
    return frame


@pytest.mark.parametrize(
    ("section", "values"),
    [
        ("sun", {"mode": "manual", "azimuth_deg": 100.0, "elevation_deg": 20.0}),
        ("air", {"turbidity": 6.0}),
        ("air", {"ground_reflectance": 0.7}),
        ("sun", {"north_deg": 40.0}),
    ],
)
def test_a_change_of_light_is_shown_relit_at_full_size(
    recorded: tuple[RenderWorker, Listener, Document], section: str, values: dict[str, Any]
) -> None:
    engine, listener, document = recorded
    record = engine.pipeline.viewport.cache
    frame = wait_for(engine, listener, document.change(section, **values), relit)
    assert frame.pixels.shape[:2] == (SIZE[1], SIZE[0])
    listener.wait(done)  # a preview looks the same; a new cache would have been made by now
    assert engine.pipeline.viewport.cache is record


def test_the_exact_picture_takes_over_without_a_jump(
    recorded: tuple[RenderWorker, Listener, Document],
) -> None:
    engine, listener, document = recorded
    moved = document.change("sun", mode="manual", azimuth_deg=200.0, elevation_deg=35.0)
    first = wait_for(engine, listener, moved, relit)
    last = listener.wait(done)
    shown = [event for event in listener.of(Frame) if event.pixels.shape == last.pixels.shape]
    levels = [frame.pixels[..., :3].astype(float).mean((0, 1)) for frame in shown]
    assert len(levels) > 3
    for before, after in zip(levels[:-1], levels[1:], strict=True):
        assert after == pytest.approx(before, rel=0.01)
    assert first.pixels.mean() == pytest.approx(last.pixels.mean(), rel=0.01)


def test_another_camera_or_colour_is_not_relit_by_the_old_record(
    recorded: tuple[RenderWorker, Listener, Document],
) -> None:
    engine, listener, document = recorded
    for section, values in (("stage.view", {"fov_deg": 20.0}), ("stage.ground", {"colour": (0.7, 0.5, 0.3)})):
        record = engine.pipeline.viewport.cache
        wait_for(engine, listener, document.change(section, **values), done)
        listener.wait(lambda e: isinstance(e, Busy) and e.text == "")
        assert engine.pipeline.viewport.cache is not record


def test_a_gain_is_relit_first_and_keeps_the_film(recorded: tuple[RenderWorker, Listener, Document]) -> None:
    engine, listener, document = recorded
    had = next(frame.samples for frame in listener.of(Frame) if frame.done)
    frame = wait_for(engine, listener, document.change("fill", sun_stops=-1.0), relit)
    assert frame.samples == had > 0
    after = listener.wait(done)
    assert frame.pixels.mean() == pytest.approx(after.pixels.mean(), rel=0.01)


@pytest.mark.parametrize("relightable", [True, False])
@pytest.mark.parametrize(
    ("section", "values"), [("expose", {"kelvin": 3500.0}), ("fill", {"sky_stops": 1.0})]
)
def test_a_picture_comes_for_every_move_of_a_hand_that_never_rests(
    recorded: tuple[RenderWorker, Listener, Document], section: str, values: dict[str, Any], relightable: bool
) -> None:
    engine, listener, document = recorded
    pictures = engine.pipeline.viewport
    if not relightable:
        pictures._relighting = Relighting()
    pictures._superseded = lambda: True  # the next move is there already
    listener.forget()
    moved = document.change(section, **values)
    engine.pipeline.work(RenderRequest(moved, *SIZE))
    frames = listener.of(Frame)
    assert [frame.document for frame in frames] == [moved]
    assert frames[0].pixels.shape[:2] == (SIZE[1], SIZE[0])
    assert not frames[0].done


def test_the_share_of_the_exact_picture_grows_with_its_samples() -> None:
    relighting = Relighting()
    assert relighting.exact_weight("anything", 1) == 1.0  # nothing relit is being shown
    relighting._rest = ("here", np.zeros((4, 4, 3), np.float32))
    fractions = [relighting.exact_weight("here", n) for n in range(CROSSFADE_END + 2)]
    assert fractions[CROSSFADE_BEGIN] == 0.0
    assert fractions[-1] == 1.0
    assert fractions == sorted(fractions)
    assert 0.5 < crossfade_weight(CROSSFADE_BEGIN + EQUAL_ERROR_SAMPLES) < 0.65  # both err as much there
    ones = np.ones((4, 4, 3), np.float32)
    assert relighting.mixed(ones, 0.25, (4, 4)) == pytest.approx(0.25)
    assert relighting.mixed(None, 0.0, (8, 8)).shape == (8, 8, 3)


def test_widgets_follow_a_fast_drag_at_most_so_often_and_end_where_it_ends(
    session: Session, qtbot: QtBot
) -> None:
    qtbot.waitUntil(lambda: session.results.frame is not None, timeout=60_000)
    told: list[float] = []
    session.document_changed.connect(lambda document: told.append(document.sun.elevation_deg))
    for k in range(200):
        session.change("sun", "sun.hand", mode="manual", elevation_deg=10.0 + 0.1 * k)
        assert session.document.sun.elevation_deg == pytest.approx(10.0 + 0.1 * k)
    qtbot.waitUntil(lambda: bool(told) and told[-1] == pytest.approx(29.9), timeout=5_000)
    assert len(told) < 100


def test_a_camera_at_rest_is_shown_relit_before_the_first_exact_sample(
    recorded: tuple[RenderWorker, Listener, Document],
) -> None:
    engine, listener, document = recorded
    wait_for(engine, listener, document.change("stage.view", fov_deg=24.0), done)
    shown = listener.of(Frame)
    first_exact = next(k for k, frame in enumerate(shown) if frame.exact)
    full_size = [frame for frame in shown[:first_exact] if frame.pixels.shape[:2] == (SIZE[1], SIZE[0])]
    assert len(full_size) >= 3  # one for each step of the record
    last = shown[-1].pixels[..., :3].astype(float)
    off = [np.abs(frame.pixels[..., :3] - last).mean() for frame in full_size]
    assert off[-1] < 3.0  # of 255
    assert off[-1] <= off[0] + 0.2


def test_lamps_of_the_preview_stand_in_until_the_exact_film_has_some(tracer: Renderer) -> None:
    relighting, film, pool = Relighting(), Film(32, 16), tracer.pool
    plain = np.ones((32, 64, 3), np.float32)
    flat = FeatureBuffers(plain, 0.0 * plain, 0.0 * plain[..., 0])
    relighting._view = relighting.cache = SimpleNamespace(
        width=64, height=32, samples=1, features=lambda: flat, with_outlines=lambda p: p
    )
    relighting.keep_film_light(relighting._view, film, pool, lambda: False, least=1)
    assert relighting._film_light is None  # no sample yet
    film.layers["counts"][:] = film.layers["albedo"][:] = 1.0
    film.layers["lamps"][:] = 5.0
    relighting.keep_film_light(relighting._view, film, pool, lambda: False)
    assert relighting._film_light is None  # one sample is not believed where more will come
    relighting.keep_film_light("another view", film, pool, lambda: False, least=1)
    assert relighting._film_light is None
    relighting.keep_film_light(relighting._view, film, pool, lambda: False, least=1)
    assert relighting._film_light is not None
    assert relighting._film_light.layers["lamps"][0].shape == (32, 64, 3)
    assert relighting._film_light.layers["lamps"][0].mean() == pytest.approx(5.0, rel=0.2)


def test_a_film_begun_anew_does_not_replace_the_lamps_of_a_longer_one(tracer: Renderer) -> None:
    relighting = Relighting()
    relighting._view = relighting.cache = SimpleNamespace(width=64, height=48)
    for samples, light, kept in ((8.0, 5.0, 5.0), (4.0, 7.0, 5.0), (9.0, 6.0, 6.0)):
        film = Film(64, 48)
        film.layers["counts"][:] = film.layers["albedo"][:] = samples
        film.layers["lamps"][:] = samples * light
        assert not relighting.keep_film_light(
            relighting._view, film, tracer.pool, lambda: True
        )  # a hand moved
        assert relighting.keep_film_light(relighting._view, film, tracer.pool, lambda: False) == (
            light == kept
        )
        assert relighting._film_light is not None
        assert relighting._film_light.layers["lamps"][0].mean() == pytest.approx(kept, rel=0.01)


def test_lamps_of_a_few_noisy_samples_keep_their_light(tracer: Renderer) -> None:
    relighting, film, pool, rng = Relighting(), Film(64, 48), tracer.pool, np.random.default_rng(5)
    relighting._view = relighting.cache = SimpleNamespace(width=64, height=48)
    film.layers["counts"][:] = 4.0
    film.layers["albedo"][:] = 4.0 * 0.8
    lit = rng.random((48, 64, 1)) < 0.02
    film.layers["lamps"][:] = 4.0 * np.where(lit, 50.0, 0.1)
    relighting.keep_film_light(relighting._view, film, pool, lambda: False)
    assert relighting._film_light is not None
    assert relighting._film_light.layers["lamps"][0].mean() == pytest.approx(
        film.mean("lamps").mean(), rel=0.1
    )


def fade(listener: Listener) -> tuple[np.ndarray, np.ndarray]:
    """Mean codes (N, 3) of the relit frames and of the exact ones, to the one that is done."""
    frames = [e for e in listener.events if isinstance(e, Frame)]
    assert frames[-1].done
    relit, exact = [
        np.array([f.pixels[..., :3].mean((0, 1)) for f in frames if f.exact == e]) for e in (False, True)
    ]
    return relit, exact


@pytest.mark.parametrize(("quality", "automatic"), [("draft", False), ("standard", True)])
def test_a_room_lit_by_lamps_is_handed_over_as_bright_as_it_was_relit(
    quality: str, automatic: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pipeline, "AHEAD_SECONDS", 0.01)
    size = (360, 240) if automatic else (480, 320)
    listener = Listener()
    engine = RenderWorker(listener)
    room = demo_document("interior").change("sun", mode="manual", azimuth_deg=120.0, elevation_deg=-6.0)
    room = room.change("expose", metering="scene" if automatic else "manual", ev=1.0).change(
        "stage", quality=quality
    )
    engine.request(room.change("output", samples=17), *size)
    listener.wait(done)
    assert engine.pipeline.viewport.relight_state == (True, True)
    relit, exact = fade(listener)
    assert exact[0].mean() == pytest.approx(relit[-1].mean(), rel=0.01)
    # the exact picture of a draft has a quarter of the paths; four bounces instead of twelve are more than ten percent
    # automatic exposure is metered again for every picture, by the table under the lamp: it moves too, by 1.9 % once
    within = 0.02 if automatic else 0.015 if quality == "draft" else 0.01
    assert exact.mean(1) == pytest.approx(np.full(len(exact), relit[-1].mean()), rel=within)
    hue = relit[-1] / relit[-1].mean()
    assert exact / exact.mean(1)[:, None] == pytest.approx(np.broadcast_to(hue, exact.shape), rel=0.01)
    if not automatic:  # the lamps of the next sun are those of the picture that rested
        listener.events.clear()
        engine.request(room.change("output", samples=17).change("sun", elevation_deg=-5.8), *size)
        listener.wait(done)
        relit, exact = fade(listener)
        assert exact.mean(1) == pytest.approx(np.full(len(exact), relit[-1].mean()), rel=0.01)
    engine.close()


def test_a_turned_panorama_is_relit_as_the_exact_picture_shows_it(
    recorded: tuple[RenderWorker, Listener, Document], tmp_path: Path
) -> None:
    engine, listener, document = recorded
    picture = np.full((64, 128, 3), 200.0, np.float32)
    picture[10:20, 80:96] = 4e5
    save_light(tmp_path / "lit.exr", picture)
    dusk = document.change("sun", mode="manual", elevation_deg=-8.0).change(
        "expose", metering="manual", ev=10.0
    )
    dusk = dusk.change("panorama", file=str(tmp_path / "lit.exr"))
    for turn in (0.0, 70.0):
        turned = dusk.change("panorama", rotation_deg=turn)
        first = wait_for(engine, listener, turned, relit).pixels[..., :3].mean()
        last = listener.wait(done).pixels[..., :3].mean()
        assert first == pytest.approx(last, rel=0.02)
    dimmer = wait_for(engine, listener, turned.change("fill", panorama_stops=-2.0), relit)
    assert dimmer.pixels[..., :3].mean() < 0.9 * last


def test_while_a_hand_drags_every_picture_comes_after_its_own_light(
    recorded: tuple[RenderWorker, Listener, Document],
) -> None:
    engine, listener, document = recorded
    listener.forget()
    for k in range(40):
        engine.request(
            document.change("sun", mode="manual", azimuth_deg=100.0 + k, elevation_deg=40.0), *SIZE
        )
        time.sleep(0.01)
    listener.wait(lambda e: isinstance(e, Frame) and e.exact, 60.0)
    solved, shown = [], []
    for event in list(listener.events):
        if isinstance(event, LightSolved):
            solved.append(event.sun_azimuth_deg)
        elif relit(event):
            assert event.document.sun.azimuth_deg == solved[-1]
            shown.append(event.document.sun.azimuth_deg)
    assert shown == sorted(shown) and shown[-1] == 139.0
    assert len(set(shown)) >= 3


@pytest.mark.parametrize("ahead_s", [pipeline.AHEAD_SECONDS])
def test_at_rest_air_is_solved_for_a_hand_that_will_move_the_sun(
    recorded: tuple[RenderWorker, Listener, Document], monkeypatch: pytest.MonkeyPatch
) -> None:
    engine, listener, document = recorded
    height = sun_from_document(document)[1]
    solved = []
    monkeypatch.setattr(air_tables, "solve_aerial_perspective", lambda *inputs: solved.append(inputs))
    moved = document.change("sun", mode="manual", azimuth_deg=150.0, elevation_deg=height + 2.5)
    light = engine.pipeline._light(moved, quick=True)
    assert light.quick
    view = engine.pipeline.viewport._view
    assert view is not None
    assert engine.pipeline._aerial_perspective(light, view) is not None
    assert solved == []


def test_at_rest_the_meter_reads_the_solved_sky_not_the_ladders(
    recorded: tuple[RenderWorker, Listener, Document],
) -> None:
    engine, listener, document = recorded
    moved = document.change("sun", mode="manual", azimuth_deg=150.0, elevation_deg=8.7)
    assert engine.pipeline._interpolator.precompute(air_from_document(moved), 8.7, lambda: False, 60.0)
    wait_for(engine, listener, moved, lambda e: isinstance(e, Frame) and e.exact)
    exact = read_light(dome_from_document(moved))
    readings = listener.of(LightSolved)
    assert len(readings) >= 2  # from the ladder first, then solved
    assert readings[-1].natural.sky_horizontal_lx == pytest.approx(exact.sky_horizontal_lx, rel=1e-9)
    assert readings[0].natural.sky_horizontal_lx == pytest.approx(exact.sky_horizontal_lx, rel=0.005)


@pytest.mark.parametrize(
    ("pixels_a_second", "window", "pixels"),
    [
        (1e9, (1920, 1080), 400_000),
        (1e3, (1920, 1080), 160_000),
        (12e6, (960, 540), 240_000),  # in 20 of the 33 ms
        (1e9, (480, 270), 129_600),
    ],
)
def test_a_relit_picture_has_as_many_pixels_as_the_machine_relights_in_time(
    monkeypatch: pytest.MonkeyPatch, pixels_a_second: float, window: tuple[int, int], pixels: int
) -> None:
    made: list[tuple[int, int]] = []

    def record(_scene: Any, _camera: Any, width: int, height: int, *_rest: Any) -> Any:
        made.append((width, height))
        return SimpleNamespace(full=False, improve=lambda *_: True)

    monkeypatch.setattr("gloamet.preview.relighting.RelightCache", record)
    relighting: Any = Relighting()
    relighting.size.speed, relighting.size.rest_s = pixels_a_second, 0.013
    nothing: Any = None
    lights = build_environment(uniform_dome(1.0))
    view, renderer = RelightView(nothing, nothing, *window), SimpleNamespace(pool=None, threads=1)
    assert relighting.improve(view, lights, renderer, lambda: False)
    width, height = made[0]
    assert width * height == pytest.approx(pixels, rel=0.01)
    assert width / height == pytest.approx(window[0] / window[1], rel=0.01)


def test_a_small_relit_picture_fills_the_screen_in_motion_and_is_shaded_for_it_at_rest(
    document: Document, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With a sixth of the screen's pixels relit: mean and outlines of the traced picture, sharper at rest."""
    monkeypatch.setattr(pipeline, "AHEAD_SECONDS", 0.01)
    monkeypatch.setattr(relit_size, "MIN_PIXELS", 6_400)
    monkeypatch.setattr(relit_size, "MAX_PIXELS", 6_400)
    listener = Listener()
    engine = RenderWorker(listener)
    document = document.change("expose", metering="manual", ev=14.0).change("output", samples=64)
    engine.request(document, *SIZE)
    listener.wait(done)
    listener.wait(lambda e: isinstance(e, Busy) and e.text == "")
    moved = document.change("sun", mode="manual", azimuth_deg=130.0, elevation_deg=35.0)
    moving = wait_for(engine, listener, moved, relit)
    resting = listener.wait(lambda e: relit(e) and e.light.shape[0] == SIZE[1])
    exact = listener.wait(done)
    listener.wait(lambda e: isinstance(e, Busy) and e.text == "")
    # a gain keeps the traced picture, and is relit in motion all the same
    enlarged: list[int] = []
    whole = FineDisplay.enlarge
    monkeypatch.setattr(FineDisplay, "enlarge", lambda *given: enlarged.append(1) or whole(*given))
    dimmed = moved.change("fill", sun_stops=-1.0)
    gain_moving = wait_for(engine, listener, dimmed, relit)
    gain_exact = listener.wait(lambda e: done(e) and e.document is dimmed)
    engine.close()
    gain_off = np.abs(gain_moving.pixels[..., :3].astype(float) - gain_exact.pixels[..., :3]).mean()
    assert gain_moving.light.shape == moving.light.shape and enlarged
    assert gain_off < 8.0
    assert moving.light.shape[0] * moving.light.shape[1] == pytest.approx(6_400, rel=0.02)
    pictures = [frame.pixels[..., :3].astype(float) for frame in (moving, resting, exact)]
    assert {picture.shape for picture in pictures} == {(SIZE[1], SIZE[0], 3)}
    off = [np.abs(picture - pictures[2]).mean() for picture in pictures[:2]]
    assert off[1] < 4.0 and off[0] < 8.0  # codes, some two of them noise of the traced one
    assert off[1] < off[0]


def test_a_held_exposure_is_metered_ten_times_a_second_while_a_hand_moves(
    recorded: tuple[RenderWorker, Listener, Document], monkeypatch: pytest.MonkeyPatch
) -> None:
    engine, _listener, document = recorded
    frames = engine.pipeline.viewport._frames
    frames._meter_at = 0.0  # long ago
    read: list[float] = []
    monkeypatch.setattr(
        "gloamet.preview.frames.exposure_from_document",
        lambda *_: read.append(1.0) or Exposure(13.0, 13.0 + len(read)),
    )
    automatic = document.change("expose", metering="scene")
    request = RenderRequest(automatic, *SIZE, held_ev=13.0)
    picture, seen = np.ones((40, 60, 3), np.float32), frames._relighting.seen()
    moving = [frames._exposure_of(request, picture, seen, True) for _ in range(5)]
    assert len(read) == 1 and {(e.ev, e.metered_ev) for e in moving} == {(13.0, 14.0)}
    assert frames._exposure_of(request, picture, seen, False).metered_ev == 15.0  # at rest at once
    free = RenderRequest(automatic, *SIZE)
    assert frames._exposure_of(free, picture, seen, True).metered_ev == 16.0  # not held: always
