# SPDX-License-Identifier: Apache-2.0
"""Running a kernel on a pool of threads, range by range."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from typing import Any

from gloamet.thread_barrier import run_on_all_threads


def _never() -> bool:
    return False


class WorkerPool:
    """A pool and how many threads it has."""

    def __init__(self, pool: Executor, threads: int) -> None:
        self.pool, self.threads = pool, threads

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
        step = max(1, -(-count // (parts * self.threads)))

        def part(first: int) -> None:
            if not cancelled():
                kernel(*before, first, min(count, first + step), *after)

        list(self.pool.map(part, range(0, count, step)))
        return not cancelled()

    def all_together(self, kernel: Callable[..., Any], arguments: tuple[Any, ...]) -> None:
        """Call kernel(*arguments) on every thread at once, including this one."""
        run_on_all_threads(self.pool, self.threads, kernel, arguments)
