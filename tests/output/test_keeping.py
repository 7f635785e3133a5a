# SPDX-License-Identifier: Apache-2.0
"""Kept pictures: whole or not there, read back as they were, missing files told."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.output.keeping import (
    Snapshot,
    discard,
    keep,
    kept_document,
    kept_folder,
    kept_pictures,
    mark,
    moved,
)
from gloamet.output.light_file import read_light_file

WHEN = datetime(2026, 5, 24, 9, 30)


def snapshot(turbidity: float = 3.0, brightness: float = 300.0) -> Snapshot:
    pixels = np.full((20, 30, 4), 128, np.uint8)
    light = np.full((20, 30, 3), brightness, np.float32)
    return Snapshot(Document().change("air", turbidity=turbidity), pixels, light, 64, 12.5, 14.2)


def test_a_kept_picture_comes_back_as_it_was(tmp_path: Path) -> None:
    kept = keep(tmp_path / "p.kept", snapshot(), WHEN)
    (again,), said = kept_pictures(tmp_path / "p.kept")
    assert said == []
    assert again == kept
    assert (again.when, again.samples, again.ev, again.star, again.missing) == (WHEN, 64, 14.2, False, ())
    assert kept_document(again) == snapshot().document
    light = read_light_file(again.light)
    assert light.absolute
    assert light.picture == pytest.approx(snapshot().light, rel=1e-3)  # half has 11 bits
    assert again.size_bytes == sum(p.stat().st_size for p in (again.path, again.picture, again.light))


def test_the_sun_in_the_frame_fits_into_half(tmp_path: Path) -> None:
    kept = keep(tmp_path, snapshot(brightness=1.5e9), WHEN)
    assert read_light_file(kept.light).picture.max() == pytest.approx(65504.0 * 1000.0, rel=1e-3)


def test_stars_and_notes_are_kept_and_order_is_by_time(tmp_path: Path) -> None:
    second = keep(tmp_path, snapshot(), datetime(2026, 5, 24, 10, 0))
    first = keep(tmp_path, snapshot(), WHEN)
    assert [k.name for k in kept_pictures(tmp_path)[0]] == [first.name, second.name]
    starred = mark(first, star=True, note="the low one")
    assert (starred.star, starred.note) == (True, "the low one")
    assert mark(starred, note="").star
    assert kept_document(starred) == snapshot().document


def test_a_missing_picture_is_told_and_its_settings_still_open(tmp_path: Path) -> None:
    kept = keep(tmp_path, snapshot(), WHEN)
    kept.picture.unlink()
    (again,), _ = kept_pictures(tmp_path)
    assert again.missing == (kept.picture.name,)
    assert kept_document(again) == snapshot().document


def test_what_is_taken_away_is_gone_from_the_disk(tmp_path: Path) -> None:
    first, second = keep(tmp_path, snapshot(), WHEN), keep(tmp_path, snapshot(5.0), WHEN)
    discard([first])
    assert [k.name for k in kept_pictures(tmp_path)[0]] == [second.name]
    assert sorted(p.stem for p in tmp_path.iterdir()) == [second.name] * 3
    assert keep(tmp_path, snapshot(), WHEN).name == first.name  # its number is free again


def test_a_damaged_one_is_told_and_the_others_stay(tmp_path: Path) -> None:
    keep(tmp_path, snapshot(), WHEN)
    (tmp_path / "002.json").write_text("{")
    (tmp_path / "003.json").write_text('{"kept": 99}')
    found, said = kept_pictures(tmp_path)
    assert len(found) == 1
    assert any("002.json is damaged" in s for s in said)
    assert any("update Gloamet" in s for s in said)


def test_pictures_go_with_a_project_that_gets_its_first_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    before = kept_folder(None, "Salt flat: 1")
    assert before.parent == tmp_path / "state" / "gloamet" / "kept"
    keep(before, snapshot(), WHEN)
    after = kept_folder(tmp_path / "house.gloamet", "house")
    assert after == tmp_path / "house.kept"
    moved(before, after)
    assert not before.exists()
    assert kept_document(kept_pictures(after)[0][0]) == snapshot().document


def test_a_folder_that_cannot_be_written_is_told(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    with pytest.raises(GloametError, match="cannot be made"):
        keep(tmp_path / "file" / "p.kept", snapshot(), WHEN)


def test_windows_that_keep_at_once_take_names_of_their_own(tmp_path: Path) -> None:
    with ThreadPoolExecutor(8) as pool:
        jobs = [pool.submit(keep, tmp_path, snapshot(1.0 + k), WHEN) for k in range(16)]
        kept = [job.result() for job in jobs]
    assert len({one.name for one in kept}) == 16
    assert {kept_document(one).air.turbidity for one in kept} == {1.0 + k for k in range(16)}


def test_a_program_that_is_killed_while_keeping_leaves_a_whole_one_or_none(tmp_path: Path) -> None:
    script = """
        import sys
        from datetime import datetime
        from pathlib import Path
        from tests.output.test_keeping import snapshot
        from gloamet.output.keeping import keep
        print("ready", flush=True)
        while True:
            keep(Path(sys.argv[1]), snapshot(), datetime.now())
    """
    for round_ in range(4):
        folder = tmp_path / str(round_)
        arguments = [sys.executable, "-c", textwrap.dedent(script), str(folder)]
        process = subprocess.Popen(arguments, stdout=subprocess.PIPE, cwd=Path(__file__).parents[2])
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(0.15 + 0.07 * round_)
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        found, said = kept_pictures(folder)
        assert said == []
        for kept in found:
            assert kept.missing == ()
            assert kept_document(kept) == snapshot().document
            assert read_light_file(kept.light).picture.shape == (20, 30, 3)
