# SPDX-License-Identifier: Apache-2.0
"""Decoders that may hang or eat memory: their limits, and what is said then."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from gloamet.errors import GloametError
from gloamet.stage.readers import sandbox
from gloamet.stage.readers.progress import Cancelled, ProgressToken


@pytest.fixture
def sleeper(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A decoder that never ends; it writes its number into the file returned."""
    number, program = tmp_path / "number", tmp_path / "decoder"
    program.write_text(f"#!/bin/sh\necho $$ > {number}\nexec sleep 60\n")
    program.chmod(0o755)
    monkeypatch.setattr(sandbox.sys, "executable", str(program))
    return number


def gone(number: Path) -> bool:
    return not Path(f"/proc/{number.read_text().strip()}").exists()


def test_a_reader_that_hangs_is_stopped_after_its_time_and_said(
    sleeper: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sandbox, "TIME_LIMIT_S", 1)
    begin = time.monotonic()
    with pytest.raises(GloametError, match=r"house\.usdc took more than 1 s to read"):
        sandbox._run("house.usdc", "usd", tmp_path / "in", tmp_path / "out", ProgressToken())
    assert 1.0 <= time.monotonic() - begin < 10.0
    assert gone(sleeper)


def test_a_reader_is_stopped_with_the_import_it_works_for(sleeper: Path, tmp_path: Path) -> None:
    begun = ProgressToken(stopped=lambda: sleeper.exists() and sleeper.read_text() != "")
    with pytest.raises(Cancelled):
        sandbox._run("house.usdc", "usd", tmp_path / "in", tmp_path / "out", begun)
    assert gone(sleeper)


def test_a_reader_that_dies_is_a_damaged_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sandbox.sys, "executable", "/bin/false")
    with pytest.raises(GloametError, match=r"house\.usdc is damaged"):
        sandbox._run("house.usdc", "usd", tmp_path / "in", tmp_path / "out", ProgressToken())


def test_a_reader_that_was_killed_gets_a_second_try_and_no_third(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    tries, program = tmp_path / "tries", tmp_path / "decoder"
    program.write_text(f'#!/bin/sh\necho x >> {tries}\n[ "$(wc -l < {tries})" -gt $KILLS ] || kill -9 $$\n')
    program.chmod(0o755)
    monkeypatch.setattr(sandbox.sys, "executable", str(program))
    monkeypatch.setenv("KILLS", "1")
    sandbox._run("house.usdc", "usd", tmp_path / "in", tmp_path / "out", ProgressToken())
    assert len(tries.read_text().split()) == 2
    tries.unlink()
    monkeypatch.setenv("KILLS", "9")
    with pytest.raises(GloametError, match=r"house\.usdc is damaged"):
        sandbox._run("house.usdc", "usd", tmp_path / "in", tmp_path / "out", ProgressToken())
    assert len(tries.read_text().split()) == 2
