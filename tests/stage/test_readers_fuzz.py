# SPDX-License-Identifier: Apache-2.0
"""Every format survives damage: no crash, no hang, no flood of memory, always a sentence.

GLOAMET_FUZZ=500 reads five hundred files of each format instead of a few.
"""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

COUNT = int(os.environ.get("GLOAMET_FUZZ", "60"))
ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize("kind", ["glb", "gltf", "obj", "ply", "stl", "usda", "usdc", "usdz"])
def test_damaged_files_end_as_a_scene_or_a_sentence(kind: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "tests.stage.fuzz", kind, str(COUNT), "7"],
        capture_output=True,
        text=True,
        timeout=60 + 3 * COUNT,
        cwd=ROOT,
        check=False,
    )
    assert done.returncode == 0, done.stderr[-2500:]
    assert f"{COUNT} files" in done.stdout
