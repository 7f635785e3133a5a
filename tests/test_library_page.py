# SPDX-License-Identifier: Apache-2.0
"""The examples of docs/library.md run, one after the other, and make what they say."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

PAGE = Path(__file__).parents[1] / "docs" / "library.md"


def test_the_examples_of_the_library_page_run(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    names: dict[str, object] = {}
    blocks = re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.S)
    assert len(blocks) == 5
    for number, block in enumerate(blocks):
        exec(compile(block, f"library.md, example {number + 1}", "exec"), names)  # noqa: S102
    told = capsys.readouterr().out
    azimuths = [float(found) for found in re.findall(r"azimuth ([\d.]+)", told)]
    assert azimuths[0] == pytest.approx(azimuths[1], abs=0.5)  # the sun that was drawn is found again
    evening = names["evening"]
    assert isinstance(evening, np.ndarray) and evening.shape[:2] == (128, 192) and (evening >= 0.0).all()
    assert (tmp_path / "pail.png").stat().st_size > 1000
