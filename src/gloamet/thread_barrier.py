# SPDX-License-Identifier: Apache-2.0
"""Threads that share one kernel: a shared task counter and a barrier, without Python.

counters is an int64 array of zeros, one place for each list of work and one for each meeting. Handing work from
thread to thread by Python would make each of them wait for the interface, which holds Python while it paints.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from typing import Any

from llvmlite import ir
from numba import njit
from numba.core import cgutils, types
from numba.extending import intrinsic

from gloamet.jit import INNER_KERNEL_OPTIONS

SPINS_BEFORE_SLEEP, SLEEP_US = 64, 30  # looks at a meeting before a thread sleeps between them, and how long


def _element_pointer(ctx: Any, builder: Any, signature: Any, args: Any) -> Any:
    """Address of counters[k] for arguments that begin with (counters, k)."""
    array = ctx.make_array(signature.args[0])(ctx, builder, args[0])
    return builder.gep(array.data, [args[1]])


@intrinsic
def next_index(context, counters, k):
    """Take the next index of a work list, atomically.

    Parameters
    ----------
    context : typing context
        Numba's own.
    counters : int64 array
        Zeros at the start; one place per work list and barrier.
    k : int64
        Index of the work list.

    Returns
    -------
    int64
        The index, counted from 0; every thread gets another one.
    """

    def generate(ctx, builder, signature, args):
        one = ir.Constant(ir.IntType(64), 1)
        return builder.atomic_rmw("add", _element_pointer(ctx, builder, signature, args), one, "seq_cst")

    return types.int64(counters, types.int64), generate


@intrinsic
def _load_counter(context, counters, k):
    """counters[k] as it stands."""

    def generate(ctx, builder, signature, args):
        return builder.load_atomic(_element_pointer(ctx, builder, signature, args), "seq_cst", 8)

    return types.int64(counters, types.int64), generate


@intrinsic
def _yield_thread(context):
    """Let another thread run."""

    def generate(ctx, builder, signature, args):
        kind = ir.FunctionType(ir.IntType(32), [])
        function = cgutils.get_or_insert_function(builder.module, kind, "sched_yield")
        return builder.call(function, [])

    return types.int32(), generate


@intrinsic
def _sleep(context, microseconds):
    """Let others run for at least so long."""

    def generate(ctx, builder, signature, args):
        kind = ir.FunctionType(ir.IntType(32), [ir.IntType(32)])
        function = cgutils.get_or_insert_function(builder.module, kind, "usleep")
        return builder.call(function, [builder.trunc(args[0], ir.IntType(32))])

    return types.int32(types.int64), generate


@njit(**INNER_KERNEL_OPTIONS)
def barrier_wait(counters, k, threads):
    """Wait until all threads have reached a barrier.

    Parameters
    ----------
    counters : int64 array
        Zeros at the start; one place per work list and barrier.
    k : int64
        Index of the barrier.
    threads : int64
        Number of threads.
    """
    next_index(counters, k)
    waited = 0
    while _load_counter(counters, k) < threads:
        waited += 1
        if waited < SPINS_BEFORE_SLEEP:
            _yield_thread()
        else:
            _sleep(SLEEP_US)  # the one waited for may have lost its core to the window


def run_on_all_threads(
    pool: Executor, threads: int, kernel: Callable[..., Any], arguments: tuple[Any, ...]
) -> None:
    """Run a kernel on several threads at once, including the calling one.

    Parameters
    ----------
    pool : Executor
        Threads that run the kernels.
    threads : int
        Number of threads.
    kernel : callable
        The kernel.
    arguments : tuple of Any
        Its arguments.
    """
    others = [pool.submit(kernel, *arguments) for _ in range(threads - 1)]
    kernel(*arguments)
    for other in others:
        other.result()
