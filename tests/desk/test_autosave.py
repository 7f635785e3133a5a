# SPDX-License-Identifier: Apache-2.0
"""Nothing is lost: what a window has open is written, and is there after a crash."""

from __future__ import annotations

import contextlib
import json
import os
import random
import signal
import subprocess
import sys
import textwrap
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from gloamet.desk.files.autosave import EVERY_MS, Autosave, left_behind, state_folder, take_up
from gloamet.desk.state.session import Session
from gloamet.document.file import load_document

KILLS, INTERVAL_MS = 20, 100
SLACK_S = 1.0  # a busy machine's own, over the interval


@pytest.fixture(autouse=True)
def own_state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


def test_unsaved_work_is_written_and_taken_up_after_a_crash(
    own_state: None, session: Session, tmp_path: Path
) -> None:
    autosave = Autosave(session)
    assert not autosave.write()  # nothing to lose yet
    session.change("air", turbidity=6.5)
    assert autosave.write()
    assert not autosave.write()  # the same document is not written twice
    assert load_document(autosave.folder / "work.gloamet").air.turbidity == 6.5
    assert left_behind() == []  # this window holds it
    assert autosave._lock is not None
    autosave._lock.close()  # the program is gone
    autosave._lock = None
    (left,) = left_behind()
    store = take_up(left)
    assert store.current.air.turbidity == 6.5
    assert store.dirty
    assert store.current == session.document
    autosave.close()
    assert left_behind() == []


def test_two_windows_each_have_their_own(own_state: None, session: Session) -> None:
    one, other = Autosave(session), Autosave(session)
    session.change("air", turbidity=6.5)
    assert one.write() and other.write()
    assert one.folder != other.folder
    one.close()
    assert other.folder.exists() and not one.folder.exists()
    other.close()


def test_a_saved_document_leaves_nothing_behind(own_state: None, session: Session, tmp_path: Path) -> None:
    autosave = Autosave(session)
    session.change("air", turbidity=6.5)
    assert autosave.write()
    assert session.save(tmp_path / "p.gloamet")
    autosave.write()
    assert not autosave.folder.exists()
    autosave.close()


# a window is driven in each of many children of one process, so that its libraries are loaded once
DRIVEN = """
    import json, os, sys, time
    from PySide6.QtCore import QCoreApplication, QTimer
    from gloamet.desk.files import autosave
    from gloamet.desk.state.session import Session

    def drive(log):
        app = QCoreApplication([])
        autosave.EVERY_MS = int(sys.argv[1])
        session = Session()
        work = autosave.Autosave(session)
        done = [0]

        def change():
            done[0] += 1
            if done[0] % 7 == 0:
                session.undo()
            session.change("output", samples=1 + done[0])
            log.write(json.dumps([time.monotonic(), session.document.output.samples]) + "\\n")
            log.flush()

        timer = QTimer(interval=5)
        timer.timeout.connect(change)
        timer.start()
        app.exec()

    for name in sys.argv[2:]:
        child = os.fork()
        if child == 0:
            with open(name, "w") as log:
                drive(log)
        print(child, flush=True)
        sys.stdin.readline()
        os.waitpid(child, 0)
        print("gone", flush=True)
"""


@pytest.fixture
def driver(tmp_path: Path) -> Iterator[subprocess.Popen[str]]:
    """The process whose children are driven, and no child left of it."""
    logs = [str(tmp_path / f"{k}.log") for k in range(KILLS)]
    words = [sys.executable, "-c", textwrap.dedent(DRIVEN), str(INTERVAL_MS), *logs]
    pipe = subprocess.PIPE
    process = subprocess.Popen(words, stdin=pipe, stdout=pipe, text=True, start_new_session=True)
    yield process
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


def test_twenty_killed_programs_lose_no_more_than_one_interval_each(
    driver: subprocess.Popen[str], tmp_path: Path
) -> None:
    assert EVERY_MS == 20_000  # what an artist may lose; here it is shorter
    assert driver.stdout is not None and driver.stdin is not None
    known: set[Path] = set()
    chance = random.Random(5)
    for number in range(KILLS):
        log = tmp_path / f"{number}.log"
        child = int(driver.stdout.readline())
        end = time.monotonic() + 60.0
        while (not log.exists() or log.read_text().count("\n") < 3) and time.monotonic() < end:
            time.sleep(0.01)
        time.sleep(INTERVAL_MS / 1000 + SLACK_S / 4 + chance.uniform(0.0, 2 * INTERVAL_MS / 1000))
        os.kill(child, signal.SIGKILL)
        driver.stdin.write("\n")
        driver.stdin.flush()
        driver.stdout.readline()
        steps = [json.loads(line) for line in log.read_text().splitlines() if line.endswith("]")]
        (left,) = (one for one in left_behind() if one.folder not in known)
        known.add(left.folder)
        samples = take_up(left).current.output.samples
        when = {step: at for at, step in steps}
        assert steps[-1][0] - when[samples] < INTERVAL_MS / 1000 + SLACK_S
    assert set(state_folder().iterdir()) == known  # nothing half is left
