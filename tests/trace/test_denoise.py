# SPDX-License-Identifier: Apache-2.0
"""Denoising keeps the light that a few samples hold."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.trace.denoise import HIGHLIGHT_THRESHOLD, denoise, match_mean_luminance
from gloamet.trace.film import Film


def glints(fraction: float, level: float) -> np.ndarray:
    """A dim wall (48, 64, 3) of 0.1 beside a bright window of 20, with rare glints on the wall."""
    rng = np.random.default_rng(3)
    picture = np.full((48, 64, 3), 0.1, np.float32)
    picture[rng.random((48, 64)) < fraction] = level
    picture[:, 56:] = 20.0
    return picture


def test_rare_glints_lost_in_cleaning_are_given_back_where_it_is_dim() -> None:
    noisy = glints(0.02, 50.0)
    clean = glints(0.0, 0.0)
    kept = match_mean_luminance(clean, noisy)
    wall, window = np.s_[:, :56], np.s_[:, 56:]
    assert kept[wall].mean() == pytest.approx(noisy[wall].mean(), rel=0.02)
    assert kept[window].mean() == pytest.approx(20.0, rel=0.05)
    assert np.ptp(kept[wall]) < 1e-4  # no glint of it came back


def test_bright_things_smeared_in_cleaning_do_not_make_the_picture_brighter() -> None:
    noisy, clean = glints(0.02, 50.0), glints(0.0, 0.0)
    clean[:, 48:56] = 2.0
    assert clean[0, 50, 0] > HIGHLIGHT_THRESHOLD * np.median(clean)
    assert match_mean_luminance(clean, noisy).mean() == pytest.approx(noisy.mean(), rel=1e-3)


def test_a_table_under_a_bright_smeared_lamp_keeps_its_light() -> None:
    noisy, clean = glints(0.0, 0.0), glints(0.0, 0.0)
    noisy[:, 40:56] = clean[:, 40:56] = 0.8  # of the table
    noisy[:, 56:], clean[:, 52:] = 20.0, 25.0  # of the lamp
    table = np.s_[:, 40:52]
    assert match_mean_luminance(clean, noisy)[table] == pytest.approx(noisy[table], rel=1e-3)
    assert match_mean_luminance(clean, noisy).mean() == pytest.approx(noisy.mean(), rel=1e-3)


def test_a_lit_corner_of_the_night_keeps_its_light() -> None:
    noisy, clean = glints(0.02, 50.0), glints(0.0, 0.0)
    noisy[:, 20:], clean[:, 20:] = 0.0, 1e-6
    assert match_mean_luminance(clean, noisy)[:, :20].mean() == pytest.approx(noisy[:, :20].mean(), rel=1e-3)


def test_a_clean_picture_or_a_dark_one_stays_as_it_is() -> None:
    picture = glints(0.0, 0.0)
    assert match_mean_luminance(picture, picture) == pytest.approx(picture, rel=1e-5)
    dark = np.zeros((8, 8, 3), np.float32)
    assert not match_mean_luminance(dark, dark).any()


def test_each_colour_is_given_back_and_places_keep_their_difference_of_hue() -> None:
    hue, turn = np.float32([1.5, 1.0, 0.5]), np.float32([1.0, 0.5, 0.25])
    noisy, clean = glints(0.02, 50.0) * hue, glints(0.0, 0.0)
    noisy[:, :28] *= turn
    clean[:, :28] *= turn
    kept, wall = match_mean_luminance(clean, noisy), np.s_[:, :56]
    assert kept[wall].mean((0, 1)) == pytest.approx(noisy[wall].mean((0, 1)), rel=0.02)
    assert kept[0, 0] / kept[0, 50] == pytest.approx(turn, rel=1e-3)


def test_a_cancelled_cleaning_gives_nothing() -> None:
    film = Film(64, 48)
    film.layers["counts"][:] = 1.0
    assert denoise(glints(0.02, 50.0), film, cancelled=lambda: True) is None
