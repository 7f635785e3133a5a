# SPDX-License-Identifier: Apache-2.0
"""Parts of a document taken by themselves: they touch their own fields alone, over all fields."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gloamet.document.differences import differences
from gloamet.document.metadata import field_range, numeric_fields
from gloamet.document.model import Document
from gloamet.document.parts import PARTS, part_of, with_parts
from gloamet.document.stage import MaterialEdit


def everything_else() -> Document:
    """A document whose numbers all stand elsewhere."""
    document = Document()
    for section, name in numeric_fields():
        found = field_range(section, name)
        value: Any = found.low + 0.37 * (found.high - found.low)
        if isinstance(found.default, float) and abs(value - found.default) < 1e-9:
            value = found.high
        position: Any = document
        for part in section.split(".") if section else ():
            position = getattr(position, part)
        if isinstance(getattr(position, name), int):
            value = round(value)
        try:
            document = document.change(section, **{name: value})
        except ValueError:  # two fields that depend on each other
            continue
    return document.change("stage", materials={"oak": MaterialEdit(roughness=0.3)})


OTHER = everything_else().change("sun", wall_time=datetime(2027, 1, 5, 12))


@settings(max_examples=60, deadline=None)
@given(st.sets(st.sampled_from(sorted(PARTS))))
def test_parts_touch_their_own_fields_alone(parts: set[str]) -> None:
    made = with_parts(Document(), OTHER, parts)
    changed = {d.path for d in differences(Document(), made)}
    wanted = {d.path for d in differences(Document(), OTHER) if part_of(d.path) in parts}
    assert changed == wanted
    # what they are is the other's
    assert not [d for d in differences(made, OTHER) if part_of(d.path) in parts]


@pytest.mark.parametrize(
    ("part", "sections"),
    [
        ("sun", {"site", "sun"}),
        ("air", {"air", "sky", "light_shafts"}),
        ("fill", {"fill", "panorama"}),
        ("expose", {"expose"}),
        ("view", {"stage.view"}),
        ("materials", {"stage.materials"}),
    ],
)
def test_each_part_takes_the_sections_an_artist_means_by_it(part: str, sections: set[str]) -> None:
    made = with_parts(Document(), OTHER, [part])
    paths = [d.path for d in differences(Document(), made)]
    found = {".".join(map(str, path[:2] if path[0] == "stage" else path[:1])) for path in paths}
    assert sections <= found <= sections | {"stage.plaster", "stage.lamps"}


def test_every_part_has_fields_that_differ() -> None:
    found = {part_of(d.path) for d in differences(Document(), OTHER)}
    assert set(PARTS) <= found


def test_a_part_there_is_not_is_refused() -> None:
    with pytest.raises(KeyError):
        with_parts(Document(), OTHER, ["weather"])
