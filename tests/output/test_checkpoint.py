# SPDX-License-Identifier: Apache-2.0
"""Long renders: stopped, kept, resumed, and refused when they are of something else."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from gloamet.errors import GloametError
from gloamet.output.checkpoint import Checkpoint, digest_of
from gloamet.sky.dome import uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.film import BYTES_PER_PIXEL, Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import RenderScene, build_render_scene
from gloamet.translation.final_render import Progress, StopCriterion, render
from gloamet.translation.memory import check_memory, memory_free, memory_needed
from tests.conftest import box, level, make_scene

GREY = Material("grey", (0.5, 0.5, 0.5))
CAMERA = Camera((0.0, -9.0, 4.0), (0.0, 0.0, 0.0), 40.0)
LIGHTS = build_environment(uniform_dome(1.0))


@pytest.fixture(scope="module")
def stage() -> RenderScene:
    return build_render_scene(make_scene((level(5.0), GREY)))


def rendered(
    stage: RenderScene, film: Film, aim: StopCriterion, passes: int = 1000, keep=lambda f: None
) -> Film:  # type: ignore[no-untyped-def]
    """Render, stopped after some passes."""
    seen: list[Progress] = []
    render(film, stage, LIGHTS, CAMERA, aim, Renderer(2), seen.append, lambda: len(seen) >= passes, keep)
    assert [p.fraction for p in seen] == sorted(p.fraction for p in seen)
    return film


def test_a_stopped_render_taken_up_again_is_the_one_that_was_not_stopped(
    stage: RenderScene, tmp_path: Path
) -> None:
    aim = StopCriterion(96)
    whole = rendered(stage, Film(32, 24), aim)
    begun = Film(32, 24)
    mark = digest_of(stage, LIGHTS, CAMERA, begun, aim.bounces)
    kept = Checkpoint(tmp_path / "night.unfinished", mark)
    assert not kept.fits() and not kept.resume(begun)
    rendered(stage, begun, aim, passes=1, keep=lambda f: kept.save(f, 0.0))
    assert 0 < begun.samples_in(None) < 96
    again = Film(32, 24)
    assert kept.fits() and kept.resume(again)
    rendered(stage, again, aim)
    assert (again.light() == whole.light()).all()
    assert again.rays == whole.rays
    kept.remove()
    assert not kept.path.exists()


def test_a_noise_goal_gives_the_same_picture_at_any_pace_thread_count_and_stop(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    block = make_scene((level(5.0), GREY), (box((-1.0, -1.0, 0.0), (1.0, 1.0, 2.0)), GREY))
    stage, aim = build_render_scene(block), StopCriterion(400, noise=0.03)
    monkeypatch.setattr("gloamet.translation.final_render.FIRST_PATHS", 20_000)
    whole = rendered(stage, Film(64, 48), aim)
    spread = whole.layers["counts"]
    assert spread.min() < spread.max() < 400
    monkeypatch.setattr("gloamet.translation.final_render.REPORT_SECONDS", 1e-4)  # a pass in many parts
    mark, path = digest_of(stage, LIGHTS, CAMERA, whole, aim.bounces), tmp_path / "night.unfinished"
    film, halves = Film(64, 48), 0
    while film.mean_samples() < whole.mean_samples():
        film = Film(64, 48)
        Checkpoint(path, mark).resume(film)
        asked = iter(range(70))
        render(
            film,
            stage,
            LIGHTS,
            CAMERA,
            aim,
            Renderer(1),
            stopped=lambda asked=asked: next(asked, None) is None,
        )
        halves += film.pending_samples is not None and bool(film.pending_samples.any())
        Checkpoint(path, mark).save(film, 0.0)
    assert halves > 3  # stopped in the middle of a pass
    for name, layer in whole.layers.items():
        assert (film.layers[name] == layer).all(), name
    assert film.rays == whole.rays


def test_a_resumed_render_traces_no_more_than_the_samples_asked_for(
    stage: RenderScene, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(
        "gloamet.translation.final_render.REPORT_SECONDS", 1e-5
    )  # a pass in parts of a few rows
    film = rendered(stage, Film(32, 24), StopCriterion(96), passes=2)
    counts = film.layers["counts"]
    behind, ahead = int(counts.min()), int(counts.max())
    assert film.pending_samples is not None and film.pending_samples.any() and behind + 2 < ahead
    waiting = counts == behind
    rendered(stage, film, StopCriterion(behind + 2))
    assert (counts[waiting] == behind + 2).all() and (counts[~waiting] == ahead).all()


def test_a_checkpoint_of_another_picture_is_refused_and_stays(stage: RenderScene, tmp_path: Path) -> None:
    film, path = Film(16, 16), tmp_path / "a.unfinished"
    Checkpoint(path, digest_of(stage, LIGHTS, CAMERA, film, 4)).save(film, 0.0)
    other = build_render_scene(make_scene((level(5.1), GREY)))
    marks = {
        digest_of(other, LIGHTS, CAMERA, film, 4),
        digest_of(stage, build_environment(uniform_dome(2.0)), CAMERA, film, 4),
        digest_of(stage, LIGHTS, Camera((0.0, -9.0, 4.1), (0.0, 0.0, 0.0), 40.0), film, 4),
        digest_of(stage, LIGHTS, CAMERA, film, 5),
        digest_of(stage, LIGHTS, CAMERA, Film(16, 16, seed=1), 4),
    }
    assert len(marks) == 5
    for mark in marks:
        with pytest.raises(GloametError, match="another picture"):
            Checkpoint(path, mark).resume(Film(16, 16))
        assert not Checkpoint(path, mark).fits()
    assert Checkpoint(path, digest_of(stage, LIGHTS, CAMERA, film, 4)).fits()


def test_a_damaged_checkpoint_is_a_sentence_and_a_full_disk_leaves_the_older_one(
    stage: RenderScene, tmp_path: Path
) -> None:
    film, path = Film(16, 16), tmp_path / "a.unfinished"
    mark = digest_of(stage, LIGHTS, CAMERA, film, 4)
    kept = Checkpoint(path, mark)
    kept.save(film, 0.0)
    whole = path.read_bytes()
    kept.save(film)  # a minute has not gone by
    assert path.read_bytes() == whole
    (tmp_path / "a.unfinished.part").mkdir()  # nothing can be written there
    kept.save(film, 0.0)
    assert "free some space" in kept.problem  # said, and no reason to lose the render
    assert path.read_bytes() == whole
    path.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(GloametError, match="damaged"):
        Checkpoint(path, mark).resume(Film(16, 16))


def test_a_checkpoint_is_written_a_minute_after_the_last_one_and_not_before(
    stage: RenderScene, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = iter(
        (0.0, 59.0, 61.0, 62.0, 100.0, 123.0, 124.0)
    )  # begun, asked, asked, written, asked, asked, written
    monkeypatch.setattr("gloamet.output.checkpoint.time.monotonic", lambda: next(clock))
    kept = Checkpoint(tmp_path / "night.unfinished", "mark")
    film, written = Film(8, 8), []
    for _ in range(4):
        kept.path.unlink(missing_ok=True)
        kept.save(film)
        written.append(kept.path.exists())
    assert written == [False, True, False, True]


def test_memory_grows_with_the_picture_and_too_much_is_refused(
    stage: RenderScene, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    small, large = (memory_needed(stage, side, side, True) for side in (100, 1000))
    assert large - small > 990_000 * BYTES_PER_PIXEL
    assert memory_needed(stage, 100, 100, False) < small
    free = memory_free()
    assert free is not None and free > 0
    film = Film(10, 10)
    assert sum(layer.nbytes for layer in film.layers.values()) == 100 * BYTES_PER_PIXEL
    check_memory(free // 2)
    with monkeypatch.context() as patched:
        patched.setattr("gloamet.translation.memory.memory_free", lambda: 2_000_000_000)
        check_memory(2_000_000_000)
        with pytest.raises(GloametError, match=r"needs about 2\.1 GB of memory and 2\.0 GB are free"):
            check_memory(2_060_000_000)
        patched.setattr("gloamet.translation.memory.memory_free", lambda: None)
        check_memory(2**60)  # where the system does not tell, the picture is tried
    with pytest.raises(GloametError, match="smaller size"):
        check_memory(50 * free)
    assert memory_free(Path("/nowhere")) is None
    table = tmp_path / "meminfo"
    table.write_text("MemTotal:  8000 kB\nMemFree:  100 kB\nMemAvailable:  3000 kB\n", encoding="ascii")
    assert memory_free(table) == 3000 * 1024  # proc(5): kB there are 1024 bytes


def test_a_rectangle_is_traced_to_its_aim_and_the_rest_a_little(stage: RenderScene) -> None:
    film = rendered(stage, Film(32, 24), StopCriterion(40, region=(8, 8, 24, 16)))
    counts = film.layers["counts"]
    assert (counts[8:16, 8:24] == 40).all()
    counts[8:16, 8:24] = 8
    assert (counts == 8).all() and np.isfinite(film.light()).all()
