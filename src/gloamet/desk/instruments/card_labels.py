# SPDX-License-Identifier: Apache-2.0
"""Labels of a card reading: illuminance, colour temperature, tint, key to fill, and the value without balance.

`CardLight` and the number of a card in it enter; words leave.
"""

from __future__ import annotations

import math

from gloamet.colour.spaces import AP1_TO_XYZ, luminance
from gloamet.colour.temperature import correlated_temperature, distance_from_locus
from gloamet.desk.instruments.meter import kelvin_text, lux_text
from gloamet.light_layers import LIGHT_LAYERS
from gloamet.meter.card_light import CardLight
from gloamet.meter.ratio import key_to_fill

SEEN = 0.02  # difference from nature that is worth telling, of the light


def stops_text(stops: float) -> str:
    """Stops with their sign.

    >>> stops_text(-1.26)
    '−1.3 stops'
    """
    return f"{stops:+.1f} stops".replace("-", "−")


def tint_text(duv: float) -> str:
    """Label of a colour's side of the Planckian locus.

    >>> tint_text(0.004), tint_text(-0.0041), tint_text(0.0002)
    ('Duv +0.0040, greenish', 'Duv −0.0041, pinkish', 'Duv +0.0002')
    """
    if not math.isfinite(duv):
        return ""
    word = "" if abs(duv) < 0.002 else ", greenish" if duv > 0.0 else ", pinkish"
    return f"Duv {duv:+.4f}{word}".replace("-", "−")


def card_labels(cards: CardLight, index: int) -> str:
    """Colour temperature, tint and key to fill of the light on a card, empty in the dark."""
    lux = [float(luminance(cards.whole[index, n].astype(float))) for n in range(len(LIGHT_LAYERS))]
    if sum(lux) <= 0.0:
        return ""
    straight = lux[0] - float(luminance(cards.indirect[index, 0].astype(float)))
    colour = AP1_TO_XYZ @ cards.whole[index].astype(float).sum(0)
    labels = [kelvin_text(correlated_temperature(colour)), tint_text(distance_from_locus(colour))]
    ratio = key_to_fill(straight, sum(lux) - straight)
    return "   ".join(word for word in (*labels, stops_text(ratio) if math.isfinite(ratio) else "") if word)


def unbalanced_label(now: CardLight, unbalanced: CardLight, index: int, natural: bool) -> str:
    """The card reading without the balance of the lights, where it differs; called physical where the sky is physical
    too."""
    lux, plain = (float(luminance(cards.whole[index].astype(float).sum(0))) for cards in (now, unbalanced))
    labels, name = card_labels(unbalanced, index), "Physical" if natural else "Before balancing"
    if abs(lux - plain) < SEEN * max(lux, plain) and card_labels(now, index) == labels:
        return f"Same as {name.lower()}" if plain > 0.0 else ""
    return f"{name} {lux_text(plain)}   {labels}"
