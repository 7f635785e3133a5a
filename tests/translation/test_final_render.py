# SPDX-License-Identifier: Apache-2.0
"""When a picture is done: at its samples, at its noise, and never in between for want of a number."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.trace.film import Film
from gloamet.translation.final_render import StopCriterion, pass_paths, plan_next_pass


@pytest.mark.parametrize("samples", [1, 2, 7])
def test_so_few_samples_that_noise_cannot_be_judged_are_simply_traced(samples: int) -> None:
    film, aim = Film(24, 16), StopCriterion(samples, noise=0.03)
    for _ in range(samples):
        step = plan_next_pass(film, aim, 24 * 16.0)
        assert step.wanted.max() == step.wanted.min() == 1 and not step.done
        film.layers["counts"] += step.wanted
        film.layers["sun"] += np.float32(1.0)
    assert plan_next_pass(film, aim, 24 * 16.0).done


def test_a_pass_takes_a_sixteenth_of_the_samples_and_at_least_half_a_million_paths() -> None:
    film = Film(400, 300)
    assert pass_paths(film) == 5e5
    film.layers["counts"][:] = 1000.0  # 120 million
    assert pass_paths(film) == pytest.approx(7.5e6)
