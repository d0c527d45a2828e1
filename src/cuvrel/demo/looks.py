"""What the demo shots show: mattes and planes that suit each kind of footage."""

from __future__ import annotations

from typing import Any

from cuvrel.core.recipe.models import Mark
from cuvrel.demo.tracked import TRACKS

Doc = dict[str, Any]


def keys(*pairs: tuple[int, float], ease: str = "smooth") -> Doc:
    """Keyframes of a value."""
    return {"keys": [{"frame": frame, "value": value, "ease": ease} for frame, value in pairs]}


def step(kind: str, ident: str, **params: Any) -> Doc:
    """A treatment."""
    return {"id": ident, "kind": kind, "params": params}


def riding(thing: Doc, track: str, frame: int, how: str, **more: Any) -> Doc:
    """A drawn shape that rides on a track from a frame on."""
    return {**thing, "rides": [{"track": track, "frame": frame, "how": how, **more}]}


def line(name: str, matte: str, glow: Doc, width: float = 0.0, **more: Any) -> Doc:
    """A line on a matte's edge that glows."""
    return {"id": "outline", "name": name, "kind": "line", "matte": matte, "blend": "add", "params": {"width": width},
            "treatments": [glow], **more}  # fmt: skip


def lifted(name: str, matte: str, **grade: Any) -> Doc:
    """The subject, graded."""
    return {
        "id": "lift",
        "name": name,
        "kind": "cutout",
        "matte": matte,
        "treatments": [step("grade", "grade2", **grade)],
    }


def behind(name: str, matte: str, opacity: Any = 1.0, part: str = "outside", **grade: Any) -> Doc:
    """Everything but the subject, graded."""
    return {"id": "world", "name": name, "kind": "glaze", "gate": {"matte": matte, "part": part}, "opacity": opacity,
            "treatments": [step("grade", "grade1", **grade)]}  # fmt: skip


PLATE: Doc = {"id": "plate", "name": "Plate", "kind": "plate"}


def signaller(m: str) -> list[Doc]:
    """A burning outline on a signaller in colour, before a quay that loses its own."""
    glow = step(
        "glow", "glow1", core=4.0, reach=30.0, wander=5.0, strength=keys((4, 0.0), (20, 1.1), (80, 1.1), (95, 0.5))
    )
    return [
        line("Outline", m, glow),
        lifted("Signaller lifted", m, exposure=0.25, saturation=112.0),
        behind("Quay loses colour", m, keys((0, 0.0), (24, 1.0)), saturation=14.0, exposure=-0.7, contrast=12.0,
               temperature=-12.0),
        PLATE,
    ]  # fmt: skip


def night_watch(m: str) -> list[Doc]:
    """The watchman is brought out of the dark without lifting the night."""
    return [
        lifted("Watchman lifted", m, exposure=1.1, contrast=10.0, temperature=10.0),
        behind("Night goes blue", m, temperature=-30.0, exposure=-0.25, saturation=80.0),
        PLATE,
    ]  # fmt: skip


def flag_drill(m: str) -> list[Doc]:
    """The only colour left is the flag's."""
    return [behind("Dusk without colour", m, saturation=0.0, contrast=18.0), lifted("Flag", m, saturation=120.0), PLATE]


def notice_board(m: str) -> list[Doc]:
    """A pale line that draws the eye to the board."""
    glow = step("glow", "glow1", core=2.5, reach=14.0, core_colour=[1.0, 1.0, 1.0], halo_colour=[0.45, 0.75, 1.0],
                strength=keys((0, 0.0), (12, 0.8)))  # fmt: skip
    return [line("Board's line", m, glow), behind("Yard darker", m, exposure=-0.8, saturation=60.0), PLATE]


def porters(m: str) -> list[Doc]:
    """One of three is picked out."""
    return [
        lifted("First porter", m, exposure=0.3, saturation=125.0),
        behind("The others lose their colour", m, keys((0, 0.0), (24, 1.0)), saturation=0.0, exposure=-0.5),
        PLATE,
    ]


def gull(m: str) -> list[Doc]:
    """A soft light about the feathers."""
    glow = step("glow", "glow1", core=0.0, reach=42.0, halo_colour=[0.75, 0.88, 1.0], strength=0.7)
    return [
        lifted("Gull", m, exposure=0.2),
        line("Light", m, glow, opacity=0.9),
        behind("Sheds cooler", m, temperature=-25.0),
        PLATE,
    ]


def take(m: str) -> list[Doc]:
    """The plate as it is, the subject a little warmer."""
    return [lifted("Warmer", m, temperature=18.0, exposure=0.1), PLATE]


def fan(m: str, spray: str) -> list[Doc]:
    """The signaller slowed down, three of him fanning out behind and closing in, spray before a quay without colour."""
    slow = {"speed": keys((0, 100.0), (26, 40.0), (70, 40.0), (95, 100.0)), "between": "motion"}
    ghosts: list[Doc] = []
    for n, (across, turn) in enumerate(((-150.0, -7.0), (150.0, 7.0), (-290.0, -13.0)), 1):
        way = {
            "x": keys((8, 0.0), (34, across), (64, across), (88, 0.0)),
            "angle": keys((8, 0.0), (34, turn), (64, turn), (88, 0.0)),
            "anchor_y": 250.0,
        }
        ghosts.append({"id": f"ghost{n}", "name": f"Signaller, {5 * n} frames late", "kind": "cutout", "matte": m,
                       "group": "fan", "opacity": 0.85 - 0.15 * n, "placement": way,
                       "time": {**slow, "between": "mix", "offset": 5.0 * n}})  # fmt: skip
    return [
        {"id": "spray", "name": "Spray", "kind": "element", "blend": "screen", "opacity": keys((4, 0.0), (30, 0.8)),
         "params": {"footage": spray}, "time": {"ends": "loop"}},
        {"id": "front", "name": "Signaller, slowed", "kind": "cutout", "matte": m, "time": slow},
        {"id": "fan", "name": "Fan", "kind": "group", "opacity": keys((8, 0.0), (18, 1.0), (80, 1.0), (88, 0.0))},
        *ghosts,
        {"id": "world", "name": "Quay loses colour", "kind": "glaze", "opacity": keys((6, 0.0), (34, 1.0)),
         "treatments": [step("grade", "grade1", saturation=8.0, exposure=-0.7, contrast=10.0, temperature=-10.0)]},
        {**PLATE, "name": "Plate, slowed", "time": slow},
    ]  # fmt: skip


def key_pull(ident: str, kind: str, join: str = "add", **more: Any) -> Doc:
    """A pull that needs no marks."""
    return {"id": ident, "kind": kind, "join": join, **more}


def more_mattes(clip: str) -> tuple[list[Doc], list[Doc]]:
    """Mattes of a clip that are pulled without marks, and the planes in front that use them."""
    if clip == "flag-drill":
        around: Doc = {"id": "around", "name": "About the flag", "kind": "box", "keys": [
            {"frame": 0, "x": 632, "y": 346, "width": 600, "height": 400, "angle": 2, "round": 0.3,
             "inner": 10, "outer": 40}]}  # fmt: skip
        red = {"hue": 33.0, "hue_width": 50.0, "chroma_low": 0.28, "light_low": 0.3, "light_high": 0.9}
        pulls = [key_pull("red", "colour_key", params=red), key_pull("about", "shape", "intersect", shapes=[around])]
        return [{"id": "cloth", "name": "Red cloth", "pulls": pulls, "edge": {"specks": 12}}], []
    if clip == "night-watch":
        bright = {"low": 0.72, "soft_low": 0.16, "blur": 1.5}
        glow = step("glow", "glow2", core=0.0, reach=26.0, halo_colour=[1.0, 0.72, 0.35], strength=0.5)
        lights: Doc = {"id": "lights", "name": "Lights", "pulls": [key_pull("bright", "luma_key", params=bright)]}
        return [lights], [{**line("Lights glow", "lights", glow), "id": "lamps"}]
    return [], []


SHOTS: dict[str, tuple[str, str, Any]] = {
    "signaller": ("semaphore", "Signaller", signaller),
    "night-watch": ("night watch", "Watchman", night_watch),
    "flag-drill": ("flag drill", "Flag", flag_drill),
    "notice-board": ("notice board", "Board", notice_board),
    "porters": ("porters", "First porter", porters),
    "gull": ("gull", "Gull", gull),
    "take-a": ("take A, coil", "Coil", take),
    "take-b": ("take B, gull", "Gull", take),
}


def fan_document(document: Doc, spray: Doc) -> Doc:
    """The signaller's shot once more, with what time and placement can do. spray: the document's entry of it."""
    matte = document["mattes"][0]["id"]
    return {
        **document,
        "name": "Shot 09 · three more signallers",
        "footage": [*document["footage"], spray],
        "mattes": document["mattes"][:1],
        "planes": fan(matte, spray["id"]),
    }


def demo_document(plate: Doc, marks: list[Mark], clip: str = "signaller") -> Doc:
    """The shot of a clip. plate: the document's entry of the footage."""
    number = list(SHOTS).index(clip) + 1
    title, matte, planes = SHOTS[clip]
    ident = matte.lower().replace(" ", "-")
    mattes, front = more_mattes(clip)
    return {
        "name": f"Shot {number:02d} · {title}",
        "plate": plate["id"],
        "footage": [plate],
        "tracks": TRACKS.get(clip, []),
        "mattes": [
            {
                "id": ident,
                "name": matte,
                "pulls": [{"id": "trace1", "kind": "trace", "marks": [m.model_dump(mode="json") for m in marks]}],
                "edge": {"grow": -0.4, "specks": 18},
            },
            *mattes,
        ],
        "planes": [*front, *planes(ident)],
    }
