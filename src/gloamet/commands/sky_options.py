# SPDX-License-Identifier: Apache-2.0
"""Options of sky adjustments, background, aerial perspective and light shafts."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

from gloamet.commands.argument_types import number, triple
from gloamet.commands.document_options import add_field, colour, given_fields
from gloamet.document.air import CURVE_STOPS, CURVE_TURN_DEG
from gloamet.document.metadata import description
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.light_layers import LIGHT_LAYERS, Colour

GRADE_OPTIONS = (
    ("--tint-strength", "tint_strength", "Tint strength"),
    ("--saturation", "saturation", "Saturation"),
    ("--warmth", "warmth_mired", "Warmth"),
    ("--horizon-glow", "horizon_stops", "Horizon glow"),
    ("--aureole", "aureole_stops", "Aureole"),
    ("--aureole-size", "aureole_deg", "Aureole radius"),
    ("--sun-disc", "disc_brightness", "Sun disc brightness"),
)
SHAFT_OPTIONS = (
    ("--medium-visibility", "visibility_m", "Medium"),
    ("--medium-anisotropy", "anisotropy", "Anisotropy"),
)


def curve(what: str, limit: float) -> Callable[[str], tuple[float, ...]]:
    """An argparse type: five numbers by height."""

    def read(text: str) -> tuple[float, ...]:
        try:
            values = tuple(float(word) for word in text.split(","))
        except ValueError:
            values = ()
        if len(values) != 5 or any(abs(v) > limit for v in values):
            raise GloametError(f"{what} “{text}” is not five numbers within ±{limit:g}, like 0,0,0.5,0,0.")
        return values

    return read


def backdrop(text: str) -> dict[str, Any]:
    """An argparse type: the fields of the sky for a background name or colours."""
    if text in ("sky", "none"):
        return {"backdrop": text}
    below, _, above = text.partition(",")
    if not above:
        return {"backdrop": "colour", "backdrop_colour": colour(below)}
    return {"backdrop": "gradient", "backdrop_colour": colour(below), "backdrop_top_colour": colour(above)}


def _tint(text: str) -> Colour | dict[str, Any]:
    """An argparse type: a colour for the sky itself, or with a light's name the fields of the fill that tint its
    light."""
    name, equals, value = text.partition("=")
    if not equals:
        return colour(text)
    if name not in LIGHT_LAYERS:
        raise GloametError(f"There is no light “{name}” to tint: there are {', '.join(LIGHT_LAYERS)}.")
    hue, _comma, fraction = value.partition(",")
    strength = number(0, 1, "Tint strength")(fraction) if fraction else 1.0
    return {f"{name}_tint": colour(hue), f"{name}_tint_strength": strength}


def add_grade(parser: argparse.ArgumentParser, lights: bool = False) -> None:
    """The artist's hand on the sky; with `lights` a tint may be one of a light's fill instead."""
    help_text = "tint of the sky" + (", or of a light: LIGHT=#RRGGBB,STRENGTH" if lights else "")
    parser.add_argument("--tint", type=_tint, action="append", default=[], metavar="#RRGGBB", help=help_text)
    parser.set_defaults(tints_lights=lights)
    for option, name, what in GRADE_OPTIONS:
        add_field(parser, option, "sky", name, what)
    luminance, hue = curve("Luminance", CURVE_STOPS), curve("Hue", CURVE_TURN_DEG)
    help_text = description("sky", "luminance_curve")
    parser.add_argument("--luminance-by-elevation", type=luminance, metavar="A,B,C,D,E", help=help_text)
    help_text = description("sky", "hue_curve")
    parser.add_argument("--hue-by-elevation", type=hue, metavar="A,B,C,D,E", help=help_text)


def with_grade(document: Document, options: argparse.Namespace) -> Document:
    """A document with the requested sky adjustments; a tint without a strength has strength 1."""
    curves = {"luminance_curve": options.luminance_by_elevation, "hue_curve": options.hue_by_elevation}
    plain = [tint for tint in options.tint if not isinstance(tint, dict)]
    if len(plain) != len(options.tint) and not options.tints_lights:
        raise GloametError("A sky alone has no lights to balance: give --tint a colour like #ffd9a0.")
    tint = plain[-1] if plain else None
    others = {"tint": tint, **curves}
    found = given_fields(options, GRADE_OPTIONS)
    found |= {name: value for name, value in others.items() if value is not None}
    if "tint" in found:
        found.setdefault("tint_strength", 1.0)
    return document.change("sky", **found)


def add_picture_sky(parser: argparse.ArgumentParser) -> None:
    """What belongs to a picture alone: whether the hand acts on light, the backdrop, dust."""
    help_text = "the sky grading changes the background only, not the light"
    parser.add_argument("--background-only", action="store_true", help=help_text)
    forms = "sky, none, #rrggbb or #rrggbb,#rrggbb"
    help_text = f"backdrop: {forms} from bottom to top"
    parser.add_argument("--backdrop", type=backdrop, metavar="WHAT", help=help_text)
    help_text = "light shafts in a participating medium: model, view or box"
    parser.add_argument(
        "--light-shafts", choices=["model", "view", "box"], nargs="?", const="view", help=help_text
    )
    for option, name, what in SHAFT_OPTIONS:
        add_field(parser, option, "light_shafts", name, what)
    parser.add_argument(
        "--medium-min", type=triple("Corner"), metavar="X,Y,Z", help="minimum corner of the box"
    )
    parser.add_argument(
        "--medium-max", type=triple("Corner"), metavar="X,Y,Z", help="maximum corner of the box"
    )
    parser.add_argument(
        "--medium-colour", type=colour, metavar="#RRGGBB", help="scattering colour of the medium"
    )


def with_picture_sky(document: Document, options: argparse.Namespace) -> Document:
    """A document with the requested background and participating medium."""
    sky: dict[str, Any] = dict(options.backdrop or {})
    sky |= {"acts_on": "background"} if options.background_only else {}
    others = {"box_min": options.medium_min, "box_max": options.medium_max, "colour": options.medium_colour}
    found = given_fields(options, SHAFT_OPTIONS)
    found |= {name: value for name, value in others.items() if value is not None}
    if found and not (options.light_shafts or document.light_shafts.on):
        raise GloametError("There is no medium for these options: give --light-shafts too.")
    if options.light_shafts:
        found |= {"on": True, "region": options.light_shafts}
    low, high = (
        found.get("box_min", document.light_shafts.box_min),
        found.get("box_max", document.light_shafts.box_max),
    )
    if any(a >= b for a, b in zip(low, high, strict=True)):
        raise GloametError(
            "The box of the medium is empty: each number of --medium-max must be above that of --medium-min."
        )
    return document.change("sky", **sky).change("light_shafts", **found)
