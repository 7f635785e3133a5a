# SPDX-License-Identifier: Apache-2.0
"""A sequence's moments: even or gentle, through a change of the clock, along a motion."""

from __future__ import annotations

from datetime import datetime

import numpy as np
import pytest

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.translation.document_to_light import sun_from_document
from gloamet.translation.sequence import drive_sun, easing_curve, sequence_documents
from tests.stage.test_sun_drivers import SCENE

A, B = datetime(2026, 5, 24, 6, 0), datetime(2026, 5, 24, 18, 0)


def test_even_steps_are_even_and_both_ends_are_there() -> None:
    document = Document().change("sequence", start=A, end=B, frames=13)
    frames = sequence_documents(document)
    assert [f.sun.wall_time for f in frames] == [datetime(2026, 5, 24, h) for h in range(6, 19)]
    assert all(f.sun.mode == "almanac" for f in frames)
    backwards = sequence_documents(document.change("sequence", start=B, end=A))
    assert [f.sun for f in backwards] == [f.sun for f in frames][::-1]


def test_gentle_steps_leave_and_arrive_slowly_and_are_symmetric() -> None:
    fractions = easing_curve(21, "gentle")
    steps = np.diff(fractions)
    assert fractions[0] == 0.0 and fractions[-1] == 1.0
    assert steps[0] < 0.2 * steps[10]
    assert np.allclose(steps, steps[::-1])


def test_a_night_with_a_change_of_the_clock_has_no_gap() -> None:
    # Riga, 29 March 2026: 03:00 becomes 04:00
    document = Document().change(
        "sequence", start=datetime(2026, 3, 29, 1, 0), end=datetime(2026, 3, 29, 6, 0), frames=5
    )
    assert [f.sun.wall_time.hour for f in sequence_documents(document)] == [1, 2, 4, 5, 6]


def test_along_a_motion_the_sun_goes_where_its_leader_goes() -> None:
    document = (
        Document()
        .change("sun", mode="driver", driver="swing", north_deg=25.0)
        .change("sequence", along="motion", frames=3)
    )
    suns = [sun_from_document(f) for f in sequence_documents(document, SCENE)]
    assert [round(a) for a, _ in suns] == [90, 135, 180]
    assert suns[0][1] == pytest.approx(10.0, abs=1e-4)
    assert drive_sun(Document(), SCENE) == Document()


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"start": A}, "set both"),
        ({"start": A, "end": A}, "same moment"),
        ({"along": "motion"}, "needs a driver"),
    ],
)
def test_what_cannot_be_a_sequence_says_why(values: dict[str, object], words: str) -> None:
    with pytest.raises(GloametError, match=words):
        sequence_documents(Document().change("sequence", **values))


def test_a_leader_that_stands_still_is_no_sequence() -> None:
    document = Document().change("sun", driver="key").change("sequence", along="motion")
    with pytest.raises(GloametError, match="is not animated"):
        sequence_documents(document, SCENE)
