"""The demo's later shots: whole jobs, each a thing that people do with a matte, to be taken apart."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from cuvrel.demo.looks import PLATE, Doc, behind, key_pull, keys, line, riding, step

FLAGS: Sequence[tuple[int, tuple[int, int], tuple[int, int]]] = (
    (0, (495, 591), (824, 178)), (6, (429, 556), (835, 184)), (12, (341, 449), (900, 358)),
    (18, (350, 450), (914, 396)), (24, (356, 291), (887, 481)), (30, (379, 258), (827, 556)),
    (36, (408, 220), (872, 507)), (42, (487, 156), (845, 188)), (48, (481, 157), (796, 156)),
    (54, (369, 287), (913, 333)), (60, (358, 321), (789, 577)), (66, (353, 414), (825, 549)),
    (72, (438, 551), (911, 306)), (78, (416, 530), (904, 288)), (84, (379, 224), (850, 499)),
    (90, (433, 165), (682, 601)),
)  # fmt: skip
HEAD: Sequence[tuple[int, tuple[int, int]]] = (
    (0, (610, 296)), (20, (632, 302)), (40, (647, 308)), (60, (640, 304)), (80, (623, 300)), (95, (608, 300)),
)  # fmt: skip
RED: Doc = {"hue": 32.3, "hue_width": 26.0, "chroma_low": 0.3, "light_low": 0.35, "light_high": 0.8}
YELLOW: Doc = {"hue": 97.0, "hue_width": 40.0, "chroma_low": 0.12, "light_low": 0.5, "light_high": 0.98}
BLUE: Doc = {"hue": 256.0, "hue_width": 70.0, "chroma_low": 0.06, "light_low": 0.2, "light_high": 0.85}


@dataclass(frozen=True)
class Job:
    """A shot on a clip of the demo. needs: other footage that it names. build: its mattes and its planes.

    Its mattes come beside the clip's. build is told the clip's own matte and the ids of that footage.
    """

    title: str
    clip: str
    needs: tuple[str, ...]
    build: Callable[[str, dict[str, str]], tuple[list[Doc], list[Doc]]]


def ellipse(ident: str, name: str, *path: tuple[int, tuple[float, float], tuple[float, float]], soft: float) -> Doc:
    """A soft ellipse that goes through places: frame, middle, width and height."""
    return {"id": ident, "name": name, "kind": "ellipse", "keys": [
        {"frame": frame, "x": x, "y": y, "width": w, "height": h, "inner": soft, "outer": soft}
        for frame, (x, y), (w, h) in path
    ]}  # fmt: skip


def box(ident: str, name: str, at: tuple[float, float], size: tuple[float, float], angle: float = 0.0) -> Doc:
    """A soft box with round corners that stands still."""
    return {"id": ident, "name": name, "kind": "box", "keys": [
        {"frame": 0, "x": at[0], "y": at[1], "width": size[0], "height": size[1], "angle": angle, "round": 0.5,
         "inner": 4.0, "outer": 12.0}]}  # fmt: skip


def matte(ident: str, name: str, *pulls: Doc, **edge: Any) -> Doc:
    """A matte of pulls that need no marks."""
    return {"id": ident, "name": name, "pulls": list(pulls), "edge": edge}


def shapes(ident: str, name: str, *drawn: Doc) -> Doc:
    """A matte of drawn shapes."""
    return matte(ident, name, key_pull(f"{ident}-shapes", "shape", shapes=list(drawn)))


def plane(ident: str, name: str, kind: str, *treatments: Doc, **more: Any) -> Doc:
    """A plane."""
    return {"id": ident, "name": name, "kind": kind, "treatments": list(treatments), **more}


def another_coat(m: str, footage: dict[str, str]) -> tuple[list[Doc], list[Doc]]:
    """Coat and flags change colour as a drawn line runs round; the action slows for it."""
    around = [
        ellipse("left", "Left flag", *((f, left, (250, 250)) for f, left, _ in FLAGS), soft=20),
        ellipse("right", "Right flag", *((f, right, (250, 250)) for f, _, right in FLAGS), soft=20),
    ]
    (x, y), how = HEAD[0][1], "position, size and turn"
    body = riding(ellipse("body", "Body", (0, (x, y + 130), (330, 300)), soft=24), "coat", 0, how)
    mattes = [
        matte("coat", "Coat", key_pull("blue", "colour_key", params=BLUE),
              key_pull("about-coat", "shape", "intersect", shapes=[body]), grow=0.6, feather_out=1.0),
        matte("flags", "Flags", key_pull("red", "colour_key", params=RED),
              key_pull("yellow", "colour_key", params=YELLOW),
              key_pull("about-flags", "shape", "intersect", shapes=around), grow=0.6, feather_out=1.0),
    ]  # fmt: skip
    slow = {"speed": keys((0, 100.0), (22, 35.0), (60, 35.0), (80, 100.0)), "between": "motion"}
    glow = step(
        "glow", "sweep", core=3.0, reach=24.0, halo_colour=[0.35, 0.85, 0.7], wander=3.0,
        start=[-34.0, -100.0], length=keys((16, 0.0), (44, 1.0)), travel=keys((16, 0.0), (60, 0.35)),
        strength=keys((16, 1.3), (48, 1.3), (66, 0.0)), taper=0.12,
    )  # fmt: skip
    arrives = keys((20, 0.0), (46, 1.0))
    return mattes, [
        line("Energy", m, glow, time=slow),
        plane("new-flags", "Flags, green and blue", "cutout", step("grade", "flag-hue", hue=150.0, saturation=115.0),
              matte="flags", opacity=arrives, time=slow),
        plane("new-coat", "Coat, ochre", "cutout",
              step("selective", "coat-hue", colour=[0.25, 0.38, 0.6], width=60.0, hue=170.0, saturation=160.0),
              matte="coat", opacity=arrives, time=slow),
        {**PLATE, "name": "Plate, slowed", "time": slow},
    ]  # fmt: skip


def flushed(m: str, footage: dict[str, str]) -> tuple[list[Doc], list[Doc]]:
    """A face goes red, spray steams from both ears, all of it riding on the head, and the corners darken."""
    (x, y), how = HEAD[0][1], "position, size and turn"
    face = riding(ellipse("face", "Face", (0, (x, y + 4), (56, 66)), soft=9), "head", 0, how)
    mattes = [shapes("face", "Face", face)]
    steam = []
    for name, side in (("left", -1), ("right", 1)):
        where = ellipse(f"{name}-soft", "Soft", (0, (x + 62 * side, y - 34), (150, 130)), soft=36)
        mattes.append(shapes(f"{name}-ear", f"About the {name} ear", riding(where, "head", 0, how)))
        steam.append(plane(
            f"{name}-steam", f"Steam, {name} ear", "element", blend="screen", params={"footage": footage["spray"]},
            opacity=keys((44, 0.0), (60, 1.0)), gate={"matte": f"{name}-ear"},
            time={"speed": 250.0, "ends": "loop", "offset": 7.0 if side > 0 else 0.0},
            placement={"scale": 17.0, "angle": 24.0 * side, "x": x - 640.0 + 60 * side, "y": y - 412.0},
            ride={"track": "head", "frame": 0, "how": how, "smooth": 3.0},
        ))  # fmt: skip
    red = step("grade", "flush", temperature=keys((10, 0.0), (50, 70.0)), tint=keys((10, 0.0), (50, 55.0)),
               saturation=keys((10, 100.0), (50, 170.0)), exposure=keys((10, 0.0), (50, -0.25)))  # fmt: skip
    vignette = step("vignette", "corners", amount=keys((30, 0.0), (66, 80.0)), centre=[-10.0, -40.0], middle=30.0)
    return mattes, [
        plane("dark", "Corners", "glaze", vignette),
        *steam,
        plane("flush", "Flushed", "glaze", red, gate={"matte": "face"}),
        PLATE,
    ]


def ghosts(m: str, footage: dict[str, str]) -> tuple[list[Doc], list[Doc]]:
    """A trail that draws together where the action is slow."""
    slow = {"speed": keys((0, 100.0), (30, 100.0), (44, 30.0), (70, 30.0), (84, 100.0)), "between": "motion"}
    trail = step("trail", "trail", count=14.0, spacing=2.0, strength=80.0, fade=9.0, blend="screen",
                 tint=[0.35, 0.7, 1.0], tinting=90.0)  # fmt: skip
    return [], [
        plane("trail", "Signaller and his trail", "cutout", trail, matte=m, time=slow),
        plane("world", "Quay darker", "glaze", step("grade", "dusk", exposure=-0.9, saturation=35.0)),
        {**PLATE, "name": "Plate, slowed", "time": slow},
    ]


def inner_fire(m: str, footage: dict[str, str]) -> tuple[list[Doc], list[Doc]]:
    """The outline seen only inside the gull, churning, in four colours."""
    glow = step("glow", "churn", core=7.0, core_colour=[1.0, 1.0, 1.0], reach=34.0, halo_colour=[1.0, 1.0, 1.0],
                strength=0.9, wander=14.0, wander_size=40.0, wander_pace=5.0, wander_detail=0.8)  # fmt: skip
    four = step("corners", "four", at1=[-360.0, -200.0], at2=[380.0, -200.0], at3=[380.0, 80.0], at4=[-360.0, 80.0],
                blend="multiply", turn=keys((0, 0.0), (47, 120.0), ease="linear"))  # fmt: skip
    bloom = step("bloom", "bloom", threshold=0.2, radius=40.0, intensity=0.7)
    return [], [
        plane("fire", "Fire within", "line", glow, four, bloom, matte=m, blend="screen", params={"width": 0.0},
              gate={"matte": m, "part": "inside"}),
        plane("dark", "Gull darker", "cutout", step("grade", "night", exposure=-2.2), matte=m),
        behind("Sheds at dusk", m, exposure=-0.8, temperature=-30.0, saturation=70.0),
        PLATE,
    ]  # fmt: skip


def forty(m: str, footage: dict[str, str]) -> tuple[list[Doc], list[Doc]]:
    """The watchman by difference from a clean plate of two held halves, forty of him in light, two-colour bloom."""
    lantern = ellipse("lamp", "Lantern", *((f, (231 + 14.8 * f, 401), (70, 80)) for f in (0, 71)), soft=14)
    around = ellipse("him", "Watchman", *((f, (165 + 15.6 * f, 412), (200, 290)) for f in (0, 71)), soft=24)
    post = ellipse("post", "Street lamp", (0, (912, 95), (150, 150)), soft=20)
    difference = key_pull("difference", "difference_key", params={
        "plate": footage["night clean plate"], "solve": 0.0, "tolerance": 0.07, "soft": 0.08,
        "shadow": 0.8})  # fmt: skip
    mattes = [
        shapes("lamp", "Lantern", lantern),
        matte("by-difference", "Watchman by difference", difference,
              key_pull("not-the-lamp", "shape", "subtract", shapes=[post]),
              {**key_pull("own-light", "luma_key", params={"low": 0.55, "soft_low": 0.2}), "region": "lamp"},
              key_pull("held-in", "shape", "intersect", shapes=[around]),
              specks=60, holes=400, feather_out=1.5),
    ]  # fmt: skip
    trail = step("trail", "forty", count=40.0, spacing=1.0, strength=55.0, fade=5.0, blend="screen")
    bloom = step("bloom", "bloom", threshold=0.25, knee=0.3, radius=70.0, intensity=1.1, colours="two",
                 dim=[1.0, 0.5, 0.2], bright=[0.55, 0.75, 1.0])  # fmt: skip
    return mattes, [
        plane("watchman", "Watchman", "cutout", step("grade", "lift", exposure=0.7), matte=m),
        plane("light", "Forty in light", "cutout", trail, bloom, matte="by-difference", blend="screen",
              opacity=keys((8, 0.0), (24, 1.0)), time={"shutter": 180.0}),
        plane("night", "Night darker", "glaze", step("grade", "night", exposure=-0.5)),
        PLATE,
    ]  # fmt: skip


def held(m: str, footage: dict[str, str]) -> tuple[list[Doc], list[Doc]]:
    """The action freezes; soft boxes of colour flicker on the flags and the face, and the picture breathes."""
    freeze = {"speed": keys((0, 100.0), (48, 0.0), ease="hold")}
    marks = [
        shapes("flag-left", "Left flag's box", box("fl", "Box", (478, 172), (190, 170), -8)),
        shapes("flag-right", "Right flag's box", box("fr", "Box", (820, 172), (210, 180), 16)),
        shapes("face-box", "Face's box", box("fb", "Box", (647, 308), (104, 110))),
    ]
    colours = ((0.93, 0.72, 0.2), (0.25, 0.7, 0.85), (0.9, 0.3, 0.25))
    patterns = ("1011101111", "1101111", "1110101")
    fills = [
        plane(f"fill{n}", f"Colour on the {shape['name'].removesuffix(chr(39) + 's box').lower()}", "fill",
              params={"colour1": colour}, blend="hard-light", gate={"matte": shape["id"]},
              opacity={"drive": "flicker", "base": keys((50 + 4 * n, 0.0), (62 + 4 * n, 0.8), (84, 0.8), (94, 0.0)),
                       "amount": 0.15, "pace": 12.0, "pattern": pattern}, group="all", first=48)
        for n, (shape, colour, pattern) in enumerate(zip(marks, colours, patterns, strict=True))
    ]  # fmt: skip
    push = {"scale": keys((48, 100.0), (74, 109.0), (95, 100.0)), "border": "mirror"}
    return marks, [
        plane("all", "All, pushed in and out", "group", placement=push),
        *fills,
        plane("front", "Signaller in colour", "cutout", matte=m, time=freeze, group="all"),
        {**PLATE, "name": "Plate, grey", "time": freeze, "group": "all", "treatments": [
            step("grade", "grey", saturation=keys((40, 100.0), (52, 0.0)))]},
    ]  # fmt: skip


def dream(m: str, footage: dict[str, str]) -> tuple[list[Doc], list[Doc]]:
    """A dreamy glow about one porter, a wider one over all, and the whole balanced."""
    near = step("bloom", "near", threshold=0.3, knee=0.4, radius=46.0, intensity=0.4,
                reach_red=180.0, reach_green=100.0, reach_blue=60.0)  # fmt: skip
    wide = step("bloom", "wide", threshold=0.5, knee=0.4, radius=240.0, intensity=0.4)
    return [], [
        plane("top", "Balanced", "glaze", wide, step("balance", "balance", amount=80.0, middle=30.0)),
        plane("porter", "First porter, glowing", "cutout", near, matte=m),
        behind("Quay dimmed", m, exposure=-1.3, saturation=55.0, temperature=-10.0),
        PLATE,
    ]


JOBS: Sequence[Job] = (
    Job("a coat and flags change colour", "signaller", (), another_coat),
    Job("flushed", "signaller", ("spray",), flushed),
    Job("a trail in slow motion", "signaller", (), ghosts),
    Job("fire within", "gull", (), inner_fire),
    Job("forty watchmen", "night-watch", ("night clean plate",), forty),
    Job("held, with colour", "signaller", (), held),
    Job("a dream of a porter", "porters", (), dream),
)


def job_document(job: Job, number: int, base: Doc, others: dict[str, Doc]) -> Doc:
    """The shot of a job. base: the clip's own document. others: entries of the footage that it needs, by name."""
    own = base["mattes"][0]
    mattes, planes = job.build(own["id"], {name: entry["id"] for name, entry in others.items()})
    return {
        **base,
        "name": f"Shot {number:02d} · {job.title}",
        "footage": [*base["footage"], *others.values()],
        "mattes": [own, *mattes],
        "planes": planes,
    }
