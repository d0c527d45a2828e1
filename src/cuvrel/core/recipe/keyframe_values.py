"""Editing keyframes: each function takes a value and gives a new one; frames are the shot's, counted from 0.

A set of keys is what lies on the frames `first` to `last`, both included. Where an edited key lands on a key that
is not of the set, the edited one stays.
"""

from __future__ import annotations

from collections.abc import Iterable

from cuvrel.core.recipe.values import SMOOTH, START, Driver, Ease, Env, Handles, Key, Keys, Plain, Ride, Scalar, at

Value = Scalar | Ride | Plain


def _plain(value: Value, env: Env) -> Plain:
    """The value in an environment, as one that a key can hold."""
    found: Plain = at(value, env)
    return found


def _joined(kept: Iterable[Key], edited: Iterable[Key]) -> Keys:
    by_frame = {key.frame: key for key in kept}
    by_frame.update({key.frame: key for key in edited})
    return Keys(keys=[by_frame[frame] for frame in sorted(by_frame)])


def _parted(keys: Keys, first: int, last: int) -> tuple[list[Key], list[Key]]:
    """The keys outside of a set, and those of it."""
    inside = [key for key in keys.keys if first <= key.frame <= last]
    return [key for key in keys.keys if not first <= key.frame <= last], inside


def _with_keys(value: Value, edit: Keys) -> Value:
    return value.model_copy(update={"base": edit}) if isinstance(value, (Driver, Ride)) else edit


def keys_of(value: Value) -> Keys | None:
    """A value's keys: its own, or those under its driver, or under what it rides on."""
    inner = value.base if isinstance(value, (Driver, Ride)) else value
    return inner if isinstance(inner, Keys) else None


def shifted(value: Value, first: int, last: int, by: int) -> Value:
    """The set moved by so many frames; as far as the shot's beginning allows."""
    keys = keys_of(value)
    if keys is None:
        return value
    rest, chosen = _parted(keys, first, last)
    if not chosen or by == 0:
        return value
    by = max(by, -chosen[0].frame)
    return _with_keys(value, _joined(rest, (key.model_copy(update={"frame": key.frame + by}) for key in chosen)))


def copied_to(value: Value, first: int, last: int, by: int) -> Value:
    """The set once more, so many frames away."""
    keys = keys_of(value)
    if keys is None:
        return value
    _, chosen = _parted(keys, first, last)
    moved = [key.model_copy(update={"frame": key.frame + by}) for key in chosen if key.frame + by >= 0]
    return _with_keys(value, _joined(keys.keys, moved)) if moved else value


def stretched(value: Value, first: int, last: int, to_first: int, to_last: int) -> Value:
    """The set spread evenly from one span of frames to another, each key on its nearest whole frame.

    Where two keys would meet on a frame the later one stays.
    """
    keys = keys_of(value)
    if keys is None or first == last or to_first < 0 or to_last < to_first:
        return value
    rest, chosen = _parted(keys, first, last)
    factor = (to_last - to_first) / (last - first)
    moved = [key.model_copy(update={"frame": to_first + round((key.frame - first) * factor)}) for key in chosen]
    return _with_keys(value, _joined(rest, moved)) if moved else value


def reversed_within(value: Value, first: int, last: int) -> Value:
    """The set run backwards between its own first and last key: eases turn with it."""
    keys = keys_of(value)
    if keys is None:
        return value
    rest, chosen = _parted(keys, first, last)
    if len(chosen) < 2:
        return value
    span = chosen[0].frame + chosen[-1].frame
    turned = []
    for n, key in enumerate(reversed(chosen)):
        # the way that led to this key from the one before now leads on from it
        came = chosen[len(chosen) - 2 - n] if n + 1 < len(chosen) else chosen[-1]
        handles = came.handles
        if came.ease == "free" and handles is not None and n + 1 < len(chosen):
            handles = (1 - handles[2], 1 - handles[3], 1 - handles[0], 1 - handles[1])
        turned.append(key.model_copy(update={"frame": span - key.frame, "ease": came.ease, "handles": handles}))
    return _with_keys(value, _joined(rest, turned))


def without_keys(value: Value, first: int, last: int) -> Value:
    """The value without the set; when no key is left, the plain value that the first key of the set held."""
    keys = keys_of(value)
    if keys is None:
        return value
    rest, chosen = _parted(keys, first, last)
    if not chosen:
        return value
    if rest:
        return _with_keys(value, Keys(keys=rest))
    left = chosen[0].value
    if isinstance(value, (Driver, Ride)):
        return value.model_copy(update={"base": left})
    return left


def pasted(value: Value, keys: list[Key], frame: int) -> Value:
    """Keys laid into a value so that the first of them lands on a frame. A plain value becomes keyed."""
    if not keys:
        return value
    by = frame - keys[0].frame
    moved = [key.model_copy(update={"frame": key.frame + by}) for key in keys]
    old = keys_of(value)
    return _with_keys(value, _joined(old.keys if old else [], moved))


def arrived(value: Value, neutral: Plain, first: int, last: int, ease: Ease = "smooth", env: Env = START) -> Value:
    """The value coming from its neutral one at `first` to what it is at `last`; what follows stays."""
    there = _plain(value, env.moved_to(last))
    if there == neutral or first >= last:
        return value
    old = keys_of(value)
    kept = [key for key in old.keys if key.frame > last] if old else []
    end = next((key.ease for key in old.keys if key.frame == last), "smooth") if old else "smooth"
    return _joined(kept, [_key(first, neutral, ease), Key(frame=last, value=there, ease=end)])


def left(value: Value, neutral: Plain, first: int, last: int, ease: Ease = "smooth", env: Env = START) -> Value:
    """The value going from what it is at `first` to its neutral one at `last`; what came before stays."""
    here = _plain(value, env.moved_to(first))
    if here == neutral or first >= last:
        return value
    old = keys_of(value)
    kept = [key for key in old.keys if key.frame < first] if old else []
    return _joined(kept, [_key(first, here, ease), Key(frame=last, value=neutral)])


def _key(frame: int, value: Plain, ease: Ease) -> Key:
    handles: Handles | None = SMOOTH if ease == "free" else None
    return Key(frame=frame, value=value, ease=ease, handles=handles)


def baked(value: Value, first: int, last: int, env: Env, low: float, high: float) -> Value:
    """A driven or keyed number as one key for every frame it changes on, in straight lines between."""
    if not isinstance(value, (Driver, Keys)):
        return value
    found = [at(value, env.moved_to(frame)) for frame in range(first, last + 1)]
    if any(isinstance(one, tuple) for one in found):
        return value
    numbers = [min(max(float(one), low), high) for one in found]
    keys: list[Key] = []
    for n, number in enumerate(numbers):
        # within a straight run only its ends are needed
        inner = 0 < n < len(numbers) - 1
        if inner and abs(numbers[n - 1] + numbers[n + 1] - 2 * number) < 1e-9 * max(1.0, abs(number)):
            continue
        keys.append(Key(frame=first + n, value=number, ease="linear"))
    return Keys(keys=keys)
