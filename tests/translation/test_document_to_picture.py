# SPDX-License-Identifier: Apache-2.0
"""From the document to exposure: which way each control works, and by how much."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.document.model import Document
from gloamet.meter.picture import SeenSurfaces
from gloamet.translation.document_to_picture import develop_settings, exposure_from_document

CARD = 0.18


def no_incident() -> float:
    raise AssertionError("this way of metering does not ask for it")


def lit_card(lux: float) -> tuple[np.ndarray, SeenSurfaces]:
    """A picture of a matt 18 % card in so much light."""
    picture = np.full((40, 60, 3), lux * CARD / math.pi, np.float32)
    return picture, SeenSurfaces(np.full((40, 60, 3), CARD, np.float32), np.full((40, 60), 3.0, np.float32))


@pytest.mark.proof(
    "Scene metering reads the illuminance of a card", source="ISO 2720, C = 250", kind="published"
)
@pytest.mark.parametrize("lux", [80_000.0, 10_000.0, 2_000.0])
def test_the_scene_meter_reads_the_light_on_a_card(lux: float) -> None:
    # incident metering, ISO 2720 with C = 250: E = 2.5 * 2**EV
    metered = exposure_from_document(Document(), *lit_card(lux), no_incident).metered_ev
    assert metered == pytest.approx(math.log2(lux / 2.5), abs=0.02)


def test_compensation_brightens_by_stops() -> None:
    picture, seen = lit_card(20_000.0)
    plain, brighter = (
        exposure_from_document(Document().change("expose", compensation=stops), picture, seen, no_incident)
        for stops in (0.0, 1.5)
    )
    assert plain.ev - brighter.ev == pytest.approx(1.5)
    assert plain.metered_ev - brighter.metered_ev == pytest.approx(1.5)


def test_a_hand_set_exposure_is_what_it_says() -> None:
    document = Document().change("expose", metering="manual", ev=11.3, compensation=2.0)
    assert exposure_from_document(document, *lit_card(50_000.0), no_incident).ev == 11.3
    assert develop_settings(document, 11.3).ev == 11.3
