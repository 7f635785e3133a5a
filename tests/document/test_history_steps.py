# SPDX-License-Identifier: Apache-2.0
"""Going several steps of the history at once."""

from __future__ import annotations

from gloamet.document.history import History
from gloamet.document.model import Document


def turbidities(documents: list[Document]) -> list[float]:
    return [document.air.turbidity for document in documents]


def test_steps_before_and_after_are_listed_and_reached_at_once() -> None:
    history = History(Document().change("air", turbidity=2.0))
    for value in (3.0, 4.0, 5.0):
        history.push(history.current.change("air", turbidity=value))
    assert history.move(-2).air.turbidity == 3.0
    assert turbidities(history.earlier(9)) == [2.0] and turbidities(history.later(9)) == [4.0, 5.0]
    assert turbidities(history.later(1)) == [4.0]  # the nearest
    assert history.move(1).air.turbidity == 4.0
    assert history.move(9).air.turbidity == 5.0  # as far as there are steps
    assert history.move(0).air.turbidity == 5.0
    assert history.move(-99).air.turbidity == 2.0 and not history.can_undo
