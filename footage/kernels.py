"""Compiled functions of the renderer, with their types kept: those that the core has no use for."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast

from numba import njit

Number = Any
"""A number of single or double precision: what comes of mixing the two, the compiler says, and NumPy's types do not."""

F = TypeVar("F", bound=Callable[..., Any])


def exact_within(function: F) -> F:
    """As the core's `exact_kernel`, laid into the functions that call it."""
    return cast(F, njit(nogil=True, cache=True, inline="always")(function))


def fast(function: F) -> F:
    """The function compiled; sums may be taken in any order."""
    return cast(F, njit(nogil=True, cache=True, fastmath=True)(function))


def fast_within(function: F) -> F:
    """The same, laid into the functions that call it."""
    return cast(F, njit(nogil=True, cache=True, fastmath=True, inline="always")(function))
