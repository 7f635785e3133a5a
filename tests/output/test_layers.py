# SPDX-License-Identifier: Apache-2.0
"""Layers in a file: what comes back is what was stored, in light that half floats hold."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from gloamet.errors import GloametError
from gloamet.light_layers import even_gains
from gloamet.output.images import save_light
from gloamet.output.layers import StoredLayers, read_layers, save_layers


@pytest.fixture
def layers() -> StoredLayers:
    """Smooth layers, each with values of its own, and a glint beyond the range of half."""
    y, x = np.mgrid[0:64, 0:96].astype(np.float32)
    ramp = np.stack([x / 96, y / 64, 0.5 + 0 * x], -1)
    sun = 20_000.0 * ramp + 10.0
    sun[:8, :8] = 3e6
    lights = {"sun": sun, "sky": 4_000.0 * ramp[::-1] + 5.0, "lamps": np.zeros_like(sun)}
    return StoredLayers(lights, 0.1 + 0.8 * ramp, 2.0 * ramp - 1.0, 5.0 + 0.3 * x)


def test_layers_come_back_as_they_were(tmp_path: Path, layers: StoredLayers) -> None:
    path = tmp_path / "view.exr"
    save_layers(path, layers)
    back = read_layers(path)
    assert set(back.lights) == {"sun", "sky"}  # dark ones take no room
    # half keeps 11 bits (0.05 %); the lossy compression keeps smooth places within 2 %
    for ours, theirs in ((layers.lights[name], back.lights[name]) for name in back.lights):
        inner = ours[16:, 16:]
        assert theirs[16:, 16:] == pytest.approx(inner, rel=0.02)
        assert theirs[16:, 16:].mean((0, 1)) == pytest.approx(
            inner.mean((0, 1)), rel=0.002
        )  # no channel swapped
    assert back.albedo == pytest.approx(layers.albedo, abs=0.02)
    assert back.normal == pytest.approx(layers.normal, abs=0.04)
    assert back.depth == pytest.approx(layers.depth, rel=0.02)
    assert back.lights["sun"][2, 2] == pytest.approx(3e6, rel=0.02)


def test_gains_weigh_the_lights(layers: StoredLayers) -> None:
    picture = layers.light(even_gains(2.0, 0.5, 1.0, 1.0))
    assert picture == pytest.approx(2.0 * layers.lights["sun"] + 0.5 * layers.lights["sky"], rel=1e-6)


def test_another_picture_is_refused_by_a_sentence(tmp_path: Path) -> None:
    with pytest.raises(GloametError, match=r"gone\.exr could not be read"):
        read_layers(tmp_path / "gone.exr")
    save_light(tmp_path / "plain.exr", np.ones((8, 8, 3), np.float32))
    with pytest.raises(GloametError, match=r"plain\.exr holds no layers"):
        read_layers(tmp_path / "plain.exr")
