# SPDX-License-Identifier: Apache-2.0
"""Facts for the checks: what a document and the meter say, and what is left out where it is not known."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.document.model import Document
from gloamet.light_layers import Gains, even_gains
from gloamet.meter.card_light import CardLight
from gloamet.meter.light import read_light
from gloamet.sky.air import Air
from gloamet.sky.sky_solver import SkySolver
from gloamet.translation.document_to_facts import Measures, all_on, facts_of, findings_of

SUN = (200.0, 40.0)


def test_a_document_of_nature_has_nothing_to_be_said(solver: SkySolver) -> None:
    reading = read_light(solver.dome(Air(2.6), *SUN))
    document = Document().change("sun", mode="manual", azimuth_deg=180.0, elevation_deg=40.0)
    facts = facts_of(document, (180.0, 40.0), reading, Measures(ev=99.0), Gains())
    assert findings_of(document, facts) == []  # an automatic exposure is the meter's own
    assert facts.band is None and math.isnan(facts.height_m) and facts.lamps_lx == 0.0


def test_an_exposure_by_hand_and_a_great_compensation_are_looked_at(solver: SkySolver) -> None:
    reading = read_light(solver.dome(Air(2.6), *SUN))
    hand = Document().change("expose", metering="manual", ev=10.0)
    more = Document().change("expose", compensation=3.0)
    for document, ev in ((hand, 10.0), (more, reading.incident_ev - 3.0)):
        facts = facts_of(document, SUN, reading, Measures(ev=10.0), Gains())
        assert facts.ev == pytest.approx(ev)
        assert "exposure" in {finding.rule for finding in findings_of(document, facts)}


def test_north_is_taken_out_of_directions_of_the_scene(solver: SkySolver) -> None:
    reading = read_light(solver.dome(Air(2.6), *SUN))
    document = Document().change("sun", north_deg=30.0).change("panorama", file="evening.exr")
    facts = facts_of(document, SUN, reading, Measures(panorama_sun=(10.0, 20.0)), Gains())
    assert facts.sun_azimuth_deg == 170.0 and facts.panorama_sun == (340.0, 20.0)
    assert facts.panorama_shows
    lifted = document.change("panorama", sun_removed=True)
    assert not facts_of(lifted, SUN, reading, Measures(), Gains()).panorama_shows


def test_lamps_and_daylight_are_those_of_the_level_card_under_the_gains(solver: SkySolver) -> None:
    reading = read_light(solver.dome(Air(2.6), *SUN))
    whole = np.zeros((3, 4, 3), np.float32)
    whole[0] = np.array([100.0, 20.0, 4.0, 1.0], np.float32)[:, None]  # sun, sky, lamps, panorama
    cards = CardLight(whole, np.zeros_like(whole))
    facts = facts_of(
        Document(), SUN, reading, Measures(cards=cards, has_lamps=True), even_gains(0.5, 1.0, 2.0, 3.0)
    )
    assert facts.lamps_lx == pytest.approx(8.0, rel=1e-5)
    assert facts.daylight_lx == pytest.approx(50.0 + 20.0 + 3.0, rel=1e-5)


def test_what_the_artist_wants_is_not_said_again(solver: SkySolver) -> None:
    reading = read_light(solver.dome(Air(2.6), *SUN))
    wide = Document().change("sun", diameter_deg=5.0)
    facts = facts_of(wide, SUN, reading, Measures(), Gains())
    assert "wide disc" in {f.rule for f in findings_of(wide, facts)}
    wanted = wide.change("fill", dismissed=("wide disc",))
    assert "wide disc" not in {f.rule for f in findings_of(wanted, facts)}


def test_a_light_off_or_alone_is_not_held_against_nature() -> None:
    assert all_on(Document())
    assert not all_on(Document().change("fill", solo="sun"))
    assert not all_on(Document().change("fill", sky_on=False))
