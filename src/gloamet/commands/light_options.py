# SPDX-License-Identifier: Apache-2.0
"""Options of the lighting, from the sun's position to the balance of the lights."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from gloamet.commands.argument_types import add_site, number, read_site
from gloamet.commands.develop import read_settings
from gloamet.commands.document_options import (
    add_aerial,
    add_air,
    add_field,
    given_fields,
    with_aerial,
    with_air,
)
from gloamet.commands.sky_options import add_grade, add_picture_sky, with_grade, with_picture_sky
from gloamet.document.expose import METERINGS
from gloamet.document.metadata import field_range
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.light_layers import LIGHT_LAYERS

PANORAMA_OPTIONS = (
    ("--panorama-rotation", "rotation_deg", "Turn"),
    ("--panorama-lux", "illuminance_lx", "Panorama"),
    ("--panorama-tilt", "tilt_deg", "Tilt"),
    ("--panorama-blur", "blur_deg", "Blur"),
    ("--panorama-elevation-scale", "elevation_scale", "Stretch"),
)
PANORAMA_SWITCHES = (
    ("--panorama-mirror", "mirrored", True, "mirror the panorama horizontally"),
    ("--panorama-remove-sun", "sun_removed", True, "remove the sun of the panorama, disc and glow"),
    ("--panorama-hidden", "as_background", False, "not visible as background; it still lights the scene"),
)
GAINS: dict[str, str] = {name: f"{name}_stops" for name in LIGHT_LAYERS} | {
    f"{name}-indirect": f"{name}_indirect_stops" for name in LIGHT_LAYERS
}
WARMTHS: dict[str, str] = {name: f"{name}_mired" for name in LIGHT_LAYERS}


def add_light(parser: argparse.ArgumentParser) -> None:
    """All of them."""
    add_site(parser, required=False)
    parser.add_argument("--sun-azimuth", type=number(-360, 720, "Sun azimuth"))
    parser.add_argument("--sun-elevation", type=number(-90, 90, "Sun elevation"))
    add_air(parser, "--sky-model")
    add_aerial(parser)
    add_grade(parser, lights=True)
    add_picture_sky(parser)
    parser.add_argument(
        "--panorama", type=Path, help="lat-long panorama .exr, .hdr or .tif that lights the scene too"
    )
    for option, name, what in PANORAMA_OPTIONS:
        add_field(parser, option, "panorama", name, what)
    for option, _name, _value, help_text in PANORAMA_SWITCHES:
        parser.add_argument(option, action="store_true", help=help_text)
    pair: Any = {"action": "append", "default": []}
    names = ", ".join(GAINS)
    parser.add_argument("--gain", type=_gain, metavar="LIGHT=STOPS", help=f"gain of {names} in stops", **pair)
    help_text = "warmth of a light"
    parser.add_argument("--light-warmth", type=_warmth, metavar="LIGHT=MIRED", help=help_text, **pair)
    parser.add_argument(
        "--sky-saturation", type=number(0, 3, "Saturation"), help="saturation of the sky fill"
    )
    parser.add_argument("--solo", choices=LIGHT_LAYERS, help="show this light only")
    parser.add_argument("--ev", help="auto or an exposure value at ISO 100")
    parser.add_argument("--metering", choices=METERINGS, help="metering mode of the automatic exposure")
    parser.add_argument(
        "--settings", type=Path, help="settings of the Expose step: .json, or a .gloamet project"
    )


def _named(text: str, known: dict[str, str], like: str) -> tuple[str, str]:
    """Field and value of NAME=VALUE."""
    name, equals, value = text.partition("=")
    if not equals or name not in known:
        raise GloametError(f"“{text}” is not like {like}: lights are {', '.join(known)}.")
    return known[name], value


def _ranged(text: str, known: dict[str, str], like: str, what: str) -> dict[str, Any]:
    field, value = _named(text, known, like)
    found = field_range("fill", field)
    return {field: number(found.low, found.high, what)(value)}


def _gain(text: str) -> dict[str, Any]:
    """An argparse type: fields of the fill for a gain."""
    return _ranged(text, GAINS, "sun=-1", "Gain")


def _warmth(text: str) -> dict[str, Any]:
    """An argparse type: fields of the fill for a warmth."""
    return _ranged(text, WARMTHS, "sky=-30", "Warmth")


def with_light(document: Document, options: argparse.Namespace) -> Document:
    """A document with the requested light. Raises GloametError with a sentence."""
    document = with_aerial(with_air(document, options), options)
    document = _with_panorama(with_picture_sky(with_grade(document, options), options), options)
    return _with_exposure(_with_fill(_with_sun(document, options), options), options)


def _with_fill(document: Document, options: argparse.Namespace) -> Document:
    given: dict[str, Any] = {}
    tints = [tint for tint in options.tint if isinstance(tint, dict)]
    for fields in (*options.gain, *tints, *options.light_warmth):
        given |= fields
    if options.sky_saturation is not None:
        given["sky_saturation"] = options.sky_saturation
    if options.solo is not None:
        given["solo"] = options.solo
    return document.change("fill", **given)


def _with_panorama(document: Document, options: argparse.Namespace) -> Document:
    given = given_fields(options, PANORAMA_OPTIONS)
    for option, name, value, _words in PANORAMA_SWITCHES:
        if getattr(options, option[2:].replace("-", "_")):
            given[name] = value
    if options.panorama is not None:
        given["file"] = str(options.panorama.resolve())
    if given and not (options.panorama or document.panorama.file):
        raise GloametError("There is no panorama for these options: give --panorama too.")
    return document.change("panorama", **given)


def _with_sun(document: Document, options: argparse.Namespace) -> Document:
    placed = (options.sun_azimuth, options.sun_elevation)
    timed = (options.lat, options.lon, options.when)
    if any(v is not None for v in placed):
        if any(v is not None for v in timed):
            raise GloametError("Give either a site and time or a sun direction, not both.")
        azimuth = (180.0 if options.sun_azimuth is None else options.sun_azimuth) % 360.0
        elevation = document.sun.elevation_deg if options.sun_elevation is None else options.sun_elevation
        return document.change("sun", mode="manual", azimuth_deg=azimuth, elevation_deg=max(-20.0, elevation))
    if any(v is not None for v in timed):
        if any(v is None for v in timed):
            raise GloametError("A site and time need --lat, --lon and --when together.")
        lat, lon, when, tz, name = read_site(options)
        document = document.change("site", latitude_deg=lat, longitude_deg=lon, timezone=name)
        wall = when if when.tzinfo is None else when.astimezone(tz).replace(tzinfo=None)
        return document.change("sun", mode="almanac", wall_time=wall)
    return document


def _with_exposure(document: Document, options: argparse.Namespace) -> Document:
    if options.settings is not None:
        document = document.model_copy(update={"expose": read_settings(options.settings)})
    if options.metering is not None:
        if options.ev not in (None, "auto"):
            raise GloametError("Give either --ev or --metering: an exposure value is not metered.")
        return document.change("expose", metering=options.metering)
    if options.ev is None:
        return document
    if options.ev == "auto":
        return document.change("expose", metering="scene")
    return document.change("expose", metering="manual", ev=number(-8, 22, "EV")(options.ev))
