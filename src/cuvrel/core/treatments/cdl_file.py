"""ASC CDL files, read and written: `.cc`, `.ccc` and `.cdl`, which are XML of one kind.

Source: ASC Color Decision List 1.2. Of a file with several corrections the first counts.
"""

from __future__ import annotations

from typing import Any
from xml.etree import ElementTree as Xml

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.treatments.cdl import CHANNELS

NAMESPACE = "urn:ASC:CDL:v1.01"
NAMES = (("Slope", "slope"), ("Offset", "offset"), ("Power", "power"))
WRONG = "This is no CDL file."


def written(values: dict[str, Any], name: str) -> str:
    """A file of one correction, as text, from plain values of the treatment."""
    whole = Xml.Element("ColorDecisionList", {"xmlns": NAMESPACE})
    correction = Xml.SubElement(Xml.SubElement(whole, "ColorDecision"), "ColorCorrection", {"id": name})
    sop = Xml.SubElement(correction, "SOPNode")
    for tag, stem in NAMES:
        Xml.SubElement(sop, tag).text = " ".join(f"{float(values[f'{stem}_{c}']):.6g}" for c in CHANNELS)
    sat = Xml.SubElement(correction, "SatNode")
    Xml.SubElement(sat, "Saturation").text = f"{float(values['saturation']):.6g}"
    Xml.indent(whole)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + Xml.tostring(whole, encoding="unicode") + "\n"


def read(text: str) -> dict[str, float]:
    """The treatment's values in a file; what it does not say is neutral. Raises RecipeError with a sentence."""
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise RecipeError(WRONG, "It defines its own entities, which no such file does.")
    try:
        whole = Xml.fromstring(text)
    except Xml.ParseError as fault:
        raise RecipeError(WRONG, f"It can't be read as XML: {fault}.") from fault
    nodes = list(whole.iter())
    correction = next((node for node in nodes if _bare(node) == "ColorCorrection"), None)
    if correction is None:
        raise RecipeError(WRONG, "There is no ColorCorrection in it.")
    values = {f"{stem}_{c}": 0.0 if stem == "offset" else 1.0 for _, stem in NAMES for c in CHANNELS}
    values["saturation"] = 1.0
    for node in correction.iter():
        for tag, stem in NAMES:
            if _bare(node) == tag:
                values |= {f"{stem}_{c}": n for c, n in zip(CHANNELS, _numbers(node, 3), strict=True)}
        if _bare(node) == "Saturation":
            values["saturation"] = _numbers(node, 1)[0]
    return values


def _bare(node: Xml.Element) -> str:
    """A tag without its name space."""
    return str(node.tag).rpartition("}")[2]


def _numbers(node: Xml.Element, count: int) -> list[float]:
    words = (node.text or "").split()
    try:
        found = [float(word) for word in words]
    except ValueError:
        found = []
    if len(found) != count:
        raise RecipeError(f"{_bare(node)} should be {count} number{'s' if count > 1 else ''}, not '{' '.join(words)}'.")
    return found
