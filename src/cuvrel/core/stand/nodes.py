"""Nodes, and working them out.

A node's key is a hash of its kind, its parameters at its frame and its inputs' keys. The same key means
the same pixels, so nothing is ever invalidated: what is old is merely not asked for any more.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from time import monotonic, perf_counter
from typing import Any, Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.recipe.hashing import key_of

_until: ContextVar[float | None] = ContextVar("until", default=None)


class TooLong(CuvrelError):
    """Working something out would go on for longer than somebody waits for it."""


@contextmanager
def within(seconds: float) -> Iterator[None]:
    """What is worked out in this block, by this thread, is given up after so many seconds: TooLong is raised."""
    token = _until.set(monotonic() + seconds)
    try:
        yield
    finally:
        _until.reset(token)


def check_time() -> float | None:
    """Seconds that are left; None where there is no limit. Raises TooLong when there are none."""
    until = _until.get()
    if until is None:
        return None
    left = until - monotonic()
    if left <= 0:
        raise TooLong("This took too long and was given up.", "Look at a smaller picture, or hide some planes.")
    return left


REMEMBERED = 20_000  # nodes whose cost is kept in mind
FEW_BYTES, FIGURES = 64, 50_000  # of an array that is figures and no picture; how many of those are kept
FRAMES = 400  # frames whose nodes a stand keeps
T = TypeVar("T")


@dataclass(frozen=True)
class Node:
    """Something to be computed: `run` takes the inputs' arrays and returns this node's.

    `keep` says that the result is worth a place in the cache. later: inputs of which `run` takes, behind the others, a
    list that works each one out when it is asked for; None stands for a picture that there is not.
    """

    key: str
    inputs: tuple[Node, ...]
    run: Callable[..., NDArray[Any]]
    keep: bool = True
    later: tuple[Node | None, ...] | None = None


def node(
    kind: str,
    params: Any,
    inputs: Sequence[Node],
    run: Callable[..., NDArray[Any]],
    keep: bool = True,
    later: Sequence[Node | None] | None = None,
) -> Node:
    """A node keyed by its kind, JSON-like parameters and inputs."""
    keys = [one.key for one in inputs]
    if later is None:
        return Node(key_of(kind, params, keys), tuple(inputs), run, keep)
    more = [None if one is None else one.key for one in later]
    return Node(key_of(kind, params, keys, more), tuple(inputs), run, keep, tuple(later))


class ByFrame(Generic[T]):
    """What was found for each of some frames; of the frames that were asked for last, `FRAMES` are kept. Safe to share.

    A stand lives as long as an export, whose frames pass it one after another.
    """

    def __init__(self) -> None:
        self._kept: OrderedDict[int, dict[Hashable, T]] = OrderedDict()
        self._lock = threading.Lock()

    def __len__(self) -> int:
        return len(self._kept)

    def get(self, frame: int, key: Hashable, find: Callable[[], T]) -> T:
        """What is kept under a key for a frame, or is found now."""
        with self._lock:
            of = self._kept.setdefault(frame, {})
            self._kept.move_to_end(frame)
            while len(self._kept) > FRAMES:
                self._kept.popitem(last=False)
            if key in of:
                return of[key]
        found = find()
        with self._lock:
            return of.setdefault(key, found)


class _Later:
    """Pictures that are worked out one by one (see recipe/needs.py)."""

    def __init__(self, nodes: Sequence[Node | None], cache: Cache) -> None:
        self._nodes, self._cache = nodes, cache

    def __len__(self) -> int:
        return len(self._nodes)

    def __getitem__(self, index: int) -> NDArray[Any] | None:
        wanted = self._nodes[index]
        if wanted is None:
            return None
        begun = perf_counter()
        found = work_out(wanted, self._cache)
        _elsewhere.seconds = getattr(_elsewhere, "seconds", 0.0) + perf_counter() - begun
        return found


_elsewhere = threading.local()  # seconds that a node being computed has spent on others


class Cache:
    """Arrays under their keys, the least recently used ones dropped beyond `room` bytes. Safe to share.

    Pictures in bytes (what was decoded, and what is shown) are dropped after all else as long as they fill no more
    than a third of the room: one frame's light in floats would push out what twenty frames show. Figures of a frame
    (a few bytes, for which whole pictures were worked out) are kept apart from pictures, the last `FIGURES` of them.
    """

    def __init__(self, room: int) -> None:
        self.room = room
        self.size = 0
        self._bytes = 0
        self._light: OrderedDict[str, NDArray[Any]] = OrderedDict()
        self._shown: OrderedDict[str, NDArray[Any]] = OrderedDict()
        self._figures: OrderedDict[str, NDArray[Any]] = OrderedDict()
        self._lock = threading.Lock()
        self._busy: dict[str, threading.Event] = {}
        self._spent: OrderedDict[str, float] = OrderedDict()

    def get(self, key: str) -> NDArray[Any] | None:
        """The array, which must not be written to, or None."""
        with self._lock:
            for shelf in (self._light, self._shown, self._figures):
                if key in shelf:
                    shelf.move_to_end(key)
                    return shelf[key]
            return None

    def put(self, key: str, value: NDArray[Any]) -> None:
        """Keeps an array, unless it is larger than a quarter of the room."""
        if value.nbytes * 4 > self.room:
            return
        value.flags.writeable = False
        with self._lock:
            if value.nbytes <= FEW_BYTES:
                self._figures[key] = value
                while len(self._figures) > FIGURES:
                    self._figures.popitem(last=False)
                return
            if key in self._light or key in self._shown:
                return
            shown = value.dtype == np.uint8
            (self._shown if shown else self._light)[key] = value
            self.size += value.nbytes
            self._bytes += value.nbytes if shown else 0
            while self.size > self.room:
                if self._light and (not self._shown or self._bytes * 3 <= self.room):
                    self.size -= self._light.popitem(last=False)[1].nbytes
                else:
                    dropped = self._shown.popitem(last=False)[1].nbytes
                    self.size -= dropped
                    self._bytes -= dropped

    def clear(self) -> None:
        """Drops everything."""
        with self._lock:
            self._light.clear()
            self._shown.clear()
            self._figures.clear()
            self.size = self._bytes = 0

    def spend(self, key: str, seconds: float) -> None:
        """Notes what a node took by itself."""
        with self._lock:
            self._spent[key] = seconds
            while len(self._spent) > REMEMBERED:
                self._spent.popitem(last=False)

    def spent(self, key: str) -> float:
        """Seconds that a node took by itself when it was last worked out; 0 where that is not known any more."""
        with self._lock:
            return self._spent.get(key, 0.0)

    def claim(self, key: str) -> threading.Event | None:
        """None when the caller should compute this key (and then `release` it), else what to wait for."""
        with self._lock:
            if key in self._busy:
                return self._busy[key]
            self._busy[key] = threading.Event()
            return None

    def release(self, key: str) -> None:
        """Ends a claim."""
        with self._lock:
            self._busy.pop(key).set()


def work_out(wanted: Node, cache: Cache) -> NDArray[Any]:
    """The node's array, from the cache where it is there. Two threads never compute one key at once."""
    while True:
        found = cache.get(wanted.key)
        if found is not None:
            return found
        if not wanted.keep:
            return _compute(wanted, cache)
        other = cache.claim(wanted.key)
        if other is None:
            break
        other.wait(check_time())
    try:
        value = _compute(wanted, cache)
        cache.put(wanted.key, value)
        return value
    finally:
        cache.release(wanted.key)


def _compute(wanted: Node, cache: Cache) -> NDArray[Any]:
    check_time()
    inputs: list[Any] = [work_out(one, cache) for one in wanted.inputs]
    if wanted.later is not None:
        inputs.append(_Later(wanted.later, cache))
    before, _elsewhere.seconds = getattr(_elsewhere, "seconds", 0.0), 0.0
    begun = perf_counter()
    value = np.asarray(wanted.run(*inputs))
    cache.spend(wanted.key, perf_counter() - begun - _elsewhere.seconds)
    _elsewhere.seconds = before
    return value
