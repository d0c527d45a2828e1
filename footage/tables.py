"""The demo's colour table: evening at the quay, shadows towards blue, lights towards amber.

python -m footage.tables FOLDER
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

SIDE = 17


def dusk(side: int = SIDE) -> str:
    """The table as the text of a .cube file."""
    axis = np.linspace(0, 1, side)
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")
    rgb = np.stack([red, green, blue], axis=-1)
    luma = rgb @ np.array([0.2126, 0.7152, 0.0722])
    bent = luma + 0.12 * luma * (1 - luma) * (2 * luma - 1) - 0.05 * (1 - luma) ** 2 * luma
    out = bent[..., None] + (rgb - luma[..., None]) * 0.82
    shade, light = (1 - luma)[..., None] ** 2, luma[..., None] ** 2
    out = out + shade * np.array([-0.02, 0.0, 0.055]) * 1.2 + light * np.array([0.03, 0.005, -0.07])
    rows = np.clip(out, 0, 1).reshape(-1, 3)
    lines = ['TITLE "Dusk at the quay"', f"LUT_3D_SIZE {side}", *(f"{r:.5f} {g:.5f} {b:.5f}" for r, g, b in rows)]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    (Path(sys.argv[1]) / "dusk.cube").write_text(dusk())
