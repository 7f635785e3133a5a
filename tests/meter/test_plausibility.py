# SPDX-License-Identifier: Apache-2.0
"""Each rule has a light that fires it and one that does not; way-outs lead to lights that do not."""

from __future__ import annotations

import math
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gloamet.document.model import Document
from gloamet.meter.plausibility import RULES, LightFacts, declination_deg, findings
from gloamet.meter.ratio import STARTING_POINTS, NaturalRange, change_of_fill, change_of_lit_side, key_to_fill
from gloamet.sun.position import sun_position

# a clear morning, metered and balanced as a photographer would
GOOD = LightFacts(
    sun_azimuth_deg=140.0,
    sun_elevation_deg=40.0,
    sun_lx=55_000.0,
    latitude_deg=50.0,
    sky_lx=14_000.0,
    key_to_fill=2.0,
    band=NaturalRange(1.2, 2.8),
    light_cct_k=5500.0,
    shade_cct_k=9000.0,
    turbidity=2.6,
    ev=14.5,
    incident_ev=14.7,
    balance_k=5600.0,
    height_m=6.0,
)
FIRES = {
    "two suns": {"panorama_sun_lx": 20_000.0, "panorama_lx": 25_000.0},
    "suns apart": {"panorama_sun": (150.0, 40.0), "panorama_shows": True},
    "two skies": {"panorama_lx": 12_000.0},
    "key to fill": {"key_to_fill": 4.0},
    "wide disc": {"disc_deg": 4.0},
    "never there": {"by_hand": True, "sun_azimuth_deg": 0.0, "sun_elevation_deg": 30.0},
    "from below": {"sun_elevation_deg": -5.0, "sun_lx": 300.0},
    "exposure": {"ev": 11.0},
    "clipped": {"clipped_sky": 0.3},
    "crushed": {"crushed": 0.5},
    "grey shade": {"shade_cct_k": 5600.0},
    "haze": {"haze_visibility_km": 1.0},
    "scale": {"height_m": 6000.0},
    "bounces": {"in_flight": 0.2},
    "lamps": {"has_lamps": True, "lamps_lx": 5.0, "daylight_lx": 9000.0},
    "white balance": {"balance_k": 2800.0},
}


def test_a_good_light_is_met_by_silence() -> None:
    assert findings(GOOD) == []
    assert findings(LightFacts()) == []  # nothing measured, nothing said


@pytest.mark.parametrize("rule", [rule.name for rule in RULES])
def test_every_rule_fires_where_it_should(rule: str) -> None:
    found = {finding.rule: finding for finding in findings(GOOD._replace(**FIRES[rule]))}
    assert rule in found
    assert found[rule].sentence.endswith(".") and len(found[rule].sentence) < 140


@pytest.mark.parametrize(
    ("rule", "quiet"),
    [
        ("two suns", {"panorama_sun_lx": 2000.0, "panorama_lx": 5000.0}),
        ("suns apart", {"panorama_sun": (142.0, 41.0), "panorama_shows": True}),
        ("two skies", {"panorama_lx": 5_000.0}),
        ("never there", {"by_hand": True}),
        ("from below", {"sun_elevation_deg": -5.0, "sun_lx": 0.0}),
        ("haze", {"haze_visibility_km": 1.0, "turbidity": 6.0}),
        ("lamps", {"has_lamps": True, "lamps_lx": 200.0, "daylight_lx": 9000.0}),
        ("exposure", {"ev": 13.0}),
        ("wide disc", {"disc_deg": 4.0, "clear_sky": False}),
    ],
)
def test_every_rule_is_silent_beside_its_limit(rule: str, quiet: dict[str, object]) -> None:
    assert rule not in {finding.rule for finding in findings(GOOD._replace(**quiet))}


@pytest.mark.parametrize("rule", [rule.name for rule in RULES])
def test_ways_out_are_fields_of_the_document(rule: str) -> None:
    for finding in findings(GOOD._replace(**FIRES[rule])):
        if finding.remedy is not None:
            Document().change(finding.remedy.section, **finding.remedy.fields)


@pytest.mark.parametrize("rule", ["grey shade", "wide disc"])
def test_a_way_out_to_nature_is_what_a_new_document_has(rule: str) -> None:
    (remedy,) = (f.remedy for f in findings(GOOD._replace(**FIRES[rule])) if f.rule == rule)
    assert remedy is not None
    section = getattr(Document(), remedy.section)
    assert remedy.fields == {name: getattr(section, name) for name in remedy.fields}


@given(st.floats(-66.0, 66.0), st.integers(0, 8759))
def test_no_real_sun_is_called_impossible(latitude: float, hour: int) -> None:
    at = sun_position(1.8e9 + 3600.0 * hour, latitude, 0.0)
    if float(at.elevation_true_deg) < 1.0:
        return
    facts = GOOD._replace(
        by_hand=True,
        latitude_deg=latitude,
        sun_azimuth_deg=float(at.azimuth_deg),
        sun_elevation_deg=float(at.elevation_deg),
    )
    assert "never there" not in {finding.rule for finding in findings(facts)}


def test_declination_of_the_pole_and_of_noon() -> None:
    assert declination_deg(0.0, 52.0, 52.0) == pytest.approx(90.0)  # the pole stands as high as the latitude
    assert declination_deg(180.0, 90.0 - 52.0 + 20.0, 52.0) == pytest.approx(20.0)


@pytest.mark.proof("Key to fill reaches the ratio asked for", source="its definition", kind="physics")
@given(st.floats(1.0, 1e5), st.floats(1.0, 1e5), st.floats(-8.0, 8.0))
def test_the_ratio_is_set_exactly_and_the_lit_side_is_known(key: float, fill: float, wanted: float) -> None:
    now = key_to_fill(key, fill)
    moved = fill * 2.0 ** change_of_fill(now, wanted)
    assert key_to_fill(key, moved) == pytest.approx(wanted, abs=1e-9)
    change = change_of_lit_side(now, wanted)
    assert (key + moved) / (key + fill) == pytest.approx(2.0**change, rel=1e-9)
    other_key = key * 2.0 ** -change_of_fill(now, wanted)
    change = change_of_lit_side(now, wanted, moves_key=True)
    assert (other_key + fill) / (key + fill) == pytest.approx(2.0**change, rel=1e-9)


def test_a_light_without_key_or_fill_has_no_ratio_to_speak_of() -> None:
    assert key_to_fill(0.0, 5.0) == -math.inf and key_to_fill(5.0, 0.0) == math.inf


# what docs/fill.md promises: silent with the first, said with the second
LIMITS = [
    ("two suns", {"panorama_sun_lx": 2700.0}, {"panorama_sun_lx": 2800.0}),  # 5 % of the brighter, 55 000 lx
    ("suns apart", {"panorama_sun": (140.0, 42.9)}, {"panorama_sun": (140.0, 43.1)}),  # 3 degrees
    ("key to fill", {"key_to_fill": 2.89}, {"key_to_fill": 2.91}),  # a tenth of a stop beyond the band
    ("key to fill", {"key_to_fill": 1.11}, {"key_to_fill": 1.09}),
    ("wide disc", {"disc_deg": 1.49}, {"disc_deg": 1.51}),
    ("from below", {"sun_elevation_deg": -0.79}, {"sun_elevation_deg": -0.81}),
    ("from below", {"sun_elevation_deg": -3.0, "sun_lx": 0.99}, {"sun_elevation_deg": -3.0, "sun_lx": 1.01}),
    ("exposure", {"ev": 12.71}, {"ev": 12.69}),  # two stops from 14.7
    ("exposure", {"ev": 16.69}, {"ev": 16.71}),
    ("clipped", {"clipped_sky": 0.099}, {"clipped_sky": 0.101}),
    ("crushed", {"crushed": 0.199}, {"crushed": 0.201}),
    ("grey shade", {"shade_cct_k": 6010.0}, {"shade_cct_k": 5980.0}),  # 15 mired from 5500 K: 5995 K
    ("haze", {"haze_visibility_km": 5.01}, {"haze_visibility_km": 4.99}),
    ("haze", {"haze_visibility_km": 2.0, "turbidity": 3.01}, {"haze_visibility_km": 2.0, "turbidity": 2.99}),
    (
        "haze",
        {"haze_visibility_km": 2.0, "sun_elevation_deg": 34.9},
        {"haze_visibility_km": 2.0, "sun_elevation_deg": 35.1},
    ),
    ("scale", {"height_m": 0.031}, {"height_m": 0.029}),
    ("scale", {"height_m": 595.0}, {"height_m": 605.0}),
    ("bounces", {"in_flight": 0.049}, {"in_flight": 0.051}),
    ("lamps", {"lamps_lx": 9000.0 / 126.0}, {"lamps_lx": 9000.0 / 130.0}),  # seven stops: 128 times
    ("lamps", {"lamps_lx": 9000.0 * 126.0}, {"lamps_lx": 9000.0 * 130.0}),
    ("white balance", {"balance_k": 4150.0}, {"balance_k": 4120.0}),  # 60 mired warmer than 5500 K: 4135 K
    ("white balance", {"balance_k": 19_000.0}, {"balance_k": 20_000.0}),  # and colder than 9000 K: 19 565 K
    ("two skies", {"panorama_lx": 6_900.0}, {"panorama_lx": 7_100.0}),  # half of 14 000 lx
]
BESIDE = {"suns apart": {"panorama_shows": True}, "lamps": {"has_lamps": True, "daylight_lx": 9000.0}}


@pytest.mark.parametrize(("rule", "silent", "said"), LIMITS)
def test_a_rule_speaks_from_its_limit_on(
    rule: str, silent: dict[str, object], said: dict[str, object]
) -> None:
    facts = GOOD._replace(**BESIDE.get(rule, {}))
    assert rule not in {finding.rule for finding in findings(facts._replace(**silent))}
    (found,) = (finding for finding in findings(facts._replace(**said)) if finding.rule == rule)
    assert (found.value < 0.0) == (found.limit < 0.0)  # the same way


@pytest.mark.parametrize(
    ("elevation", "said"), [(64.3, False), (65.7, True)]
)  # 50 + 23.44 + 1 of declination
def test_a_sun_set_by_hand_beyond_the_solstice_is_said(elevation: float, said: bool) -> None:
    # at noon the height is 90 - latitude + declination; the sun never stands over 90 - 50 + 24.44
    facts = GOOD._replace(by_hand=True, sun_azimuth_deg=180.0, sun_elevation_deg=elevation)
    assert ("never there" in {finding.rule for finding in findings(facts)}) is said


@pytest.mark.parametrize(("height", "taken"), [(42.0, 42.0), (-5.0, -5.0), (-30.0, -20.0)])
def test_the_sun_is_matched_to_the_panoramas_as_low_as_it_goes(height: float, taken: float) -> None:
    facts = GOOD._replace(panorama_sun=(-20.0, height), panorama_shows=True)
    (found,) = (finding for finding in findings(facts) if finding.rule == "suns apart")
    assert found.remedy is not None
    assert found.remedy.fields == {"mode": "manual", "azimuth_deg": 340.0, "elevation_deg": taken}
    Document().change("sun", **found.remedy.fields)


@pytest.mark.parametrize("cct_k", [1500.0, 5500.0, 20_000.0])
def test_ways_out_of_exposure_and_balance_are_the_lights_as_far_as_a_camera_goes(cct_k: float) -> None:
    facts = GOOD._replace(light_cct_k=cct_k, shade_cct_k=cct_k, balance_k=4000.0, ev=5.0, incident_ev=30.0)
    ways = {f.rule: f.remedy.fields for f in findings(facts) if f.remedy is not None}
    assert ways["white balance"] == {"kelvin": min(max(cct_k, 2000.0), 15_000.0)}
    assert ways["exposure"] == {"metering": "manual", "ev": 22.0}


def test_a_starting_point_lies_in_the_range_that_its_reason_names() -> None:
    for point in STARTING_POINTS:
        found = re.search(r"(\d) to (\d) stops", point.reason)
        assert found is not None
        assert float(found[1]) <= point.stops <= float(found[2]), point.word
