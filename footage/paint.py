"""What a moving thing's surface is made of: cloth, skin, wood, feathers, paper."""

from __future__ import annotations

import numpy as np

from cuvrel.core.arrays import F32
from footage.body import local_axes
from footage.kernels import Number, fast
from footage.noise import fbm, hash1, value3


@fast
def paint(parts: F32, i: int, x: Number, y: Number, z: Number, tones: F32, out: F32) -> None:
    """Albedo, gloss and see-through (0 solid) of a part's surface into `out`."""
    m = int(parts[i, 1])
    r, g, b, gloss, clear = tones[m, 0], tones[m, 1], tones[m, 2], tones[m, 3], 0.0
    kind = int(parts[i, 0])
    if kind == 0:
        bx, by, bz = parts[i, 6] - parts[i, 3], parts[i, 7] - parts[i, 4], parts[i, 8] - parts[i, 5]
        u, v, w = x - parts[i, 3], y - parts[i, 4], z - parts[i, 5]
        s = u * bx + v * by + w * bz
    else:
        s = 0.0
        u, v, w = x - parts[i, 3], y - parts[i, 4], z - parts[i, 5]
    if m == 0 or m == 1 or m == 18 or m == 5 or m == 6:
        weave = 0.20 * value3(u * 300, v * 300, w * 300) + 0.24 * fbm(u * 24 + parts[i, 19], v * 24, w * 24, 3)
        worn = fbm(u * 5 + parts[i, 19], v * 5, w * 5 + 3, 4)
        level = 1 + weave + 0.30 * worn
        r, g, b = r * level, g * level, b * level
        if m == 5 or m == 18:
            rib = 0.82 + 0.18 * np.sin(s * 380)
            r, g, b = r * rib, g * rib, b * rib
    elif m == 2:
        level = 1 + 0.10 * fbm(u * 40, v * 40, w * 40, 3)
        r, g, b = r * level, g * level * (1 - 0.02 * level), b * level
        if kind == 1 and parts[i, 19] >= 200:
            a, h, c, lx, ly, lz = local_axes(parts, i, x, y, z)
            a, h, c = a / lx, h / ly, c / lz
            if c > 0:
                e = abs(a)
                blush = np.exp(-((e - 0.5) ** 2) * 16 - (h + 0.18) ** 2 * 14)
                g, b = g * (1 - 0.22 * blush), b * (1 - 0.25 * blush)
                socket = np.exp(-((e - 0.36) ** 2) * 34 - (h - 0.14) ** 2 * 36)
                r, g, b = r * (1 - 0.42 * socket), g * (1 - 0.46 * socket), b * (1 - 0.46 * socket)
                ex, ey = (e - 0.36) / 0.17, (h - 0.11) / 0.10
                if ex * ex + ey * ey < 1:
                    pupil = ((e - 0.35) / 0.085) ** 2 + ((h - 0.11) / 0.09) ** 2 < 1
                    r, g, b = (0.03, 0.022, 0.02) if pupil else (0.52, 0.49, 0.46)
                    gloss = 0.4
                brow = np.exp(-(((h - 0.31 + 0.25 * (e - 0.36) ** 2) / 0.055) ** 2)) * (1 if 0.16 < e < 0.58 else 0)
                r, g, b = r * (1 - 0.75 * brow), g * (1 - 0.78 * brow), b * (1 - 0.8 * brow)
                lip = np.exp(-((a / 0.24) ** 4) - ((h + 0.46) / 0.055) ** 2)
                r, g, b = r * (1 - 0.22 * lip), g * (1 - 0.50 * lip), b * (1 - 0.42 * lip)
                seam = np.exp(-((a / 0.25) ** 4) - ((h + 0.455) / 0.024) ** 2)
                r, g, b = r * (1 - 0.6 * seam), g * (1 - 0.6 * seam), b * (1 - 0.6 * seam)
                if parts[i, 19] >= 300:
                    beard = min(max((-h - 0.18 - 0.5 * (0.3 - e)) * 5, 0.0), 0.85) * (1 - lip)
                    beard *= 0.8 + 0.3 * value3(u * 300, v * 300, w * 300)
                    r, g, b = r + (0.06 - r) * beard, g + (0.042 - g) * beard, b + (0.03 - b) * beard
    elif m == 13 and kind == 1:
        level = 0.55 + 0.10 * fbm(u * 30, v * 30, w * 30, 3)
        r, g, b = r * level, g * level, b * level * 1.03
    elif m == 3 or m == 21:
        strand = value3(u * 210, v * 42, w * 210)
        level = 1 + 0.35 * strand
        if m == 21:
            level = 1 + 0.06 * strand
        r, g, b = r * level, g * level, b * level
    elif kind == 2:
        lu = parts[i, 6] * parts[i, 6] + parts[i, 7] * parts[i, 7] + parts[i, 8] * parts[i, 8]
        lv = parts[i, 9] * parts[i, 9] + parts[i, 10] * parts[i, 10] + parts[i, 11] * parts[i, 11]
        fu = (u * parts[i, 6] + v * parts[i, 7] + w * parts[i, 8]) / lu
        fv = (u * parts[i, 9] + v * parts[i, 10] + w * parts[i, 11]) / lv
        weave = 1 + 0.07 * value3(fu * 260, fv * 260, parts[i, 19]) + 0.09 * fbm(fu * 6, fv * 6, parts[i, 19], 4)
        if m == 8:
            if fu + fv > 1:
                r, g, b = tones[9, 0], tones[9, 1], tones[9, 2]
        elif m == 20:
            ring = np.sqrt(((fu - 0.5) * 0.72) ** 2 + (fv - 0.5) ** 2)
            if ring < 0.17 or 0.235 < ring < 0.27:
                r, g, b = 0.62, 0.60, 0.53
            stripe = abs(fu - 0.5)
            if stripe > 0.455:
                r, g, b = 0.07, 0.10, 0.26
        elif m == 13:
            # grey mantle, dark fingers at the tip, each vane with its shaft
            vane = fu * 11 + 0.25 * np.sin(fu * 19 + parts[i, 19])
            frac = vane - np.floor(vane)
            tip = min(max((fu - 0.62) * 3.5 + (fv - 0.4) * 0.9, 0.0), 1.0) if parts[i, 19] >= 50 else 0.0
            grey = 0.36 if fv < 0.75 else 0.52
            r, g, b = grey * 0.98, grey, grey * 1.03
            r, g, b = r + (0.03 - r) * tip, g + (0.03 - g) * tip, b + (0.033 - b) * tip
            shaft = 0.72 if abs(frac - 0.5) < 0.05 else 1.0
            barb = 1 + 0.16 * value3(fu * 240 + fv * 60, fv * 30, 1.0)
            weave = shaft * barb
            free = min(max((fv - 0.62) * 2.6, 0.0), 1.0)
            clear = free * (0.5 + 0.5 * value3(fu * 150 + 40 * fv, fv * 8, parts[i, 19]))
        hem = 0.82 if (fv > 0.975 or fu < 0.02 or fu > 0.98) and m != 13 else 1.0
        r, g, b = r * weave * hem, g * weave * hem, b * weave * hem
    elif m == 10 or m == 15:
        if kind == 3:
            a, h, c, lx, ly, lz = local_axes(parts, i, x, y, z)
        else:
            a, h, c, lx, ly, lz = u, v, w, 1.0, 1.0, 1.0
        if m == 10:
            grain = fbm(a * 60 + parts[i, 19], h * 3.5, c * 60, 4)
            level = 1 + 0.42 * grain
            r, g, b = r * level, g * level, b * level
        else:
            level = 1 + 0.16 * fbm(a * 7, h * 7, parts[i, 19], 5)
            r, g, b = r * level, g * level, b * level
            fa, fh = a / lx, h / ly
            if c < 0:
                fa = -fa
            if abs(fa) > 0.93 or abs(fh) > 0.90:
                grain = 1 + 0.4 * fbm(a * 8, h * 50, 3.0, 4)
                r, g, b = 0.105 * grain, 0.060 * grain, 0.030 * grain
            else:
                # a headline bar, lines of lettering, and three sheets pinned to the wood
                if 0.62 < fh < 0.82 and abs(fa) < 0.78:
                    letter = (
                        hash1(int(np.floor((fa + 1) * 17)), 3, 7) > 0.25
                        and (fa + 1) * 17 - np.floor((fa + 1) * 17) < 0.72
                    )
                    if letter and 0.65 < fh < 0.79:
                        r, g, b = 0.05, 0.055, 0.10
                for k in range(3):
                    qx, qy = fa - (-0.56 + 0.56 * k), fh - (-0.16 + 0.05 * np.sin(k * 2.4))
                    tilt = 0.05 * np.sin(k * 5.0 + 1)
                    qx, qy = qx + tilt * qy, qy - tilt * qx
                    if abs(qx) < 0.23 and abs(qy) < 0.52:
                        r, g, b = 0.66 - 0.06 * (k == 1), 0.63 - 0.05 * (k == 1), 0.54
                        line = (qy + 0.52) * 11
                        written = abs(qx) < 0.18 and 0.6 < line < 9.5 and line - np.floor(line) < 0.38
                        if written and hash1(int(np.floor(qx * 60)), int(np.floor(line)), k) > 0.28:
                            r, g, b = 0.13, 0.12, 0.12
                        if qx * qx + (qy - 0.47) * (qy - 0.47) < 0.0006:
                            r, g, b, gloss = 0.35, 0.05, 0.04, 0.3
    elif m == 16:
        twist = 0.72 + 0.28 * np.sin(s * 240 + 60 * (u - w))
        r, g, b = r * twist, g * twist, b * twist
    elif m == 4 or m == 7 or m == 19 or m == 17:
        level = 1 + 0.3 * fbm(u * 16 + parts[i, 19], v * 16, w * 16, 4)
        r, g, b = r * level, g * level, b * level
    out[0], out[1], out[2], out[3], out[4] = max(r, 0.003), max(g, 0.003), max(b, 0.003), gloss, clear
