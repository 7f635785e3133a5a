# SPDX-License-Identifier: Apache-2.0
"""Options of subcommands that are fields of a document, and the document a subcommand works on."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from gloamet.colour.spaces import srgb_to_linear
from gloamet.commands.argument_types import number
from gloamet.document.file import ENDING, load_document
from gloamet.document.metadata import description, field_range
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.sky.general_skies import CIE_GENERAL_SKIES
from gloamet.sky.particles import PARTICLES
from gloamet.stage.scene import UNIT_METRES

SILENT = (".obj", ".ply", ".stl")  # formats that name neither unit nor axis: m and Y up unless told


def of_field(section: str, name: str, what: str) -> Callable[[str], float]:
    """An argparse type: a number in the range of a document's field."""
    field = field_range(section, name)
    return number(field.low, field.high, what)


def add_field(parser: argparse.ArgumentParser, option: str, section: str, name: str, what: str) -> None:
    """An option for a field of the document, with its range and description."""
    field = field_range(section, name)
    unit = f" ({field.unit})" if field.unit else ""
    help_text = f"{field.description[:1].lower()}{field.description[1:]}{unit}".replace("%", "%%")
    parser.add_argument(option, type=of_field(section, name, what), help=help_text)


def colour(text: str) -> tuple[float, float, float]:
    """An argparse type: a screen colour as #rrggbb, to linear.

    >>> colour("#ffffff")
    (1.0, 1.0, 1.0)
    """
    digits = text.removeprefix("#")
    try:
        if len(digits) != 6:
            raise ValueError
        codes = [int(digits[k : k + 2], 16) / 255.0 for k in (0, 2, 4)]
    except ValueError:
        raise GloametError(f"“{text}” is not a colour like #ffd9a0.") from None
    r, g, b = (float(v) for v in srgb_to_linear(np.array(codes)))
    return r, g, b


AIR_OPTIONS = (
    ("--turbidity", "turbidity", "Turbidity"),
    ("--haze-visibility", "haze_visibility_km", "Haze"),
    ("--haze-height", "haze_height_m", "Height of the haze"),
    ("--ozone", "ozone_du", "Ozone"),
    ("--albedo", "ground_reflectance", "Ground reflectance"),
    ("--sky-lx", "sky_lx", "Horizontal illuminance of the sky"),
    ("--sky-kelvin", "sky_kelvin", "Colour temperature of the sky"),
)
GENERAL_SKIES = tuple(f"cie:{k}" for k in range(1, len(CIE_GENERAL_SKIES) + 1))
SKY_MODELS = ("physical", "preetham", *GENERAL_SKIES, "uniform")


def given_fields(options: argparse.Namespace, rows: tuple[tuple[str, str, str], ...]) -> dict[str, Any]:
    """Values by field of the options (option, field, description) that were given."""
    values = {name: getattr(options, option[2:].replace("-", "_")) for option, name, _ in rows}
    return {name: value for name, value in values.items() if value is not None}


def sky_model(text: str) -> dict[str, object]:
    """An argparse type: the fields of the air for the name of a sky model."""
    if text not in SKY_MODELS:
        raise GloametError(
            f"There is no sky “{text}”: choose physical, preetham, cie:1 to cie:15 or uniform."
        )
    name, _, number = text.partition(":")
    return {"sky_model": name, **({"cie_sky": int(number)} if number else {})}


def particles(text: str) -> str:
    """An argparse type: a kind of particles."""
    if text not in PARTICLES:
        raise GloametError(f"There are no particles “{text}”: choose {', '.join(PARTICLES)}.")
    return text


def add_air(parser: argparse.ArgumentParser, model: str) -> None:
    """The air, as the document has it; `model` is the option that names the sky's model."""
    for option, name, what in AIR_OPTIONS:
        add_field(parser, option, "air", name, what)
    kinds = "physical, preetham, cie:1 to cie:15, uniform"
    parser.add_argument(model, dest="sky_model", type=sky_model, metavar="MODEL", help=f"{kinds} (physical)")
    parser.add_argument("--particles", type=particles, metavar="KIND", help=", ".join(PARTICLES))


def with_air(document: Document, options: argparse.Namespace) -> Document:
    """A document with the requested air. Raises GloametError for a haze height without haze."""
    given = given_fields(options, AIR_OPTIONS)
    given |= {"particles": options.particles} if options.particles else {}
    given |= options.sky_model or {}
    hazy = "haze_visibility_km" in given or document.air.haze_on
    if "haze_height_m" in given and not hazy:
        raise GloametError("There is no haze to give a height: give --haze-visibility too.")
    if "haze_visibility_km" in given:
        given["haze_on"] = True
    changed = document.change("air", **given)
    if {"sky_lx", "sky_kelvin"} & set(given) and changed.air.sky_model not in ("cie", "uniform"):
        raise GloametError(
            "--sky-lx and --sky-kelvin belong to a uniform or CIE sky: choose cie:1 or uniform."
        )
    return changed


AERIAL_OPTIONS = (
    ("--aerial-visibility", "aerial_visibility_km", "Visibility in the picture"),
    ("--aerial-strength", "aerial_strength", "Aerial perspective"),
    ("--aerial-start", "aerial_start_m", "Start of the aerial perspective"),
)


def add_aerial(parser: argparse.ArgumentParser) -> None:
    """What the artist makes of the aerial perspective."""
    for option, name, what in AERIAL_OPTIONS:
        add_field(parser, option, "air", name, what)
    parser.add_argument(
        "--aerial-tint", type=colour, metavar="#RRGGBB", help="tint of the light that the air adds"
    )
    help_text = "aerial perspective on or off"
    parser.add_argument("--aerial-perspective", choices=["on", "off"], help=help_text)
    help_text = description("air", "aerial_on_sky")
    parser.add_argument(
        "--aerial-on-sky", action="store_true", help=f"{help_text[:1].lower()}{help_text[1:]}"
    )


def with_aerial(document: Document, options: argparse.Namespace) -> Document:
    """A document with the requested aerial perspective."""
    given = given_fields(options, AERIAL_OPTIONS)
    if options.aerial_tint is not None:
        given |= {"aerial_tint": options.aerial_tint, "aerial_tint_strength": 1.0}
    if options.aerial_on_sky:
        if not given.get("aerial_visibility_km", document.air.aerial_visibility_km):
            raise GloametError("--aerial-on-sky needs a visibility: give --aerial-visibility too.")
        given["aerial_on_sky"] = True
    if options.aerial_perspective == "off" and given:
        raise GloametError("Aerial perspective is off: remove --aerial-perspective off.")
    if options.aerial_perspective is not None:
        return document.change("air", aerial_perspective=options.aerial_perspective == "on", **given)
    return document.change("air", aerial_perspective=True, **given) if given else document


def add_axes(parser: argparse.ArgumentParser) -> None:
    """How a model file is to be understood where it is silent."""
    parser.add_argument("--units", choices=list(UNIT_METRES))
    parser.add_argument("--up", choices=["y", "z"])


def read_document(path: Path, units: str | None = None, up: str | None = None) -> Document:
    """A project, or a fresh document of a model. Raises GloametError for a project without a model."""
    if path.suffix.lower() == ENDING:
        document = load_document(path)
        if not document.stage.scene_file:
            raise GloametError(f"{path.name} has no model: open one in the desk first.")
    else:
        messages = ("m", "y") if path.suffix.lower() in SILENT else ("file", "file")
        document = Document().change("stage", scene_file=str(path), units=messages[0], up=messages[1])
    stage = document.stage
    return document.change("stage", units=units or stage.units, up=up or stage.up)
