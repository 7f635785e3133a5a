"""A node of the pipeline: what a function made of its last few inputs.

Inputs enter; what was made of equal ones leaves without being made again. Values are equal when they say the same;
what holds arrays (a scene, a dome) is equal only to itself.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

Made = TypeVar("Made")


class Memo(Generic[Made]):
    """The results of a function for its `keep` most recent inputs, newest last."""

    def __init__(self, make: Callable[..., Made], keep: int = 1) -> None:
        self._make, self._keep = make, keep
        self._results: list[tuple[tuple[object, ...], Made]] = []

    def __call__(self, *inputs: object) -> Made:
        """The result for these inputs. What the function raises is passed on, and nothing is kept of it."""
        found = self._find(inputs)
        if found is None:
            found = (inputs, self._make(*inputs))
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
        """Let go of the result for these inputs."""
        self._results = [kept for kept in self._results if kept[0] != inputs]

    def keep_newest(self) -> None:
        """Let go of all results but the newest."""
        self._results = self._results[-1:]

    def forget(self) -> None:
        """Let go of all results."""
        self._results = []

    def _find(self, inputs: tuple[object, ...]) -> tuple[tuple[object, ...], Made] | None:
        return next((kept for kept in reversed(self._results) if kept[0] == inputs), None)
