# SPDX-License-Identifier: Apache-2.0
"""What the subcommands share: reading numbers, times and places, printing results. It knows no documents, which take
longer to import than a small command to answer."""

from __future__ import annotations

import argparse
import json
import math
from collections.abc import Callable
from datetime import datetime, tzinfo
from typing import Any

from gloamet.errors import GloametError
from gloamet.sun.site import check_coordinates, parse_when, resolve_zone, zone_name_at


def number(low: float, high: float, what: str) -> Callable[[str], float]:
    """An argparse type: a finite number in a range, with a sentence otherwise."""

    def read(text: str) -> float:
        try:
            value = float(text)
        except ValueError:
            raise GloametError(f"{what} “{text}” is not a number.") from None
        if not low <= value <= high:
            raise GloametError(f"{what} {text} is out of range: give a value from {low:g} to {high:g}.")
        return value

    return read


def whole(low: int, high: int, what: str) -> Callable[[str], int]:
    """An argparse type: a whole number in a range."""

    def read(text: str) -> int:
        value = number(low, high, what)(text)
        if value != int(value):
            raise GloametError(f"{what} {text} is not a whole number.")
        return int(value)

    return read


def triple(what: str) -> Callable[[str], tuple[float, float, float]]:
    """An argparse type: x,y,z."""

    def read(text: str) -> tuple[float, float, float]:
        try:
            x, y, z = (float(part) for part in text.split(","))
        except ValueError:
            raise GloametError(f"{what} “{text}” is not three numbers like 1,2,3.") from None
        if not all(math.isfinite(v) and abs(v) < 1e7 for v in (x, y, z)):
            raise GloametError(f"{what} “{text}” is not within 10 000 km of the origin.")
        return x, y, z

    return read


def fractions(text: str) -> tuple[float, float, float, float]:
    """An argparse type: left,top,right,bottom in 0..1."""
    try:
        left, top, right, bottom = (float(part) for part in text.split(","))
    except ValueError:
        raise GloametError(f"Rectangle “{text}” is not four numbers like 0.2,0.3,0.6,0.8.") from None
    if not (0.0 <= left < right <= 1.0 and 0.0 <= top < bottom <= 1.0):
        raise GloametError(f"Rectangle “{text}” is empty or outside the picture: sides are between 0 and 1.")
    return left, top, right, bottom


def size(text: str) -> tuple[int, int]:
    """An argparse type: WIDTHxHEIGHT."""
    try:
        width, height = (int(part) for part in text.lower().replace("×", "x").split("x"))
    except ValueError:
        raise GloametError(f"Size “{text}” is not like 1280x720.") from None
    if not (1 <= width <= 16384 and 1 <= height <= 16384):
        raise GloametError(f"Size {text} is out of range: each side from 1 to 16384.")
    return width, height


def add_json(parser: argparse.ArgumentParser) -> None:
    """The --json switch."""
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def add_site(parser: argparse.ArgumentParser, required: bool) -> None:
    """Latitude, longitude, moment and clock."""
    parser.add_argument("--lat", type=float, required=required, help="latitude in degrees, north positive")
    parser.add_argument("--lon", type=float, required=required, help="longitude in degrees, east positive")
    parser.add_argument("--when", required=required, help="date and time, like 2026-06-21T12:00")
    parser.add_argument("--tz", help="IANA time zone or offset like +03:00 (default: the zone of the site)")


def read_site(options: argparse.Namespace) -> tuple[float, float, datetime, tzinfo, str]:
    """Checked latitude, longitude, moment, zone and the zone's name."""
    lat, lon = check_coordinates(options.lat, options.lon)
    when = parse_when(options.when)
    if not 1900 <= when.year <= 2150:
        raise GloametError(f"Year {when.year} is out of range: give one from 1900 to 2150.")
    name = options.tz or zone_name_at(lat, lon)
    return lat, lon, when, resolve_zone(name), name


def clean(value: Any) -> Any:
    """A value JSON can hold: no infinities, times in ISO 8601."""
    if isinstance(value, dict):
        return {key: clean(item) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [clean(item) for item in value]
    if isinstance(value, datetime):
        return value.isoformat(timespec="seconds")
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    return value


def show(result: dict[str, Any], as_json: bool) -> None:
    """Print a result as JSON or as aligned lines."""
    result = clean(result)
    if as_json:
        print(json.dumps(result, ensure_ascii=False))
        return
    width = max(len(key) for key in result)
    for key, value in result.items():
        text = "–" if value is None else f"{value:.6g}" if isinstance(value, float) else str(value)
        print(f"{key:<{width}}  {text}")
