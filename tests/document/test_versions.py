# SPDX-License-Identifier: Apache-2.0
"""Files of earlier versions: a project and a look saved by version 1 with every field set, and what becomes of them."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from gloamet.document.file import load_document, save_document
from gloamet.document.looks import read_look
from gloamet.document.metadata import numeric_fields
from gloamet.document.model import Document
from gloamet.document.versions import RENAMED_IN_2, REWORDED_IN_2, of_present_version
from gloamet.errors import GloametError

SAVED = Path(__file__).parent / "data"
TREE: dict[str, Any] = json.loads((SAVED / "version_1.gloamet").read_text())
MATERIAL, PROP = "wood", 0


def at(tree: Any, path: str) -> Any:
    """A value of the saved tree, "*" standing for the first item of a list or dictionary."""
    for step in path.split("."):
        first = next(iter(tree)) if isinstance(tree, dict) else 0
        tree = tree[first if step == "*" else step]
    return tree


def present_path(path: str) -> str:
    steps = path.split(".")
    return ".".join(RENAMED_IN_2.get(".".join(steps[: k + 1]), step) for k, step in enumerate(steps))


@pytest.mark.parametrize("path", [path for path in RENAMED_IN_2 if path.count(".")])
def test_every_renamed_field_keeps_its_value(path: str) -> None:
    before, after = at(TREE, path), at(of_present_version(TREE), present_path(path))
    reworded = REWORDED_IN_2.get(path, {})
    assert after == (reworded.get(before, before) if isinstance(before, str) else before)


def test_a_project_of_version_1_opens_with_nothing_at_its_default() -> None:
    document, plain = load_document(SAVED / "version_1.gloamet"), Document()
    for section, name in numeric_fields():
        old: Any = document
        new: Any = plain
        for part in section.split("."):
            old, new = getattr(old, part), getattr(new, part)
        assert getattr(old, name) != getattr(new, name), (section, name)
    assert document.sun.mode == "driver" and document.sun.driver == "lamp post"
    assert document.stage.props[0].extent_m > 0.0 and document.expose.dependent_setting == "iso"


def test_a_project_of_version_1_is_saved_as_version_2_and_reads_the_same(tmp_path: Path) -> None:
    document = load_document(SAVED / "version_1.gloamet")
    save_document(document, tmp_path / "now.gloamet")
    assert json.loads((tmp_path / "now.gloamet").read_text())["version"] == 2
    assert load_document(tmp_path / "now.gloamet") == document


def test_a_look_of_version_1_has_the_present_names() -> None:
    look = read_look(SAVED / "version_1.look.json")
    assert look.description == "All of it." and look.sun is not None and look.sun.elevation_deg == 7.0
    assert look.fields == {
        "air.sky_model": "physical",
        "air.haze_on": True,
        "air.haze_visibility_km": 2.5,
        "sun.moon": True,
        "expose.warmth_kept": 0.5,
        "fill.sky_indirect_stops": 1.0,
        "expose.allowed_clipping": 2.0,
    }


def test_a_project_of_a_later_version_is_refused_with_a_sentence(tmp_path: Path) -> None:
    (tmp_path / "later.gloamet").write_text(json.dumps({**TREE, "version": 3}))
    with pytest.raises(GloametError, match="has version 3, this Gloamet reads up to 2"):
        load_document(tmp_path / "later.gloamet")


def test_the_quality_of_a_version_1_project_keeps_its_meaning_under_its_new_name() -> None:
    tree = {"version": 1, "stage": {"quality": "steady"}}
    assert of_present_version(tree)["stage"] == {"quality": "standard"}
