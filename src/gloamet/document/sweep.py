# SPDX-License-Identifier: Apache-2.0
"""Sweeps: one or two fields of a document through a range, or dates and hours, as a row or grid of documents.

A document and `ParameterRange`s enter; documents with their values leave, in reading order.
"""

from __future__ import annotations

import math
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from pydantic import ValidationError

from gloamet.document.differences import field_label, value_label
from gloamet.document.metadata import field_range, steps
from gloamet.document.model import Document
from gloamet.errors import GloametError

MOST_STEPS, MOST_PICTURES = 48, 400
TIME, DATE = "sun.hour", "sun.day"  # of the clock, hours; and day of the year


class ParameterRange(NamedTuple):
    """A field by its dotted path, from a value to another in so many steps, evenly or by equal factors."""

    path: str
    low: float
    high: float
    number: int
    factors: bool = False

    def values(self) -> list[float]:
        """The values, both ends included."""
        if self.number == 1:
            return [self.low]
        fractions = [k / (self.number - 1) for k in range(self.number)]
        if self.factors:
            return [self.low * (self.high / self.low) ** s for s in fractions]
        return [self.low + s * (self.high - self.low) for s in fractions]


class Variant(NamedTuple):
    """A document of a sweep, and the values that make it by path."""

    document: Document
    values: dict[str, float]


def read_range(text: str) -> ParameterRange:
    """Parse a range of a sweep: PATH=LOW:HIGH:COUNT, with :log for equal factors.

    Parameters
    ----------
    text : str
        What was typed.

    Returns
    -------
    ParameterRange
        The range.

    Raises
    ------
    GloametError
        The text is not a range, or the field cannot be swept.

    Examples
    --------
    >>> read_range("air.turbidity=2:8:4")
    ParameterRange(path='air.turbidity', low=2.0, high=8.0, number=4, factors=False)
    """
    path, equals, rest = text.partition("=")
    tokens = rest.split(":")
    like = "“sun.elevation_deg=5:60:8” or “air.turbidity=2:8:4:log”"
    if not equals or len(tokens) not in (3, 4) or (len(tokens) == 4 and tokens[3] != "log"):
        raise GloametError(f"“{text}” is not a range: write it like {like}.")
    try:
        low, high, count = float(tokens[0]), float(tokens[1]), int(tokens[2])
    except ValueError:
        raise GloametError(f"“{text}” is not a range: write it like {like}.") from None
    return checked_range(ParameterRange(path.strip(), low, high, count, len(tokens) == 4))


def checked_range(vary: ParameterRange) -> ParameterRange:
    """Check a range of a sweep.

    Parameters
    ----------
    vary : ParameterRange
        The range.

    Returns
    -------
    ParameterRange
        The same range.

    Raises
    ------
    GloametError
        The range is outside the field's range, or cannot be swept.
    """
    low, high = _limits(vary.path)
    if not (math.isfinite(vary.low) and math.isfinite(vary.high)):
        raise GloametError(f"{vary.path} goes from {vary.low} to {vary.high}: give two numbers.")
    for end in (vary.low, vary.high):
        if not low <= end <= high:
            raise GloametError(f"{vary.path} {end:g} is out of range: it goes from {low:g} to {high:g}.")
    if not 1 <= vary.number <= MOST_STEPS:
        raise GloametError(f"A range has 1 to {MOST_STEPS} steps, not {vary.number}.")
    if vary.factors and (vary.low <= 0.0 or vary.high <= 0.0):
        raise GloametError(f"{vary.path} passes 0: equal factors need values above it.")
    return vary


def _limits(path: str) -> tuple[float, float]:
    if path == TIME:
        return 0.0, 24.0
    if path == DATE:
        return 1.0, 366.0
    section, _, name = path.rpartition(".")
    try:
        found = field_range(section, name)
    except (KeyError, AttributeError, StopIteration, TypeError, IndexError):
        raise GloametError(
            f"There is no number “{path}” to sweep: try sun.elevation_deg or air.turbidity."
        ) from None
    return found.low, found.high


def with_value(document: Document, path: str, value: float) -> Document:
    """The document with one value of a sweep; a sun's elevation or bearing frees the sun. Raises GloametError."""
    if path in (TIME, DATE):
        wall = document.sun.wall_time
        if path == TIME:
            start = wall.replace(hour=0, minute=0, second=0, microsecond=0)
            moved = start + timedelta(seconds=round(min(value, 24.0 - 1.0 / 60.0) * 3600.0))
        else:
            moved = datetime(wall.year, 1, 1, wall.hour, wall.minute, wall.second) + timedelta(
                round(value) - 1
            )
        return document.change("sun", mode="almanac", wall_time=moved)
    section, _, name = path.rpartition(".")
    values: dict[str, Any] = {name: value}
    if isinstance(_held(document, section, name), int):
        values[name] = round(value)
    if path in ("sun.elevation_deg", "sun.azimuth_deg"):
        values["mode"] = "manual"
    if path == "expose.ev":
        values["metering"] = "manual"
    try:
        return document.change(section, **values)
    except ValidationError as error:
        raise GloametError(f"{path} {value:g} cannot be ({error.errors()[0]['msg'].lower()}).") from None


def _held(document: Document, section: str, name: str) -> Any:
    node: Any = document
    for part in section.split("."):
        node = getattr(node, part)
    return getattr(node, name)


def sweep(document: Document, varies: list[ParameterRange]) -> list[Variant]:
    """Make the documents of a sweep over one or two fields.

    Parameters
    ----------
    document : Document
        The document.
    varies : list of ParameterRange
        One or two ranges; the first runs across, the second down.

    Returns
    -------
    list of Variant
        The documents, row by row.

    Raises
    ------
    GloametError
        There are too many pictures, or both ranges are of the same field.
    """
    if not 1 <= len(varies) <= 2:
        raise GloametError("A sweep varies one or two fields.")
    if len({vary.path for vary in varies}) < len(varies):
        raise GloametError("Both ranges are of one field: choose two.")
    if math.prod(vary.number for vary in varies) > MOST_PICTURES:
        raise GloametError(f"That is more than {MOST_PICTURES} pictures: take fewer steps.")
    if any(vary.path in ("sun.elevation_deg", "sun.azimuth_deg") for vary in varies):
        document = _freed(document)
    out = [Variant(document, {})]
    for vary in reversed(varies):
        out = [
            Variant(with_value(v.document, vary.path, value), {vary.path: value, **v.values})
            for v in out
            for value in vary.values()
        ]
    return out


def _freed(document: Document) -> Document:
    """The document with its sun in the hand where the almanac has it: what is not swept stays."""
    from gloamet.sun.moment import moment_at
    from gloamet.sun.site import resolve_zone

    if document.sun.mode == "manual":
        return document
    site, sun = document.site, document.sun
    moment = moment_at(sun.wall_time, site.latitude_deg, site.longitude_deg, resolve_zone(site.timezone))
    elevation = max(-20.0, min(90.0, moment.elevation_deg))
    return document.change(
        "sun", mode="manual", azimuth_deg=moment.azimuth_deg % 360.0, elevation_deg=elevation
    )


def variant_label(variant: Variant, named: bool = True) -> str:
    """Write the values of a variant as a caption.

    Parameters
    ----------
    variant : Variant
        A document of a sweep.
    named : bool, optional
        Whether to name the fields.

    Returns
    -------
    str
        The caption.
    """
    messages = []
    for path, value in variant.values.items():
        if path in (TIME, DATE):
            wall = variant.document.sun.wall_time
            messages.append(f"{wall:%H:%M}" if path == TIME else f"{wall:%d %b}")
        else:
            name = f"{field_label(steps(path))} " if named else ""
            messages.append(name + value_label(steps(path), value))
    return ", ".join(messages)
