# SPDX-License-Identifier: Apache-2.0
"""Parsing of typed numbers: units, decimal commas, thousands, fractions, clock times, dates, compass directions.

Text enters, a number in a field's own unit leaves; GloametError says in one sentence what could not be read.
"""

from __future__ import annotations

import re
from datetime import date, datetime

from gloamet.errors import GloametError

_SPACES = "\u0020\u00a0\u2009\u202f"
# other units of a field's unit, and how many of the field's own one of them is
_OTHER_UNITS: dict[str, dict[str, float]] = {
    "m": {"km": 1000.0, "cm": 0.01, "mm": 0.001},
    "km": {"m": 0.001},
    "mm": {"cm": 10.0, "m": 1000.0},
    "lx": {"klx": 1000.0, "lux": 1.0},
    "s": {"min": 60.0, "ms": 0.001},
    "K": {"kelvin": 1.0, "k": 1.0},
    "°": {"deg": 1.0, "degrees": 1.0},
    "stops": {"stop": 1.0, "ev": 1.0},
    "EV": {"ev": 1.0, "stops": 1.0},
    "%": {"percent": 1.0},
    "h": {"hours": 1.0, "min": 1.0 / 60.0},
}
_NUMBER = r"[+-]?(?:\d{1,3}(?:[ ]\d{3})+|\d+)?(?:\.\d+)?(?:[eE][+-]?\d+)?"
_COMPASS = {"N": 0.0, "E": 90.0, "S": 180.0, "W": 270.0}
_CORNERS = {"NE": 45.0, "SE": 135.0, "SW": 225.0, "NW": 315.0}


def _plain(text: str) -> str:
    """Typographic minus, thin spaces and the decimal comma as a computer writes them."""
    plain = re.sub(f"[{_SPACES}]+", " ", text.strip()).replace("−", "-").replace("–", "-")
    return plain.replace(",", ".")


def read_number(text: str, unit: str = "") -> float:
    """Parse a number with or without a unit.

    Parameters
    ----------
    text : str
        What was typed.
    unit : str, optional
        Unit of the result.

    Returns
    -------
    float
        The number in that unit.

    Raises
    ------
    GloametError
        The text is not a number, or its unit is another one.

    Examples
    --------
    >>> read_number("12,5 km", "km"), read_number("800 m", "km"), read_number("1/125"), read_number("f/8")
    (12.5, 0.8, 0.008, 8.0)
    """
    plain = _plain(text).removeprefix("f/").removeprefix("1:")
    fraction = re.fullmatch(r"(\d+(?:\.\d+)?) ?/ ?(\d+(?:\.\d+)?) ?(.*)", plain)
    match = fraction or re.fullmatch(f"({_NUMBER}) ?()([^\\d].*)?", plain)
    if match is None or not re.search(r"\d", match[1]):
        raise _unreadable(text, unit)
    value = float(match[1].replace(" ", ""))
    if fraction:
        if float(fraction[2]) == 0.0:
            raise _unreadable(text, unit)
        value /= float(fraction[2])
    unit_text = (match[3] or "").strip()
    if not unit_text or unit_text == unit or unit_text.casefold() == unit.casefold():
        return value
    factor = _OTHER_UNITS.get(unit, {}).get(unit_text, _OTHER_UNITS.get(unit, {}).get(unit_text.casefold()))
    if factor is None:
        raise _unreadable(text, unit)
    return value * factor


def _unreadable(text: str, unit: str) -> GloametError:
    return GloametError(f"“{text.strip()}” is not a number in {unit or 'plain figures'}.")


def read_azimuth(text: str) -> float:
    """Parse an azimuth: a number, a compass point, or one point turned towards another.

    Parameters
    ----------
    text : str
        What was typed.

    Returns
    -------
    float
        Degrees clockwise from north.

    Raises
    ------
    GloametError
        The text is not an azimuth.

    Examples
    --------
    >>> read_azimuth("235°"), read_azimuth("SW"), read_azimuth("N 12° E"), read_azimuth("E 10 S")
    (235.0, 225.0, 12.0, 100.0)
    """
    plain = re.sub(" +", " ", _plain(text).upper().replace("°", " ")).strip()
    points = _COMPASS | _CORNERS
    if plain in points:
        return points[plain]
    turned = re.fullmatch(r"([NESW]) ?(\d+(?:\.\d+)?) ?([NESW])", plain)
    if turned is None:
        return read_number(plain, "°") % 360.0
    start, side = _COMPASS[turned[1]], _COMPASS[turned[3]]
    if (side - start) % 180.0 == 0.0:
        raise GloametError(
            f"“{text.strip()}” does not say to which side: write N 12° E or a number of degrees."
        )
    sign = 1.0 if (side - start) % 360.0 == 90.0 else -1.0
    return (start + sign * float(turned[2])) % 360.0


def read_hours(text: str) -> float:
    """Parse a clock time.

    Parameters
    ----------
    text : str
        What was typed.

    Returns
    -------
    float
        Hours, 0 to 24.

    Raises
    ------
    GloametError
        The text is not a clock time.

    Examples
    --------
    >>> read_hours("8:45"), read_hours("8.45 pm"), read_hours("17h30"), read_hours("9"), read_hours("24:00")
    (8.75, 20.75, 17.5, 9.0, 24.0)
    """
    match = re.fullmatch(r"(\d{1,2})(?: ?[:.hH] ?(\d{2}))?(?: ?h)? ?([AaPp])?\.?(?:[Mm]\.?)?", _plain(text))
    hours, minutes = (int(match[1]), int(match[2] or 0)) if match else (99, 0)
    if match and match[3]:
        hours = hours % 12 + (12 if match[3].casefold() == "p" else 0) if 1 <= hours <= 12 else 99
    if minutes > 59 or hours * 60 + minutes > 24 * 60:
        raise GloametError(f"“{text.strip()}” is no clock time: write 8:45.")
    return hours + minutes / 60.0


def read_day_of_year(text: str) -> int:
    """Parse a date without a year, or the number of a day.

    Parameters
    ----------
    text : str
        What was typed.

    Returns
    -------
    int
        Day of a year of 365 days.

    Raises
    ------
    GloametError
        The text is not a day.

    Examples
    --------
    >>> read_day_of_year("1 Jan"), read_day_of_year("31 December"), read_day_of_year("06-21"), read_day_of_year("Mar 2")
    (1, 365, 172, 61)
    """
    plain = re.sub(" +", " ", text.strip().replace(",", " ").rstrip("."))
    if plain.isdigit():
        return int(plain)
    for form in ("%d %b", "%d %B", "%b %d", "%B %d", "%m-%d", "%d. %b", "%d. %B"):
        try:
            found = datetime.strptime(f"2025 {plain}", f"%Y {form}")
        except ValueError:
            continue
        return (found.date() - date(2025, 1, 1)).days + 1
    raise GloametError(f"“{text.strip()}” is no date: write 21 Jun.")
