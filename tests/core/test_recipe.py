"""The document: what is refused and with which words; upgrades; the published schema."""

import json
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from cuvrel import publish
from cuvrel.core.recipe import upgrades
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.declared import all_declared, declared
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.hashing import hash_bytes, hash_file, hash_tree, key_of
from cuvrel.core.recipe.values import START
from cuvrel.demo import guide
from tests.recipes import document

DOCS = Path(__file__).parents[2] / "docs"


def refused(raw: Any) -> str:
    with pytest.raises(RecipeError) as fault:
        read_shot(raw)
    return str(fault.value)


def test_a_good_document_survives_a_round_trip() -> None:
    shot = read_shot(document())
    assert read_shot(json.loads(shot.model_dump_json())) == shot


def test_it_fits_its_published_schema() -> None:
    schema = json.loads((DOCS / "schemas/recipe.json").read_text())
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(read_shot(document()).model_dump(mode="json"), schema)


def test_the_published_schemas_are_what_the_models_say(tmp_path: Path) -> None:
    publish.write(tmp_path)
    for name in ("recipe.json", "openapi.json"):
        assert (tmp_path / name).read_text() == (DOCS / "schemas" / name).read_text()


def test_the_page_of_treatments_is_what_they_declare() -> None:
    assert guide.page() == (DOCS / "treatments.md").read_text()
    shown = {file.stem for file in (DOCS / "treatments").iterdir()}
    assert shown == {entry.kind for entry in guide.treatments()}


@pytest.mark.parametrize("raw", [None, [], "shot", 3, {}, {"name": "x"}])
def test_other_things_than_documents_are_refused(raw: Any) -> None:
    assert refused(raw)


def test_a_plate_that_is_not_there_is_named() -> None:
    assert "'9'" in refused(document(plate="9"))


def test_both_ends_of_a_dangling_reference_are_named() -> None:
    raw = document()
    raw["planes"][0]["matte"] = "gone"
    text = refused(raw)
    assert "Outline" in text
    assert "gone" in text
    raw = document()
    raw["planes"][1]["gate"]["matte"] = "gone"
    assert "Grey quay" in refused(raw)


def test_a_matte_in_use_cannot_go() -> None:
    assert "m1" in refused(document(mattes=[]))


def test_repeated_ids_are_refused() -> None:
    raw = document()
    raw["planes"][1]["id"] = "p1"
    assert "p1" in refused(raw)


def test_a_line_without_a_matte_is_refused() -> None:
    raw = document()
    del raw["planes"][0]["matte"]
    assert "needs a matte" in refused(raw)


def test_a_glow_needs_a_matte_on_its_plane() -> None:
    raw = document()
    raw["planes"][3]["treatments"] = [{"id": "s9", "kind": "glow"}]
    assert "gate" in refused(raw)


def test_an_unknown_treatment_lists_the_known_ones() -> None:
    raw = document()
    raw["planes"][1]["treatments"][0]["kind"] = "sparkle"
    text = refused(raw)
    assert "sparkle" in text
    assert "grade" in text


@pytest.mark.parametrize(
    ("params", "word"),
    [
        ({"exposure": 99}, "between"),
        ({"exposure": "bright"}, "Exposure"),
        ({"exposure": [1, 0, 0]}, "Exposure"),
        ({"colour": 1}, "colour"),
        ({"saturation": {"keys": [{"frame": 0, "value": 9999}]}}, "between"),
        ({"saturation": {"keys": []}}, "Saturation"),
    ],
)
def test_parameters_are_held_to_their_declaration(params: dict[str, Any], word: str) -> None:
    raw = document()
    raw["planes"][1]["treatments"][0]["params"] = params
    text = refused(raw)
    assert word in text
    assert "Grade" in text


def test_a_value_that_can_not_move_takes_no_keyframes() -> None:
    raw = document()
    raw["mattes"][0]["pulls"][0]["params"] = {"snap": {"keys": [{"frame": 0, "value": 0.5}]}}
    assert "keyframes" in refused(raw)


@pytest.mark.parametrize("opacity", [-0.1, 1.5, {"keys": [{"frame": 0, "value": 2}]}])
def test_opacity_lies_between_0_and_1(opacity: Any) -> None:
    raw = document()
    raw["planes"][0]["opacity"] = opacity
    assert "between 0 and 1" in refused(raw)


def test_numbers_that_are_none_are_refused() -> None:
    raw = document()
    raw["planes"][0]["opacity"] = float("nan")
    assert refused(raw)


def test_unknown_fields_are_refused() -> None:
    assert "shine" in refused(document(shine=1))


def test_a_newer_document_is_refused_and_an_older_one_upgraded(monkeypatch: pytest.MonkeyPatch) -> None:
    assert "version 7" in refused(document(version=7))
    monkeypatch.setitem(upgrades.UPGRADES, 0, lambda raw: {**raw, "version": 1})
    assert upgrades.upgrade({"version": 0, "name": "old"})["version"] == upgrades.VERSION
    assert "can't be read any more" in refused(document(version=-1))


def test_every_declared_default_is_in_its_range_and_labelled() -> None:
    for item in all_declared():
        values = item.read({}).at(START)
        for name in item.params.fields():
            assert item.params.model_fields[name].title, f"{item.kind}.{name} has no label"
            assert name in values


def test_declared_refuses_what_nobody_declared() -> None:
    with pytest.raises(RecipeError, match="shimmer"):
        declared("treatment", "shimmer")


def test_keys_depend_on_content_alone(tmp_path: Path) -> None:
    assert key_of("a", {"x": 1, "y": 2}) == key_of("a", {"y": 2, "x": 1})
    assert key_of("a", 1) != key_of("a", 1.5)
    assert len(key_of()) == 40
    (tmp_path / "f").write_bytes(b"quay" * 100_000)
    assert hash_file(tmp_path / "f") == hash_bytes(b"quay" * 100_000)


def test_the_key_of_a_folder_is_that_of_its_files_and_their_places_but_not_of_what_is_compiled(tmp_path: Path) -> None:
    def tree(name: str, files: dict[str, str]) -> str:
        for place, text in files.items():
            file = tmp_path / name / place
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(text)
        return hash_tree(tmp_path / name)

    once = tree("a", {"key": "1", "pulls/net": "2"})
    assert tree("b", {"key": "1", "pulls/net": "2", "__pycache__/key": "3"}) == once
    other = tree("c", {"key": "1", "pulls/net": "3"}), tree("d", {"key": "1", "net": "2"}), tree("e", {"key": "1"})
    assert len({once, *other}) == 4
