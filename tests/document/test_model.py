# SPDX-License-Identifier: Apache-2.0
"""Every field of the document keeps to the range it shows, at both ends."""

from __future__ import annotations

import math

import pytest
from annotated_types import Ge, Le
from pydantic import ValidationError
from pydantic_core import PydanticUndefined

from gloamet.document.field_types import DocumentModel
from gloamet.document.metadata import field_range, numeric_fields
from gloamet.document.model import Document
from gloamet.document.stage import MaterialEdit
from gloamet.sun.site import zone_name_at


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


@pytest.mark.parametrize("position", [0, 1, 2])
@pytest.mark.parametrize("value", [-0.01, 1.01])
def test_a_share_beyond_its_ends_is_refused(position: int, value: float) -> None:
    fractions = [0.5, 0.5, 0.5]
    fractions[position] = value
    with pytest.raises(ValidationError):
        MaterialEdit(colour=fractions)  # type: ignore[arg-type]
    with pytest.raises(ValidationError):
        Document().change("stage", rectangle=(0.0, *fractions))


@pytest.mark.parametrize(
    "ior", [1.0, 1.31, 1.333, 1.52, 2.42]
)  # air, ice, water, window glass, diamond (handbook)
def test_every_see_through_thing_has_its_index(ior: float) -> None:
    assert MaterialEdit(ior=ior).ior == ior


@pytest.mark.parametrize(
    ("section", "name", "low", "high"),
    [
        ("site", "latitude_deg", -90.0, 90.0),
        ("site", "longitude_deg", -180.0, 180.0),
        ("sun", "azimuth_deg", 0.0, 360.0),
        ("sun", "elevation_deg", -20.0, 90.0),  # beyond the end of twilight nothing of it is left
        ("sun", "north_deg", -180.0, 180.0),
        ("panorama", "sun_azimuth_deg", 0.0, 360.0),
        ("panorama", "sun_elevation_deg", -5.0, 90.0),
        ("panorama", "rotation_deg", -180.0, 180.0),
        ("stage", "rotation_deg", -180.0, 180.0),
    ],
)
def test_angles_end_where_the_sphere_does(section: str, name: str, low: float, high: float) -> None:
    field = field_range(section, name)
    assert (field.low, field.high) == (low, high)


def test_shares_are_told_in_hundredths_and_places_in_a_picture_in_thousandths() -> None:
    checked = 0
    for model in every_model():
        for name, info in model.model_fields.items():
            extra, ends = (
                dict(info.json_schema_extra or {}),
                [m for m in info.metadata if isinstance(m, Ge | Le)],
            )  # type: ignore[arg-type]
            if extra.get("unit") == "" and sorted(getattr(m, "ge", getattr(m, "le", None)) for m in ends) == [
                0,
                1,
            ]:
                checked += 1
                assert extra["digits"] == (3 if name in ("x", "y", "spot_x", "spot_y") else 2), (
                    f"{model.__name__}.{name}"
                )
    assert checked > 20


def test_a_new_document_stands_at_a_place_of_its_own_clock() -> None:
    site = Document().site
    assert zone_name_at(site.latitude_deg, site.longitude_deg) == site.timezone


def test_there_are_fields_to_check() -> None:
    assert len(sections()) > 30


def every_model(base: type[DocumentModel] = DocumentModel) -> set[type[DocumentModel]]:
    """Models of the document, those of lists too."""
    below = {model for sub in base.__subclasses__() for model in every_model(sub)}
    return below | {sub for sub in base.__subclasses__() if sub.__module__.startswith("gloamet.document")}


def test_a_hands_step_is_a_round_number_that_the_decimals_show() -> None:
    checked = 0
    for model in every_model():
        for name, info in model.model_fields.items():
            extra = dict(info.json_schema_extra or {})  # type: ignore[arg-type]
            if "step" not in extra:
                continue
            checked += 1
            step, digits, where = float(extra["step"]), extra["digits"], f"{model.__name__}.{name}"
            lead = float(f"{step:e}".partition("e")[0])
            assert lead in (1.0, 1.5, 2.0, 2.5, 5.0) or step in (16.0, 64.0), where
            assert round(step, digits) == step, where
            if info.default not in (None, PydanticUndefined):
                assert round(float(info.default), digits) == info.default, where
    assert checked > 150
