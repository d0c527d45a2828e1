"""The demo's shots of the second half of the treatments: lines and print, bends and breaks."""

from __future__ import annotations

from collections.abc import Sequence

from cuvrel.demo.jobs import BLUE, FLAGS, HEAD, Job, box, ellipse, matte, plane, shapes
from cuvrel.demo.looks import PLATE, Doc, key_pull, keys, riding, step

Made = tuple[list[Doc], list[Doc]]
SLOW_BLUR: Doc = {"shutter": 180.0}


def _outside(m: str) -> Doc:
    return {"matte": m, "part": "outside"}


def _restless(m: str, first: float, last: float, frames: int) -> Made:
    """Churn, blur and bend behind the subject alone, growing echoes of it, grain over all; pushed from first to last.

    first, last: per cent of its size.
    """
    grows = {"scale": keys((0, 96.0), (frames, 62.0)), "y": keys((0, 10.0), (frames, 60.0))}
    echoes = []
    for n, across in ((1, (-30.0, -210.0)), (2, (30.0, 210.0))):
        apart = step("fringe", f"apart{n}", amount=keys((0, 3.0), (frames, 26.0)))
        way = {**grows, "x": keys((0, across[0]), (frames, across[1]))}
        echoes.append(plane(f"echo{n}", f"Echo {n}, smaller", "cutout", apart, matte=m, group="all", blend="screen",
                            opacity=keys((0, 0.0), (frames // 4, 0.7)), placement=way))  # fmt: skip
    return [], [
        plane("grain", "Grain", "glaze", step("grain", "grain", amount=11.0, size=1.8)),
        plane("all", "All, moved and blurred by it", "group",
              placement={"scale": keys((0, first), (frames, last)), "border": "mirror", "shutter": 180.0}),
        plane("front", "Subject as it is", "cutout", matte=m, group="all"),
        *echoes,
        plane("restless", "Restless background", "glaze", step("churn", "churn", amount=26.0, size=150.0, pace=1.4),
              step("blur", "soft", radius=9.0), step("lens", "bend", bend=16.0), gate=_outside(m), group="all"),
        {**PLATE, "group": "all"},
    ]  # fmt: skip


def pushed_in(m: str, footage: dict[str, str]) -> Made:
    """A push in on a restless quay."""
    return _restless(m, 100.0, 118.0, 95)


def pulled_out(m: str, footage: dict[str, str]) -> Made:
    """A pull out from a restless sky."""
    return _restless(m, 118.0, 100.0, 47)


def printed(m: str, footage: dict[str, str]) -> Made:
    """Dots in the lights and hatching in the shadows by luma mattes, contours, stronger colour, a misprint."""
    mattes = [
        matte("lights", "Lights", key_pull("light", "luma_key", params={"low": 0.6, "soft_low": 0.12})),
        matte("shadows", "Shadows", key_pull("dark", "luma_key", params={"low": 0.0, "high": 0.36, "soft_high": 0.1})),
    ]
    return mattes, [
        plane("contours", "Drawn contours", "glaze", step("ink", "ink", width=2.6, inner=0.75)),
        plane("hatched", "Hatched shadows", "glaze", step("hatch", "hatch", spacing=7.0, from_dark=0.5, weight=0.6),
              gate={"matte": "shadows"}),
        plane("dotted", "Dotted lights", "glaze", step("halftone", "dots", size=8.0, inks="four"),
              gate={"matte": "lights"}, opacity=0.75),
        plane("misprint", "Misprint", "glaze", step("fringe", "apart", amount=7.0, direction=20.0)),
        plane("strong", "Stronger colour", "glaze", step("grade", "strong", saturation=170.0, contrast=14.0)),
        PLATE,
    ]  # fmt: skip


def filled(m: str, footage: dict[str, str]) -> Made:
    """The silhouette is a window on a flag drill, which rides along and breaks up, over the darker quay."""
    own = key_pull("again", "footage", params={"plane": "own", "channel": "alpha"})
    soft = matte("soft", "Soft silhouette", own, feather_out=7.0, feather_in=3.0)
    rides = {"x": keys(*((f, (x - 640.0) * 1.0) for f, (x, _) in HEAD), ease="linear"),
             "y": keys(*((f, (y - 296.0) * 1.0) for f, (_, y) in HEAD), ease="linear"), "scale": 106.0}  # fmt: skip
    breaks = step("sort", "sorted", direction=90.0, low=0.45, amount=keys((0, 15.0), (48, 100.0), (95, 15.0)),
                  longest=160.0)  # fmt: skip
    return [soft], [
        plane("within", "Flag within", "element", step("grade", "lift", exposure=0.4, saturation=140.0), breaks,
              params={"footage": footage["flag-drill"]}, gate={"matte": "soft"}, placement=rides,
              time={"ends": "loop"}),
        plane("own", "Signaller, for his silhouette", "cutout", matte=m),
        plane("dim", "Quay darker", "glaze", step("grade", "dusk", exposure=-0.7, saturation=60.0), gate=_outside(m)),
        PLATE,
    ]  # fmt: skip


def interference(m: str, footage: dict[str, str]) -> Made:
    """Noise and colour fringe on the coat alone: a colour key held in by a shape that is moved frame by frame."""
    body = ellipse("body", "Body", *((f, (x, y + 130), (330, 300)) for f, (x, y) in HEAD), soft=24)
    coat = matte("coat", "Coat", key_pull("blue", "colour_key", params=BLUE),
                 key_pull("about-coat", "shape", "intersect", shapes=[body]), grow=1.5, feather_out=2.0,
                 holes=400)  # fmt: skip
    noise = step("signal", "noise", noise=0.8, tears=0.0, jitter=7.0, dropped=0.1, line=3.0)
    return [coat], [
        plane("broken", "Coat, disturbed", "glaze", noise, step("fringe", "apart", amount=14.0, steps=5.0),
              gate={"matte": "coat"}),
        PLATE,
    ]  # fmt: skip


def by_lantern(m: str, footage: dict[str, str]) -> Made:
    """Coloured edge lines, churned and glowing, where the lantern's light falls; blurred at first, shaken, faded."""
    lantern = ellipse("lamp", "Lantern", *((f, (231 + 14.8 * f, 401), (420, 420)) for f in (0, 71)), soft=150)
    bright = key_pull("bright", "luma_key", params={"low": 0.16, "soft_low": 0.12, "blur": 40.0})
    light = matte("light", "Lantern's light", bright,
                  key_pull("held-in", "shape", "intersect", shapes=[lantern]), grow=40.0,
                  feather_out=40.0)  # fmt: skip
    lines = [
        step("edges", "lines", by="by direction", width=2.4, threshold=1.5, detail=0.6, clean=20.0, strength=1.6),
        step("churn", "churn", amount=5.0, size=44.0, pace=3.0),
        step("bloom", "glow", threshold=0.1, radius=26.0, intensity=1.4),
        step("directional", "fall", length=keys((0, 140.0), (14, 0.0)), direction=90.0),
        step("shake", "shake", across=4.0, down=4.0, turn=0.3, pace=7.0),
    ]
    return [light], [
        plane("lines", "Lines of light", "glaze", *lines, gate={"matte": "light"},
              opacity=keys((0, 1.0), (60, 1.0), (71, 0.0))),
        plane("dark", "Night darker", "glaze", step("grade", "night", exposure=-1.2, saturation=40.0)),
        PLATE,
    ]  # fmt: skip


def turn_of_wing(m: str, footage: dict[str, str]) -> Made:
    """A copy taken from itself, blurred and glowing twice, in screen mode; comes with a turn of the gull, and goes."""
    differs = step("differs", "edges", how="shifted and blurred", shift=5.0, direction=-35.0, radius=5.0, gain=5.0)
    glow = [
        step("blur", "soft", radius=2.5),
        step("bloom", "near", threshold=0.08, radius=16.0, intensity=1.6, colours="one", dim=[0.5, 0.85, 1.0]),
        step("bloom", "far", threshold=0.15, radius=90.0, intensity=1.1),
    ]
    return [], [
        plane("light", "Edges in light", "cutout", differs, *glow, matte=m, blend="screen",
              opacity=keys((8, 0.0), (18, 1.0), (32, 1.0), (42, 0.0))),
        plane("dusk", "Sheds darker", "glaze",
              step("grade", "dusk", exposure=keys((8, 0.0), (18, -0.9), (32, -0.9), (42, 0.0))), gate=_outside(m)),
        PLATE,
    ]  # fmt: skip


def line_world(m: str, footage: dict[str, str]) -> Made:
    """A world of edge lines with the real porter in it; a ripple runs through it, and spares a soft ellipse."""
    about = ellipse("about", "About him", (0, (420, 420), (420, 620)), (95, (780, 420), (420, 620)), soft=70)
    spared = matte("spared", "Spared", key_pull("shape", "shape", shapes=[about]),
                   key_pull("and-him", "footage", params={"plane": "porter", "channel": "alpha"}),
                   feather_out=30.0)  # fmt: skip
    ripple = step("ripple", "ripple", height=16.0, length=110.0, phase=keys((0, 0.0), (95, 1080.0), ease="linear"))
    lines = step("edges", "lines", threshold=3.0, width=1.8, ink=[0.55, 0.95, 0.85], clean=22.0, detail=0.75)
    return [spared], [
        plane("porter", "First porter, real", "cutout", matte=m),
        plane("rippled", "Ripple about him", "glaze", ripple, gate=_outside("spared")),
        plane("world", "World of lines", "glaze", lines,
              step("bloom", "glow", threshold=0.2, radius=14.0, intensity=0.6)),
        PLATE,
    ]  # fmt: skip


def _arm(side: int) -> Doc:
    """An arm and its flag: the hand's end was put by hand, the shoulder's two points ride on the coat."""
    name, shoulder = ("left", 548.0) if side == 0 else ("right", 676.0)
    keyed = []
    for frame, *flags in FLAGS:
        x, y = flags[side]
        away = ((x - shoulder) ** 2 + (y - 360.0) ** 2) ** 0.5
        u, v = (x - shoulder) / away, (y - 360.0) / away
        ends = [(shoulder - 30 * v, 360 + 30 * u), (x + 90 * u - 120 * v, y + 90 * v + 120 * u),
                (x + 90 * u + 120 * v, y + 90 * v - 120 * u), (shoulder + 30 * v, 360 - 30 * u)]  # fmt: skip
        keyed.append({"frame": frame, "points": [{"x": round(a, 1), "y": round(b, 1), "outer": 12.0} for a, b in ends]})
    rides = [{"track": "coat", "frame": 0, "how": "position", "only": [0, 3]}]
    return {"id": f"{name}-arm", "name": f"{name.capitalize()} arm", "kind": "polygon", "keys": keyed, "rides": rides}


def slid_to_rest(m: str, footage: dict[str, str]) -> Made:
    """The quay slides past mirrored and comes to rest, copies fan in from both sides and join, a scratch marks it."""
    spread = keys((0, 1.0), (30, 1.0), (60, 0.0))
    clones = step("clones", "fan", count=3.0, fan="both sides", spread=spread, offset=170.0, turn=6.0, last=45.0)
    torso = riding(
        ellipse("torso", "Torso", (0, (612, 430), (230, 330)), soft=14), "coat", 0, "position, size and turn"
    )
    head = riding(ellipse("face", "Head", (0, (610, 292), (120, 130)), soft=10), "head", 0, "position, size and turn")
    legs = riding(box("legs", "Legs", (612, 620), (200, 260)), "coat", 0, "position")
    drawn = [torso, head, legs, *(_arm(side) for side in (0, 1))]
    limbs = matte("limbs", "Limb by limb", key_pull("again", "footage", params={"plane": "front", "channel": "alpha"}),
                  key_pull("limb-shapes", "shape", "intersect", shapes=drawn))  # fmt: skip
    slide = step("slide", "slide", across=-2600.0, frame=58.0, ease=26.0, shutter=300.0)
    return [limbs], [
        plane("scratch", "Scratch as they meet", "element", blend="screen", params={"footage": footage["scratches"]},
              time={"offset": 52.0}, first=52, last=68),
        plane("front", "Signaller", "cutout", matte=m),
        plane("copies", "Copies, joining", "cutout", clones, matte="limbs", last=62),
        plane("slides", "Quay slides", "glaze", slide),
        PLATE,
    ]  # fmt: skip


def windows(m: str, footage: dict[str, str]) -> Made:
    """Frames that open onto another picture, the watchman before them; bursts of broken signal, blur, and a grade."""
    places = ((300.0, 250.0, 220.0, 300.0), (640.0, 230.0, 240.0, 330.0), (985.0, 250.0, 220.0, 300.0))
    frames = [box(f"frame{n}", f"Frame {n}", (x, y), (w, h)) for n, (x, y, w, h) in enumerate(places, 1)]
    broken = step("signal", "bursts", noise=0.35, tears=150.0, jitter=6.0, dropped=0.1, bursts="in bursts", rate=1.6,
                  length=6.0)  # fmt: skip
    sorting = step("sort", "sorted", direction=0.0, low=0.25, high=1.0, amount=keys((20, 0.0), (34, 70.0), (48, 0.0)))
    return [shapes("frames", "Frames", *frames)], [
        plane("look", "Cold print", "glaze", step("grade", "cold", contrast=14.0, temperature=-14.0, saturation=85.0)),
        plane("breaks", "Breaks", "glaze", broken, sorting),
        plane("watchman", "Watchman in front", "cutout", matte=m, time=SLOW_BLUR),
        plane("open", "What the frames open onto", "element", params={"footage": footage["gull"]},
              gate={"matte": "frames"}, time={"ends": "loop"}),
        {**PLATE, "time": SLOW_BLUR},
    ]  # fmt: skip


MORE_JOBS: Sequence[Job] = (
    Job("restless quay, pushed in", "signaller", (), pushed_in),
    Job("restless sky, pulled out", "gull", (), pulled_out),
    Job("printed", "porters", (), printed),
    Job("a window in a silhouette", "signaller", ("flag-drill",), filled),
    Job("a coat disturbed", "signaller", (), interference),
    Job("lines by lantern light", "night-watch", (), by_lantern),
    Job("at the turn of a wing", "gull", (), turn_of_wing),
    Job("a porter in a world of lines", "porters", (), line_world),
    Job("slid to rest", "signaller", ("scratches",), slid_to_rest),
    Job("frames that open", "night-watch", ("gull",), windows),
)
