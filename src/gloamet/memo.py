# SPDX-License-Identifier: Apache-2.0
"""A derived result with declared inputs: the results of a function for its last few inputs.

Inputs enter; what was made of equal ones leaves without being made again. Values are equal when they say the same;
arrays and what holds them (a scene, a dome) are equal only to themselves.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, NoReturn, TypeVar

import numpy as np

Made = TypeVar("Made")


def _nothing(*_inputs: object) -> NoReturn:
    raise TypeError("this memo has no function of its own: call `of`")


def _same(one: object, other: object) -> bool:
    return one is other or (
        not isinstance(one, np.ndarray) and not isinstance(other, np.ndarray) and one == other
    )


def _equal(one: tuple[object, ...], other: tuple[object, ...]) -> bool:
    return len(one) == len(other) and all(map(_same, one, other))


class Memo(Generic[Made]):
    """The results of a function for its `keep` most recent inputs, newest last."""

    def __init__(self, make: Callable[..., Made] | None = None, keep: int = 1) -> None:
        self._make, self._keep = make or _nothing, keep
        self._results: list[tuple[tuple[object, ...], Made]] = []

    def __call__(self, *inputs: object) -> Made:
        """The result for these inputs. What the function raises is passed on, and nothing is kept of it."""
        return self.of(inputs, lambda: self._make(*inputs))

    def of(self, inputs: tuple[object, ...], make: Callable[[], Made]) -> Made:
        """The result for these inputs, by a function that may use more than they say."""
        found = self._find(inputs)
        if found is None:
            found = (inputs, make())
        else:
            self._results = [kept for kept in self._results if kept is not found]
        self._results = [*self._results, found][-self._keep :]
        return found[1]

    def __contains__(self, inputs: tuple[object, ...]) -> bool:
        """Whether the result for these inputs is there."""
        return self._find(inputs) is not None

    def newest(self) -> Made | None:
        """The result that was asked for last, None before the first."""
        return self._results[-1][1] if self._results else None

    def drop(self, *inputs: object) -> None:
        """Release the result for these inputs."""
        self._results = [kept for kept in self._results if not _equal(kept[0], inputs)]

    def keep_newest(self) -> None:
        """Release all results but the newest."""
        self._results = self._results[-1:]

    def forget(self) -> None:
        """Release all results."""
        self._results = []

    def _find(self, inputs: tuple[object, ...]) -> tuple[tuple[object, ...], Made] | None:
        return next((kept for kept in reversed(self._results) if _equal(kept[0], inputs)), None)
