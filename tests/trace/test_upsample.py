# SPDX-License-Identifier: Apache-2.0
"""Previews: enlarging keeps light and edges; cleaning keeps the mean and can be cancelled."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from gloamet.sky.dome import uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.denoise import denoise, denoise_prefiltered
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from gloamet.trace.upsample import features_from_film, resize_bilinear, upsample
from tests.conftest import box, level, make_scene

CAMERA = Camera((0.0, -8.0, 3.0), (0.0, 0.0, 1.0), 40.0)


@pytest.fixture(scope="module")
def films(tracer: Renderer) -> tuple[Film, Film]:
    """The same view small and large: a dark box on a light ground."""
    scene = make_scene(
        (level(50.0), Material("light", (0.8, 0.8, 0.8))),
        (box((-1, -1, 0), (1, 1, 2)), Material("dark", (0.1, 0.1, 0.1))),
    )
    compiled, lights = build_render_scene(scene), build_environment(uniform_dome(100.0))
    small, large = Film(24, 20), Film(144, 120)
    for film in (small, large):
        assert tracer.accumulate(film, compiled, lights, CAMERA, 64)
    return small, large


def test_enlarging_is_close_to_the_large_picture_and_sharper_than_stretching(
    films: tuple[Film, Film],
) -> None:
    small, large = films
    features = features_from_film(large, 2)
    with ThreadPoolExecutor(2) as pool:
        out = upsample(small.light(), features_from_film(small, 1), features, pool)
    wanted = large.light().reshape(60, 2, 72, 2, 3).mean((1, 3))
    assert out.shape == wanted.shape
    assert out.mean() == pytest.approx(wanted.mean(), rel=0.03)
    stretched = small.light().repeat(3, 0).repeat(3, 1)
    assert np.abs(out - wanted).mean() < 0.65 * np.abs(stretched - wanted).mean()


def test_cleaning_keeps_the_mean_and_lessens_the_noise(films: tuple[Film, Film]) -> None:
    _, large = films
    rng = np.random.default_rng(0)
    noisy = (large.light() * rng.uniform(0.5, 1.5, large.light().shape)).astype(np.float32)
    clean = denoise(noisy, large)
    assert clean is not None
    assert clean.mean() == pytest.approx(noisy.mean(), rel=0.02)
    assert np.abs(clean - large.light()).mean() < 0.3 * np.abs(noisy - large.light()).mean()


def test_a_cancelled_cleaning_gives_nothing_and_the_next_one_works(films: tuple[Film, Film]) -> None:
    _, large = films
    assert denoise(large.light(), large, cancelled=lambda: True) is None
    assert denoise(large.light(), large) is not None


def test_best_denoising_is_nearer_even_with_noisy_features_and_keeps_the_film(
    films: tuple[Film, Film],
) -> None:
    _, large = films
    rng = np.random.default_rng(0)
    noisy_guides = Film(large.width, large.height)
    for name, layer in large.layers.items():
        noisy_guides.layers[name] = layer.copy()
    noisy_guides.layers["albedo"] *= rng.uniform(0.6, 1.4, layer.shape[:2])[..., None].astype(np.float32)
    kept = {name: layer.copy() for name, layer in noisy_guides.layers.items()}
    noisy = [
        (fraction * large.light() * rng.uniform(0.3, 1.7, large.light().shape)).astype(np.float32)
        for fraction in (0.25, 0.75)
    ]
    quick, best = denoise(noisy[0] + noisy[1], noisy_guides), denoise_prefiltered(noisy, noisy_guides)
    assert quick is not None
    assert best is not None
    off = [np.abs(clean - large.light()).mean() for clean in (quick, best[0] + best[1])]
    assert off[1] < off[0]
    for part, light in zip(best, noisy, strict=True):
        assert part.mean() == pytest.approx(light.mean(), rel=0.03)
    assert all(np.array_equal(kept[name], layer) for name, layer in noisy_guides.layers.items())
    assert denoise_prefiltered(noisy, noisy_guides, cancelled=lambda: True) is None


def test_a_broken_pixel_does_not_spoil_the_cleaning(films: tuple[Film, Film]) -> None:
    _, large = films
    picture = large.light()
    picture[5, 5] = np.nan
    clean = denoise(picture, large)
    assert clean is not None
    assert np.isfinite(clean).all()


def test_stretching_keeps_a_ramp_and_its_mean() -> None:
    ramp = np.broadcast_to(np.arange(8, dtype=np.float32)[None, :, None], (6, 8, 3))
    assert resize_bilinear(ramp, (6, 8)) is ramp
    big = resize_bilinear(ramp, (9, 12))
    assert big.shape == (9, 12, 3)
    assert big.mean() == pytest.approx(ramp.mean(), rel=1e-5)
    assert np.diff(big[4, 1:-1, 0]) == pytest.approx(8 / 12, rel=1e-4)
