"""Every field of the document keeps to the range it shows, at both ends."""

from __future__ import annotations

import math

import pytest
from pydantic import ValidationError

from gloamet.document.metadata import field_range, numeric_fields
from gloamet.document.model import Document


def sections() -> list[tuple[str, str]]:
    return [(section, name) for section, name in numeric_fields() if section in Document.model_fields]


@pytest.mark.parametrize(("section", "name"), sections())
def test_a_field_takes_its_ends_and_refuses_what_lies_beyond(section: str, name: str) -> None:
    field, document = field_range(section, name), Document()
    step = 1.0 if isinstance(getattr(getattr(document, section), name), int) else 1e-6 * max(1.0, field.high)
    for value in (field.low, field.default, field.high):
        kept = getattr(getattr(document.change(section, **{name: value}), section), name)
        assert kept == pytest.approx(value)
    for value in (field.low - step, field.high + step, math.nan, math.inf):
        with pytest.raises(ValidationError):
            document.change(section, **{name: value})


def test_there_are_fields_to_check() -> None:
    assert len(sections()) > 30
