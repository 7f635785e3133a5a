# SPDX-License-Identifier: Apache-2.0
"""A node of the pipeline makes nothing twice, and nothing from old inputs."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.memo import Memo
from gloamet.sky.dome import uniform_dome


def test_equal_inputs_are_made_once_and_others_anew() -> None:
    made: list[tuple[object, ...]] = []

    def make(*inputs: object) -> list[object]:
        made.append(inputs)
        return [*inputs]

    node = Memo(make, keep=2)
    first = node(1, (2.0, "a"))
    assert node(1, (2.0, "a")) is first
    assert node(1, (2.5, "a")) is not first
    assert node(1, (2.0, "a")) is first  # going back costs nothing
    assert len(made) == 2
    node(3, ())
    node(1, (2.5, "a"))  # the one that was not asked for longest has gone
    assert len(made) == 4
    assert (1, (2.5, "a")) in node and (1, (2.0, "a")) not in node


def test_what_holds_arrays_is_equal_only_to_itself() -> None:
    node: Memo[float] = Memo(lambda dome: float(dome.table.max()))
    one, other = uniform_dome(1.0), uniform_dome(1.0)
    node(one)
    assert (one,) in node and (other,) not in node
    assert np.array_equal(one.table, other.table)


def test_a_failure_is_passed_on_and_not_kept() -> None:
    answers = [ValueError("no"), 7]

    def make(_input: int) -> int:
        answer = answers.pop(0)
        if isinstance(answer, Exception):
            raise answer
        return answer

    node = Memo(make)
    with pytest.raises(ValueError, match="no"):
        node(1)
    assert node(1) == 7


def test_results_are_let_go_of() -> None:
    node: Memo[int] = Memo(lambda x: 2 * x, keep=3)
    assert node.newest() is None
    for x in (1, 2, 3):
        node(x)
    node.drop(2)
    assert (2,) not in node and (1,) in node
    node.keep_newest()
    assert (1,) not in node and node.newest() == 6
    node.forget()
    assert node.newest() is None
