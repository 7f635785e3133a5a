# SPDX-License-Identifier: Apache-2.0
"""Every measure of the bench runs, at a small size, and gives the figures that its row promises."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cache
from typing import Any

import pytest

from gloamet.bench import comparing, core, desk, developing, fill, opening, relight, sun
from gloamet.commands.bench import _measures

ROWS = {work.__name__: (work, names) for work, names in _measures()}
SLOW = ("compile_cold",)  # `gloamet prepare` on an empty cache: tests/commands/test_prepare.py


def fewer(script: str, *pairs: tuple[str, str]) -> str:
    """A measured script with smaller counts."""
    for old, new in pairs:
        assert old in script, old
        script = script.replace(old, new)
    return script


@pytest.fixture
def small(monkeypatch: pytest.MonkeyPatch) -> None:
    """Little pictures, few runs."""

    def once(work: Callable[[], Any], runs: int = 7) -> float:
        work()
        return 1e-3

    @cache
    def little(script: str, *words: str) -> dict[str, Any]:
        return run_apart(
            script, *("160" if word == "960" else "90" if word == "540" else word for word in words)
        )

    def once_a_script(script: str, *words: str, cache: str | None = None) -> dict[str, Any]:
        return little(script, *words) if "opening" in script else little(script, "house", "960", "540")

    run_apart = desk.run_apart
    monkeypatch.setattr(core, "best", once)
    for module in (core, relight):
        monkeypatch.setattr(module, "WIDTH", 64)
        monkeypatch.setattr(module, "HEIGHT", 36)
    monkeypatch.setattr(fill, "best", once)
    monkeypatch.setattr(developing, "best", once)
    monkeypatch.setattr(developing, "FULL_HD", (36, 64))
    monkeypatch.setattr(developing, "RUNS", 1)
    monkeypatch.setattr(comparing, "best", once)
    monkeypatch.setattr(comparing, "THUMB", (64, 36))
    monkeypatch.setattr(comparing, "PICTURE", (40, 64))
    monkeypatch.setattr(comparing, "STEPS", (2, 1))
    small_fill = (("FILM_SIZE", (64, 36)), ("RELIT_SIZE", (64, 36)), ("LARGE", 512), ("TURNS", 1))
    for name, size in small_fill:
        monkeypatch.setattr(fill, name, size)
    monkeypatch.setattr(core, "SHAFT_SIZE", (24, 16))
    monkeypatch.setattr(core, "SHAFT_SAMPLES", 1)
    for name, value in (("SQUARES", 20), ("SAMPLES", 8), ("AT_ONCE", 8), ("DRAG", 1), ("MOST_SECONDS", 0.1)):
        monkeypatch.setattr(relight, name, value)
    monkeypatch.setattr(relight, "SUNS", relight.SUNS[:2])
    for name, value in (("MESHES", 2), ("ROWS", 12), ("TREES", 5), ("TREE_TRIANGLES", 200)):
        monkeypatch.setattr(opening, name, value)
    monkeypatch.setattr(sun, "BEST_OF", 1)
    monkeypatch.setattr(opening, "RUNS", 1)
    monkeypatch.setattr(opening, "_OPEN", fewer(opening._OPEN, ("sleep(1.0)", "sleep(0.1)")))
    for module in (desk, sun, opening):
        monkeypatch.setattr(module, "run_apart", once_a_script)
    draft = ("demo_document()", "demo_document().change('stage', quality='draft')")
    small_window = ("window.show()", "window.resize(window.minimumSize())\nwindow.show()")
    hand = fewer(desk._HAND, ('"left": 12', '"left": 1'), ("== 200", "== 5"), draft, small_window)
    monkeypatch.setattr(desk, "_HAND", hand)
    monkeypatch.setattr(desk, "_RELIGHT", fewer(desk._RELIGHT, ("== 25", "== 9"), ("3 * 19", "3")))
    monkeypatch.setattr(
        desk,
        "_CANCEL",
        fewer(
            desk._CANCEL,
            ("range(20)", "range(1)"),
            ("waits[10]", "waits[0]"),
            ("744, 628", "160, 100"),
            draft,
        ),
    )
    monkeypatch.setattr(
        sun, "_OVERLAY", fewer(sun._OVERLAY, ("== 80", "== 14"), ("960", "240"), ("540", "135"), draft)
    )


@pytest.mark.parametrize("name", [name for name in ROWS if name not in SLOW])
def test_a_measure_gives_its_figures(name: str, small: None) -> None:
    work, names = ROWS[name]
    found = work()
    missing = set(names) - set(found)
    assert missing <= {"rays_vs_embree"}  # needs the library's own C interface, which may be absent
    assert set(found) <= set(names)
    assert all(math.isfinite(value) and value >= 0.0 for value in found.values())
