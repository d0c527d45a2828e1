"""Everything declared, with its numbers at both of their limits, one by one and in all pairs: what takes long.

A number that is in bounds may be asked for by any hand, file or look, so that none may hold a thread for long. Each
case is a small picture (160 x 90) of a plane or a matte that has these values and no others.
"""

from __future__ import annotations

import itertools
import multiprocessing
import time
from collections.abc import Iterator
from typing import Any

from tests.recipes import FakeSources, document, footage

from cuvrel.core import catalogue
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.declared import Declared, all_declared
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out

WIDTH, HEIGHT, FRAMES, FRAME = 160, 90, 24, 11
BOUND = 1.0  # seconds that any of them may take
GIVEN_UP = 30.0
TOLD = 12
Case = dict[str, Any]


def cases(entry: Declared) -> Iterator[Case]:
    """Every choice as it comes; with each, every number at its limits, and every pair of numbers at theirs."""
    fields = entry.params.fields()
    choices = [(name, about["options"]) for name, about in fields.items() if about["control"] == "choice"]
    choices = [one for one in choices if one[0] != "blend"]  # one mode costs what another does
    ends: list[tuple[str, list[Any]]] = []
    for name, about in fields.items():
        low, high = about.get("low"), about.get("high")
        if about["control"] == "number":
            ends.append((name, [low, high]))
        elif about["control"] == "point":
            ends.append((name, [[low, low], [high, high]]))
        elif about["control"] == "switch":
            ends.append((name, [True, False]))
    for chosen in itertools.product(*([(name, one) for one in options] for name, options in choices)):
        base = dict(chosen)
        yield base
        for (a, of_a), (b, of_b) in itertools.combinations(ends, 2):
            for x, y in itertools.product(of_a, of_b):
                yield {**base, a: x, b: y}
        if len(ends) == 1:
            yield from ({**base, ends[0][0]: x} for x in ends[0][1])


def shot_with(entry: Declared, values: Case) -> dict[str, Any]:
    """A document in which something has these values."""
    raw = document(footage=[footage(WIDTH, HEIGHT, FRAMES), footage(WIDTH, HEIGHT, FRAMES, "2")])
    matte: dict[str, Any] = {"id": "m1", "name": "Subject", "pulls": [{"id": "t1", "kind": "trace"}]}
    plane: dict[str, Any] = {"id": "p3", "name": "Subject", "kind": "cutout", "matte": "m1"}
    match entry.family:
        case "treatment":
            plane["treatments"] = [{"id": "s1", "kind": entry.kind, "params": values}]
        case "edge":
            matte["edge"] = values
        case "pull":
            more = {"plate": "2"} if "plate" in entry.params.fields() else {}
            matte["pulls"] = [{"id": "k1", "kind": entry.kind, "params": {**more, **values}}]
        case "gate":
            plane = {"id": "p3", "name": "Glaze", "kind": "glaze", "gate": {"matte": "m1", **values},
                     "treatments": [{"id": "s1", "kind": "grade", "params": {"saturation": 0.0}}]}  # fmt: skip
        case "placement" | "time":
            plane[entry.family] = values
        case _:
            plane = {"id": "p3", "name": "Plane", "kind": entry.kind, "matte": "m1", "params": values}
    below = {"id": "p4", "name": "Plate", "kind": "plate"}
    return {**raw, "mattes": [matte], "planes": [plane, below]}


def _measured(family: str, kind: str, began: Any, now: Any, out: Any) -> None:
    """Works out all cases of one thing, and says what each took; `began` and `now` tell on which it is."""
    catalogue.load()
    entry = next(one for one in all_declared() if (one.family, one.kind) == (family, kind))
    for n, values in enumerate(cases(entry)):
        now.value, began.value = n, time.monotonic()
        try:
            _worked_out(entry, values)
            if time.monotonic() - began.value > BOUND / 4:  # it may be what is compiled or loaded once
                began.value = time.monotonic()
                _worked_out(entry, values)
        except CuvrelError as fault:
            out.put((str(fault), 0.0))
            continue
        out.put(("", time.monotonic() - began.value))
    now.value = -1


def _worked_out(entry: Declared, values: Case) -> None:
    stand, cache = Stand(read_shot(shot_with(entry, values)), FakeSources(WIDTH, HEIGHT)), Cache(64 << 20)
    if entry.family == "pull":
        work_out(stand.matte("m1", FRAME), cache)
    work_out(stand.result(FRAME), cache)


def measured(entry: Declared) -> tuple[list[tuple[float, Case]], int, bool]:
    """What the cases of one thing took, how many could not be made, and whether one was given up."""
    context = multiprocessing.get_context("spawn")
    began, now, out = context.Value("d", time.monotonic()), context.Value("i", 0), context.SimpleQueue()
    child = context.Process(target=_measured, args=(entry.family, entry.kind, began, now, out))
    child.start()
    took: list[tuple[float, Case]] = []
    wrong, every = 0, cases(entry)
    while child.is_alive() or not out.empty():
        while not out.empty():
            fault, seconds = out.get()
            values = next(every)
            wrong += bool(fault)
            took.append((seconds, values))
        if now.value >= 0 and time.monotonic() - began.value > GIVEN_UP:
            child.kill()
            child.join()
            took.append((GIVEN_UP, next(every)))
            return took, wrong, True
        time.sleep(0.02)
    return took, wrong, False


def run(only: str | None) -> None:
    """Prints how many cases there are of each thing, the longest of them, and what is over the bound."""
    catalogue.load()
    slow: list[tuple[float, str, Case]] = []
    count = 0
    families = ("treatment", "edge", "pull", "gate", "placement", "time", "plane")
    for entry in all_declared():
        needless = entry.family not in families or entry.kind in (
            "group",
            "element",
            "take",
            "plate",
            "footage",
            "contour",
        )
        if needless or (only and entry.kind not in only.split(",")):
            continue
        took, wrong, given_up = measured(entry)
        longest = max(took, key=lambda one: one[0])
        count += len(took)
        said = f"{entry.family} {entry.kind}"
        more = ("  GIVEN UP" if given_up else "") + (f"  ({wrong} could not be made)" if wrong else "")
        print(f"  {said:<28} {len(took):5d} cases, at the most {longest[0]:6.2f} s {longest[1]}{more}", flush=True)
        slow += [(seconds, said, values) for seconds, values in took if seconds > BOUND]
    print(f"{count} cases; over {BOUND:g} s: {len(slow)}")
    for seconds, said, values in sorted(slow, key=lambda one: -one[0])[:TOLD]:
        print(f"  {seconds:6.2f} s  {said}  {values}")
