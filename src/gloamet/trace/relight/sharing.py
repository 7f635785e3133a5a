"""Sharing a kernel's work over a pool of threads, range by range."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from functools import partial
from typing import Any

Call = Callable[[], Any]


def _never() -> bool:
    return False


class Sharing:
    """A pool and how many threads it has."""

    def __init__(self, pool: Executor, threads: int) -> None:
        self._pool, self._threads = pool, threads

    def run(
        self,
        kernel: Callable[..., Any],
        before: tuple[Any, ...],
        count: int,
        after: tuple[Any, ...],
        cancelled: Callable[[], bool] = _never,
        parts: int = 1,
    ) -> bool:
        """Call kernel(*before, first, last, *after) over 0..count; False when it was cancelled on the way.

        parts is how many ranges each thread gets: one for even work, more for work that looks at `cancelled`.
        """
        calls = self.split(kernel, before, count, after, parts)

        def part(call: Call) -> None:
            if not cancelled():
                call()

        list(self._pool.map(part, calls))
        return not cancelled()

    def split(
        self,
        kernel: Callable[..., Any],
        before: tuple[Any, ...],
        count: int,
        after: tuple[Any, ...],
        parts: int = 1,
        multiple: int = 1,
    ) -> list[Call]:
        """The calls that `run` makes; ranges begin at multiples of `multiple`."""
        step = -(-count // (parts * self._threads))
        step = max(multiple, -(-step // multiple) * multiple)
        return [
            partial(kernel, *before, first, min(count, first + step), *after)
            for first in range(0, count, step)
        ]

    def together(self, calls: list[Call]) -> None:
        """Make calls in any order. Few long rounds beat many short ones: at the end of each a thread waits for
        Python, which the interface may be holding."""
        list(self._pool.map(_make, calls))


def _make(call: Call) -> None:
    call()
