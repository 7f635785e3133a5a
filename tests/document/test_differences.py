# SPDX-License-Identifier: Apache-2.0
"""What differs between documents, in fields and in words."""

from __future__ import annotations

from datetime import datetime

from gloamet.document.differences import difference_label, differences, step_label
from gloamet.document.expose import MaskState
from gloamet.document.model import Document


def words(before: Document, after: Document) -> list[str]:
    return [difference_label(d) for d in differences(before, after)]


def test_equal_documents_differ_in_nothing() -> None:
    assert differences(Document(), Document()) == []
    assert step_label(Document(), Document()) == ""


def test_a_difference_is_said_as_an_artist_says_it() -> None:
    before = Document()
    after = before.change("air", turbidity=5.0).change("sun", wall_time=datetime(2026, 5, 24, 15, 20))
    after = after.change("fill", sky_stops=0.5).change("expose", kelvin=6500.0, balance=False)
    assert words(before, after) == [
        "time 09:20 → 15:20",
        "turbidity 2.50 → 5.00"
        if before.air.turbidity == 2.5
        else f"turbidity {before.air.turbidity:.2f} → 5.00",
        "sky 0.00 stops → 0.50 stops",
        "balance on → off",
        "white balance 5600 K → 6500 K",
    ]


def test_a_value_below_nothing_has_the_sign_of_print() -> None:
    assert words(Document(), Document().change("fill", sky_stops=-1.5)) == ["sky 0.00 stops → −1.50 stops"]


def test_another_day_is_said_with_its_date() -> None:
    after = Document().change("sun", wall_time=datetime(2026, 6, 2, 9, 20))
    assert words(Document(), after) == ["time 24 May 09:20 → 02 Jun 09:20"]


def test_fields_inside_lists_are_found_and_lists_of_another_length_are_one() -> None:
    one = Document().change("expose", masks=(MaskState(name="a"),))
    brighter = one.change(("expose", "masks", 0), exposure=2.0)
    (found,) = differences(one, brighter)
    assert found.path == ("expose", "masks", 0, "exposure")
    assert "masks 1" in difference_label(found)
    assert words(Document(), one) == ["masks changed"]


def test_a_step_says_its_first_few_changes_and_how_many_more() -> None:
    many = Document().change("fill", sun_stops=1.0, sky_stops=1.0, lamps_stops=1.0, panorama_stops=1.0)
    assert step_label(Document(), many).endswith("and 2 more")
    turned = Document().change("stage.view", fov_deg=50.0)
    assert step_label(Document(), turned) == "view"
