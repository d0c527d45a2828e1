"""Running a kernel over bands of rows on all cores.

Kernels are Numba functions `kernel(y0, y1, *arrays)` that release the interpreter's lock. A pool of
threads is used and not Numba's own: its default one may not be entered from two threads at once,
which a web server does.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar, cast

from numba import njit

F = TypeVar("F", bound=Callable[..., Any])


def kernel(function: F) -> F:
    """The function compiled: it keeps its types, and lets go of the interpreter's lock.

    Division by zero gives an infinity, as in C: with Python's own rule, which raises, every division is a branch and no
    loop that holds one is turned into vector instructions (a colour key took eleven times as long).
    """
    return cast(F, njit(nogil=True, cache=True, fastmath=True, error_model="numpy")(function))


def small_kernel(function: F) -> F:
    """The same, laid into the kernels that call it."""
    return cast(F, njit(nogil=True, cache=True, fastmath=True, error_model="numpy", inline="always")(function))


def exact_kernel(function: F) -> F:
    """The function compiled, with sums in the order in which they are written, and Python's rule of division."""
    return cast(F, njit(nogil=True, cache=True)(function))


CORES = max(1, len(os.sched_getaffinity(0)))
_pool: ThreadPoolExecutor | None = None
_sides: ThreadPoolExecutor | None = None
T = TypeVar("T")


def in_rows(kernel: Callable[..., Any], rows: int, *args: Any, least: int = 64) -> None:
    """Calls the kernel on bands that together cover 0 to `rows`; returns when all are done.

    least: below so many rows it is not worth sharing the work.
    """
    global _pool
    if CORES == 1 or rows < least:
        kernel(0, rows, *args)
        return
    if _pool is None:
        _pool = ThreadPoolExecutor(CORES, thread_name_prefix="rows")
    edges = [rows * i // CORES for i in range(CORES + 1)]
    others = [_pool.submit(kernel, edges[i], edges[i + 1], *args) for i in range(1, CORES)]
    kernel(edges[0], edges[1], *args)
    for other in others:
        other.result()


def at_once(*calls: Callable[[], T]) -> list[T]:
    """The calls' results; they run side by side, as far as they let go of the interpreter's lock.

    Calls may use `in_rows`, but not this.
    """
    global _sides
    if CORES == 1 or len(calls) < 2:
        return [call() for call in calls]
    if _sides is None:
        _sides = ThreadPoolExecutor(CORES, thread_name_prefix="sides")
    others = [_sides.submit(call) for call in calls[1:]]
    return [calls[0](), *(other.result() for other in others)]


def _forget_pool() -> None:
    global _pool, _sides
    _pool = _sides = None


os.register_at_fork(after_in_child=_forget_pool)


def in_parts(part: Callable[[int], None], count: int) -> None:
    """Calls `part` with 0 to `count` - 1, side by side where it lets go of the interpreter's lock."""
    global _pool
    if count == 1:
        part(0)
        return
    if _pool is None:
        _pool = ThreadPoolExecutor(CORES, thread_name_prefix="rows")
    others = [_pool.submit(part, n) for n in range(1, count)]
    part(0)
    for other in others:
        other.result()
