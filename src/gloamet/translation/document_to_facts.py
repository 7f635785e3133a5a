# SPDX-License-Identifier: Apache-2.0
"""Facts for the plausibility rules, from a document and measures of its light.

A document, the meter's reading and further measures, where there are any, enter; `LightFacts` leave.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from gloamet.colour.spaces import luminance
from gloamet.document.model import Document
from gloamet.light_layers import LIGHT_LAYERS, LIGHTS, Gains
from gloamet.meter.card_light import CardLight
from gloamet.meter.light import LightReading
from gloamet.meter.plausibility import Finding, LightFacts, findings
from gloamet.meter.ratio import NaturalRange

LEVEL = 0  # of the cards that are measured
CLEAR_CIE = 11  # general skies from here on are clear


@dataclass(frozen=True)
class Measures:
    """What was measured beside the light on open ground, nan and None where it was not: band that is physical, EV of
    the picture, shares of it at white and at black, cards in the scene, the share of light that the bounce limit cuts
    off, height of the model in metres, whether it has lamps; of a panorama its sun in the scene and its level lux."""

    band: NaturalRange | None = None
    ev: float = math.nan
    clipped: float = 0.0
    crushed: float = 0.0
    cards: CardLight | None = None
    in_flight: float = 0.0
    height_m: float = math.nan
    has_lamps: bool = False
    panorama_sun: tuple[float, float] | None = None
    panorama_sun_lx: float = 0.0


def _on_card(measures: Measures, gains: Gains) -> dict[str, float]:
    """Illuminance of a horizontal card in the scene by light, lx; 0 where none was measured."""
    if measures.cards is None:
        return dict.fromkeys(LIGHT_LAYERS, 0.0)
    levels = luminance(measures.cards.under(gains).whole[LEVEL].astype(float))
    return dict(zip(LIGHT_LAYERS, levels.tolist(), strict=True))


def facts_of(
    document: Document,
    sun_deg: tuple[float, float],
    reading: LightReading,
    measures: Measures,
    gains: Gains,
) -> LightFacts:
    """Collect the facts that the plausibility rules use.

    Parameters
    ----------
    document : Document
        The document.
    sun_deg : tuple of float
        Azimuth and elevation of the sun in the scene, degrees.
    reading : LightReading
        Light meter on horizontal ground.
    measures : Measures
        Further measures.
    gains : Gains
        Gains of the lights.

    Returns
    -------
    LightFacts
        The facts.
    """
    azimuth, elevation = sun_deg
    north, m = document.sun.north_deg, measures
    own, on_card = m.panorama_sun, _on_card(m, gains)
    air, expose = document.air, document.expose
    return LightFacts(
        sun_azimuth_deg=(azimuth - north) % 360.0,
        sun_elevation_deg=elevation,
        sun_lx=reading.sun_horizontal_lx,
        latitude_deg=document.site.latitude_deg,
        by_hand=document.sun.mode != "almanac",
        disc_deg=document.sun.diameter_deg,
        sky_lx=reading.sky_horizontal_lx,
        panorama_lx=reading.panorama_horizontal_lx,
        panorama_sun=None if own is None else ((own[0] - north) % 360.0, own[1]),
        panorama_sun_lx=m.panorama_sun_lx,
        panorama_shows=bool(document.panorama.file) and not document.panorama.sun_removed,
        lamps_lx=on_card["lamps"],
        daylight_lx=on_card["sun"] + on_card["sky"] + on_card["panorama"],
        has_lamps=m.has_lamps,
        key_to_fill=reading.sun_sky_stops if math.isfinite(reading.sun_sky_stops) else math.nan,
        band=m.band,
        light_cct_k=reading.light_cct_k,
        shade_cct_k=reading.shade_cct_k,
        turbidity=air.turbidity,
        haze_visibility_km=air.haze_visibility_km if air.haze_on else math.nan,
        # the scene meter's own choice is no mistake, in a room it is stops over what falls on open ground: of an
        # automatic exposure its compensation alone counts
        ev=reading.incident_ev - expose.compensation if expose.automatic else m.ev,
        incident_ev=reading.incident_ev if math.isfinite(reading.incident_ev) else math.nan,
        balance_k=expose.kelvin,
        clipped_sky=m.clipped,
        crushed=m.crushed,
        height_m=m.height_m,
        in_flight=m.in_flight,
        clear_sky=air.sky_model in ("physical", "preetham")
        or (air.sky_model == "cie" and air.cie_sky >= CLEAR_CIE),
    )


def findings_of(document: Document, facts: LightFacts) -> list[Finding]:
    """Apply the plausibility rules, without dismissed warnings.

    Parameters
    ----------
    document : Document
        The document.
    facts : LightFacts
        Measures of the light.

    Returns
    -------
    list of Finding
        The findings.
    """
    return [finding for finding in findings(facts) if finding.rule not in document.fill.dismissed]


def all_on(document: Document) -> bool:
    """Tell whether every light is on and none is solo.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    bool
        Whether so.
    """
    fill = document.fill
    return not fill.solo and all(getattr(fill, light.field("on")) for light in LIGHTS)
