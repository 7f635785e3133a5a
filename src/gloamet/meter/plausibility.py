# SPDX-License-Identifier: Apache-2.0
"""Plausibility rules: measures of a light with their limits, and a remedy for each.

`LightFacts` enter; `Finding`s leave, of those rules that fire, in the order of `RULES`. A rule that lacks its measure
is silent. Limits are common practice unless a rule names its source.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple

from gloamet.meter.ratio import NaturalRange

OBLIQUITY_DEG = 23.44  # of the ecliptic (Astronomical Almanac): no sun stands farther from the equator
NAN = math.nan


class LightFacts(NamedTuple):
    """What the rules look at; nan, None and empty say that a measure is missing. Directions are of the world, north
    not turned in; shares 0..1; key_to_fill in stops. lamps_lx and daylight_lx are those on a horizontal card in the
    scene; ev of an automatic exposure counts its compensation alone; in_flight is the fraction of light that the bounce
    limit cuts off."""

    sun_azimuth_deg: float = NAN
    sun_elevation_deg: float = NAN
    sun_lx: float = 0.0
    latitude_deg: float = NAN
    by_hand: bool = False
    disc_deg: float = 0.533
    sky_lx: float = 0.0
    panorama_lx: float = 0.0
    panorama_sun: tuple[float, float] | None = None
    panorama_sun_lx: float = 0.0
    panorama_shows: bool = False
    lamps_lx: float = 0.0
    daylight_lx: float = 0.0
    has_lamps: bool = False
    key_to_fill: float = NAN
    band: NaturalRange | None = None
    light_cct_k: float = NAN
    shade_cct_k: float = NAN
    turbidity: float = NAN
    haze_visibility_km: float = NAN
    ev: float = NAN
    incident_ev: float = NAN
    balance_k: float = NAN
    clipped_sky: float = 0.0
    crushed: float = 0.0
    height_m: float = NAN
    in_flight: float = 0.0
    clear_sky: bool = True


class Remedy(NamedTuple):
    """A remedy: its label, and the fields of a section of the document that it sets."""

    word: str
    section: str
    fields: dict[str, Any]


class Finding(NamedTuple):
    """A rule that fired: its name, the measured value, the limit, the message, and the remedy."""

    rule: str
    value: float
    limit: float
    sentence: str
    remedy: Remedy | None = None


class Rule(NamedTuple):
    """A rule: its name, the label of its measure, and its finding for given facts."""

    name: str
    measure: str
    check: Callable[[LightFacts], Finding | None]


def _apart_deg(a: tuple[float, float], b: tuple[float, float]) -> float:
    (p, q), (r, s) = ((math.radians(v) for v in pair) for pair in (a, b))
    cosine = math.sin(q) * math.sin(s) + math.cos(q) * math.cos(s) * math.cos(p - r)
    return math.degrees(math.acos(min(1.0, max(-1.0, cosine))))


def _two_suns(f: LightFacts) -> Finding | None:
    dimmer = min(f.sun_lx, f.panorama_sun_lx)
    fraction = dimmer / max(f.sun_lx, f.panorama_sun_lx, 1e-9)
    if fraction <= TWO_SUNS:
        return None
    lift = Remedy("Remove its sun", "panorama", {"sun_removed": True})
    message = f"Two suns: the sun of the panorama has {100 * fraction:.0f} % of the illuminance of the brighter one."
    return Finding("two suns", fraction, TWO_SUNS, message, lift)


def _suns_apart(f: LightFacts) -> Finding | None:
    if f.panorama_sun is None or f.sun_lx <= 0.0 or not f.panorama_shows:
        return None
    angle = _apart_deg(f.panorama_sun, (f.sun_azimuth_deg, f.sun_elevation_deg))
    if angle <= SUNS_APART_DEG:
        return None
    azimuth, elevation = f.panorama_sun
    fields = {"mode": "manual", "azimuth_deg": azimuth % 360.0, "elevation_deg": max(-20.0, elevation)}
    message = f"Shadows are {angle:.0f}° off the sun of the panorama."
    return Finding("suns apart", angle, SUNS_APART_DEG, message, Remedy("Match the sun", "sun", fields))


def _ratio(f: LightFacts) -> Finding | None:
    if f.band is None or not math.isfinite(f.key_to_fill):
        return None
    off = f.band.off(f.key_to_fill)
    if abs(off) <= RATIO_OFF:
        return None
    side = "flatter" if off < 0.0 else "harder"
    message = (
        f"Key to fill {f.key_to_fill:+.1f} stops is {abs(off):.1f} {side} than the natural range at this sun elevation "
        f"({f.band.low:+.1f} to {f.band.high:+.1f})."
    ).replace("-", "−")
    limit = f.band.low if off < 0.0 else f.band.high
    reset = dict.fromkeys(("sun_stops", "sky_stops", "panorama_stops"), 0.0)
    return Finding("key to fill", f.key_to_fill, limit, message, Remedy("Reset to physical", "fill", reset))


def _wide_disc(f: LightFacts) -> Finding | None:
    if f.disc_deg <= WIDEST_DISC_DEG or f.sun_lx <= 0.0 or not f.clear_sky:
        return None
    message = f"A sun disc of {f.disc_deg:.1f}° gives penumbrae {f.disc_deg / 0.533:.0f} times wider than the real sun."
    return Finding(
        "wide disc", f.disc_deg, WIDEST_DISC_DEG, message, Remedy("0.533°", "sun", {"diameter_deg": 0.533})
    )


def declination_deg(azimuth_deg: float, elevation_deg: float, latitude_deg: float) -> float:
    """Declination of a direction seen from a latitude (spherical astronomy, any textbook).

    >>> round(declination_deg(180.0, 40.0, 50.0), 6)
    -0.0
    """
    a, e, p = (math.radians(v) for v in (azimuth_deg, elevation_deg, latitude_deg))
    sine = math.sin(p) * math.sin(e) + math.cos(p) * math.cos(e) * math.cos(a)
    return math.degrees(math.asin(min(1.0, max(-1.0, sine))))


def _never_there(f: LightFacts) -> Finding | None:
    if not f.by_hand or f.sun_lx <= 0.0 or not math.isfinite(f.latitude_deg):
        return None
    declination = declination_deg(f.sun_azimuth_deg, f.sun_elevation_deg, f.latitude_deg)
    beyond = abs(declination) - OBLIQUITY_DEG
    if beyond <= NEVER_DEG:
        return None
    side = "north" if declination > 0.0 else "south"
    message = f"This sun direction does not occur at this latitude: {beyond:.0f}° too far {side}."
    return Finding(
        "never there", beyond, NEVER_DEG, message, Remedy("Use the almanac", "sun", {"mode": "almanac"})
    )


def _from_below(f: LightFacts) -> Finding | None:
    if not math.isfinite(f.sun_elevation_deg) or f.sun_elevation_deg >= BELOW_DEG or f.sun_lx <= LIGHT_LX:
        return None
    message = f"The sun lights the scene from {abs(f.sun_elevation_deg):.1f}° below the horizon."
    return Finding("from below", f.sun_elevation_deg, BELOW_DEG, message)


def _exposure(f: LightFacts) -> Finding | None:
    off = f.ev - f.incident_ev
    if not math.isfinite(off) or abs(off) <= EXPOSURE_OFF:
        return None
    side = "under" if off > 0.0 else "over"
    message = f"Exposed {abs(off):.1f} stops {side} the incident reading on horizontal ground (EV {f.incident_ev:.1f})."
    fields = {"metering": "manual", "ev": min(22.0, max(-8.0, f.incident_ev))}
    return Finding(
        "exposure", off, math.copysign(EXPOSURE_OFF, off), message, Remedy("incident", "expose", fields)
    )


def _clipped(f: LightFacts) -> Finding | None:
    if f.clipped_sky <= CLIPPED_SHARE:
        return None
    message = f"{100 * f.clipped_sky:.0f} % of the picture is clipped to white."
    return Finding("clipped", f.clipped_sky, CLIPPED_SHARE, message)


def _crushed(f: LightFacts) -> Finding | None:
    if f.crushed <= CRUSHED_SHARE:
        return None
    message = f"{100 * f.crushed:.0f} % of the picture is crushed to black."
    return Finding("crushed", f.crushed, CRUSHED_SHARE, message)


def _grey_shade(f: LightFacts) -> Finding | None:
    if f.sun_lx <= 0.1 * f.sky_lx or not f.clear_sky or not f.light_cct_k > 0.0 or not f.shade_cct_k > 0.0:
        return None
    bluer = 1e6 / f.light_cct_k - 1e6 / f.shade_cct_k  # mired
    if not math.isfinite(bluer) or bluer >= LEAST_BLUE_MIRED:
        return None
    message = f"Shade is only {bluer:.0f} mired bluer than the light: under a clear sky it is blue.".replace(
        "-", "−"
    )
    fields = {"sky_saturation": 1.0, "sky_mired": 0.0, "sky_tint_strength": 0.0}
    return Finding(
        "grey shade", bluer, LEAST_BLUE_MIRED, message, Remedy("Reset the sky colour", "fill", fields)
    )


def _haze(f: LightFacts) -> Finding | None:
    if (
        not (f.haze_visibility_km > 0.0 and f.turbidity > 0.0)
        or f.haze_visibility_km >= HAZE_KM
        or f.turbidity >= HAZE_TURBIDITY
    ):
        return None
    if f.sun_elevation_deg < HAZE_SUN_DEG:
        return None
    message = (
        f"Visibility {f.haze_visibility_km:.1f} km under a sky of turbidity {f.turbidity:.1f}: haze this "
        f"dense does not last with the sun at {f.sun_elevation_deg:.0f}°."
    )
    return Finding(
        "haze", f.haze_visibility_km, HAZE_KM, message, Remedy("Raise turbidity", "air", {"turbidity": 5.0})
    )


def _scale(f: LightFacts) -> Finding | None:
    if not math.isfinite(f.height_m) or LOWEST_M <= f.height_m <= HIGHEST_M:
        return None
    limit = LOWEST_M if f.height_m < LOWEST_M else HIGHEST_M
    message = f"The model is {f.height_m:.3g} m high: penumbrae, haze and depth of field follow its size."
    return Finding("scale", f.height_m, limit, message)


def _bounces(f: LightFacts) -> Finding | None:
    if f.in_flight <= IN_FLIGHT:
        return None
    message = (
        f"{100 * f.in_flight:.0f} % of the light is cut off by the bounce limit: corners become too dark."
    )
    return Finding(
        "bounces", f.in_flight, IN_FLIGHT, message, Remedy("Final quality", "stage", {"quality": "final"})
    )


def _lamps(f: LightFacts) -> Finding | None:
    if not f.has_lamps or f.lamps_lx <= 0.0 or f.daylight_lx <= 0.0:
        return None
    stops = math.log2(f.lamps_lx / f.daylight_lx)
    if -LAMP_STOPS <= stops <= LAMP_STOPS:
        return None
    message = (
        f"Lamps are {-stops:.0f} stops below daylight and not visible."
        if stops < 0.0
        else f"Lamps are {stops:.0f} stops above daylight."
    )
    return Finding("lamps", stops, -LAMP_STOPS if stops < 0.0 else LAMP_STOPS, message)


def _balance(f: LightFacts) -> Finding | None:
    if not all(v > 0.0 for v in (f.balance_k, f.light_cct_k, f.shade_cct_k)):
        return None
    warm, cool = sorted((1e6 / f.light_cct_k, 1e6 / f.shade_cct_k), reverse=True)
    mired = 1e6 / f.balance_k
    off = max(0.0, mired - warm) + min(0.0, mired - cool)
    if abs(off) <= BALANCE_MIRED:
        return None
    message = (
        f"White balance {f.balance_k:.0f} K is far from both the light ({f.light_cct_k:.0f} K) and the shade "
        f"({f.shade_cct_k:.0f} K)."
    )
    kelvin = min(15000.0, max(2000.0, f.light_cct_k))
    limit = math.copysign(BALANCE_MIRED, off)
    return Finding(
        "white balance", off, limit, message, Remedy("Balance on the light", "expose", {"kelvin": kelvin})
    )


def _both_fully(f: LightFacts) -> Finding | None:
    sky, other = f.sky_lx, f.panorama_lx - f.panorama_sun_lx
    fraction = min(sky, other) / max(sky, other, 1e-9)
    if fraction <= BOTH_FULLY:
        return None
    message = (
        f"Two skies: sky and panorama both light the scene, one with {100 * fraction:.0f} % of the other."
    )
    return Finding(
        "two skies", fraction, BOTH_FULLY, message, Remedy("Use the panorama only", "fill", {"sky_on": False})
    )


TWO_SUNS, SUNS_APART_DEG, RATIO_OFF = 0.05, 3.0, 0.1
WIDEST_DISC_DEG, NEVER_DEG, BELOW_DEG, LIGHT_LX = 1.5, 1.0, -0.8, 1.0
EXPOSURE_OFF, CLIPPED_SHARE, CRUSHED_SHARE = 2.0, 0.1, 0.2
LEAST_BLUE_MIRED, HAZE_KM, HAZE_TURBIDITY, HAZE_SUN_DEG = 15.0, 5.0, 3.0, 35.0
LOWEST_M, HIGHEST_M, IN_FLIGHT = 0.03, 600.0, 0.05
LAMP_STOPS, BALANCE_MIRED, BOTH_FULLY = 7.0, 60.0, 0.5

RULES = (
    Rule("two suns", "horizontal illuminance of the dimmer sun over the brighter", _two_suns),
    Rule("suns apart", "angle between the sun and the sun of the panorama, degrees", _suns_apart),
    Rule(
        "two skies",
        "horizontal illuminance of the dimmer of sky and panorama over the other, without suns",
        _both_fully,
    ),
    Rule(
        "key to fill",
        "key to fill in stops against the natural range at this elevation and turbidity",
        _ratio,
    ),
    Rule("wide disc", "diameter of the sun disc under a clear sky, degrees", _wide_disc),
    Rule("never there", "declination beyond 23.44°, degrees", _never_there),
    Rule("from below", "elevation of a sun that gives light, degrees", _from_below),
    Rule("exposure", "manual EV minus horizontal incident EV, or the compensation", _exposure),
    Rule("clipped", "fraction of pixels at white", _clipped),
    Rule("crushed", "fraction of pixels at black", _crushed),
    Rule("grey shade", "mired from light to shade under a clear sky", _grey_shade),
    Rule("haze", "visibility in the haze, km, under a clear and high sun", _haze),
    Rule("scale", "height of the model, metres", _scale),
    Rule("bounces", "fraction of light cut off by the bounce limit", _bounces),
    Rule("lamps", "stops of lamps over daylight on the card", _lamps),
    Rule("white balance", "mired from the balance to the nearer of light and shade", _balance),
)


def findings(facts: LightFacts) -> list[Finding]:
    """Apply the plausibility rules to a light.

    Parameters
    ----------
    facts : LightFacts
        Measures of the light.

    Returns
    -------
    list of Finding
        Findings, in the order of the rules.
    """
    message = (rule.check(facts) for rule in RULES)
    return [finding for finding in message if finding is not None]
