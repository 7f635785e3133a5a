# SPDX-License-Identifier: Apache-2.0
"""The one place that creates computing threads: pools by name, one thread per processor.

Tasks of one pool must neither wait for each other nor start others of it: kernels whose threads meet at a barrier have
pools of their own name.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from functools import cache

THREADS = os.cpu_count() or 1


def new_pool(name: str, threads: int = THREADS) -> ThreadPoolExecutor:
    """Make a pool that its owner shuts down.

    Parameters
    ----------
    name : str
        Name of its threads, for profilers.
    threads : int, optional
        Number of threads.

    Returns
    -------
    ThreadPoolExecutor
        The pool.
    """
    return ThreadPoolExecutor(threads, thread_name_prefix=name)


@cache
def shared_pool(name: str = "work") -> ThreadPoolExecutor:
    """Return the pool of a name, which lives as long as the program.

    Parameters
    ----------
    name : str, optional
        Name of the pool.

    Returns
    -------
    ThreadPoolExecutor
        The pool.
    """
    return new_pool(name)
