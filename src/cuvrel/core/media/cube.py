"""Colour tables in the open text format `.cube`: one curve for each channel, or a lattice of colours.

A file says LUT_1D_SIZE or LUT_3D_SIZE, then a line of three numbers for each entry, red fastest; DOMAIN_MIN and
DOMAIN_MAX say which colours its ends stand for, 0 and 1 by default.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.lattice import through_curves, through_lattice
from cuvrel.core.recipe.errors import MediaError

MOST_BYTES = 64 << 20
MOST_LATTICE, MOST_CURVE = 129, 65_536
WRONG = "The table can't be read."


def is_cube(start: bytes) -> bool:
    """Whether a file is a table, by how it begins."""
    if b"\0" in start:
        return False
    words = start.replace(b"\r", b"\n").split()
    return b"LUT_3D_SIZE" in words or b"LUT_1D_SIZE" in words


def read_cube(path: Path) -> F32:
    """A table as a vector of float32: dimensions (1 or 3), size, the lower and the upper end, and all entries.

    Raises MediaError with a sentence.
    """
    if path.stat().st_size > MOST_BYTES:
        raise MediaError("The table is larger than any that is read.")
    try:
        lines = path.read_text("utf-8", "strict").splitlines()
    except UnicodeDecodeError as fault:
        raise MediaError(WRONG, "It is not written as text.") from fault
    size, dims = 0, 0
    low, high = [0.0] * 3, [1.0] * 3
    rows: list[str] = []
    for n, line in enumerate(lines, 1):
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        try:
            if words[0] in ("LUT_1D_SIZE", "LUT_3D_SIZE"):
                if dims:
                    raise MediaError(WRONG, "It holds two tables, which is not read.")
                dims, size = (1 if words[0] == "LUT_1D_SIZE" else 3), int(words[1])
            elif words[0] == "DOMAIN_MIN":
                low = _three(words[1:])
            elif words[0] == "DOMAIN_MAX":
                high = _three(words[1:])
            elif words[0] in ("LUT_1D_INPUT_RANGE", "LUT_3D_INPUT_RANGE"):
                low, high = [float(words[1])] * 3, [float(words[2])] * 3
            elif words[0][0].isalpha() and words[0].lower() not in ("nan", "inf"):
                continue  # a title, or what one program says to itself
            else:
                if len(words) != 3:
                    raise ValueError
                rows.append(" ".join(words))
        except (ValueError, IndexError) as fault:
            raise MediaError(WRONG, f"Line {n} is no line of a table.") from fault
    most = MOST_CURVE if dims == 1 else MOST_LATTICE
    if not dims or not 2 <= size <= most:
        raise MediaError(WRONG, f"Its size must be 2 to {most}.")
    try:
        entries = np.array(" ".join(rows).split(), np.float64)
    except ValueError as fault:
        raise MediaError(WRONG, "Some of its lines are no numbers.") from fault
    if entries.size != 3 * size**dims:
        raise MediaError(WRONG, f"It says {size**dims} entries and holds {entries.size // 3}.")
    whole = np.concatenate([[dims, size], low, high, entries]).astype(np.float32)
    if not np.isfinite(whole).all() or not all(a < b for a, b in zip(low, high, strict=True)):
        raise MediaError(WRONG, "Some of its numbers are none, or its ends are the wrong way round.")
    return whole


def _three(words: list[str]) -> list[float]:
    if len(words) != 3:
        raise ValueError
    return [float(word) for word in words]


def through(rgb: F32, table: F32) -> F32:
    """(H, W, 3) float32 through a table as `read_cube` gives it."""
    dims, size = int(table[0]), int(table[1])
    low, high, entries = table[2:5], table[5:8], table[8:]
    if dims == 1:
        return through_curves(rgb, entries.reshape(size, 3), low, high)
    # red is fastest in the file, slowest in the lattice
    return through_lattice(rgb, entries.reshape(size, size, size, 3).transpose(2, 1, 0, 3), low, high)
