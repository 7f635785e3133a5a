# SPDX-License-Identifier: Apache-2.0
"""Looks: named settings, whole or in part, with the sun by elevation instead of by time; shipped and user-made.

A look and a document enter; the document in that look leaves, as far as its strength says. Files are JSON.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from gloamet.document.file import read_tree, write_json
from gloamet.document.model import Document
from gloamet.document.versions import present_look
from gloamet.errors import GloametError
from gloamet.sun.day import day_path
from gloamet.sun.moon import moon_at
from gloamet.sun.site import resolve_zone

Side = Literal["morning", "evening", "highest", "moon"]
ENDING = ".look.json"
STEPS_A_DAY = 24 * 12 + 1
MOON_DAYS, MOON_LOWEST_DEG, DARK_DEG = (
    30,
    15.0,
    -10.0,
)  # how far a moonlit night is looked for, and what makes one
LEAST_LIT = 0.6  # of the moon's face


class SunRule(BaseModel):
    """Rule for the sun: an elevation in the morning or evening of the document's day, noon, or a moonlit night."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    side: Side = "highest"
    elevation_deg: float = Field(0.0, ge=-18, le=90)


class Look(BaseModel):
    """Named settings: fields of the document by their dotted paths, and a rule for the sun."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: str = Field(min_length=1, max_length=60)
    description: str = Field("", max_length=200)
    sun: SunRule | None = None
    fields: dict[str, Any] = {}


CLEAR = {"air.sky_model": "physical", "air.haze_on": False, "air.particles": "rural", "sun.moon": False}
LOOKS = (
    Look(
        name="early gold",
        description="Low warm sun from the east, long shadows, slight haze.",
        sun=SunRule(side="morning", elevation_deg=7.0),
        fields={**CLEAR, "air.turbidity": 3.2, "expose.warmth_kept": 0.5},
    ),
    Look(
        name="clear noon",
        description="The highest sun of the day in clear air: hard, white, short shadows.",
        sun=SunRule(side="highest"),
        fields={**CLEAR, "air.turbidity": 2.1, "expose.warmth_kept": 0.0},
    ),
    Look(
        name="hazy noon",
        description="The highest sun through summer haze: pale sky, strong fill.",
        sun=SunRule(side="highest"),
        fields={**CLEAR, "air.turbidity": 5.5, "expose.warmth_kept": 0.0},
    ),
    Look(
        name="low west",
        description="The last hour before sunset: raking light from the west.",
        sun=SunRule(side="evening", elevation_deg=9.0),
        fields={**CLEAR, "air.turbidity": 3.0, "expose.warmth_kept": 0.6},
    ),
    Look(
        name="blue hour",
        description="Sun below the horizon, sky light only: blue, without shadows.",
        sun=SunRule(side="evening", elevation_deg=-5.0),
        fields={**CLEAR, "air.turbidity": 2.6, "expose.warmth_kept": 0.4},
    ),
    Look(
        name="high overcast",
        description="A CIE overcast sky: soft light from above.",
        sun=SunRule(side="highest"),
        fields={"air.sky_model": "cie", "air.cie_sky": 1, "sun.moon": False, "expose.warmth_kept": 0.0},
    ),
    Look(
        name="misty morning",
        description="A shallow mist lit by a low sun.",
        sun=SunRule(side="morning", elevation_deg=10.0),
        fields={
            **CLEAR,
            "air.turbidity": 2.6,
            "air.haze_on": True,
            "air.haze_visibility_km": 2.5,
            "air.haze_height_m": 150.0,
            "expose.warmth_kept": 0.3,
        },
    ),
    Look(
        name="moonlit",
        description="A high moon of the nearest night that has one.",
        sun=SunRule(side="moon"),
        fields={**CLEAR, "air.turbidity": 2.4, "sun.moon": True, "expose.warmth_kept": 0.5},
    ),
)


def _wall(document: Document, seconds: float) -> datetime:
    """Unix seconds on the document's clock, to the minute."""
    zone = resolve_zone(document.site.timezone)
    local = datetime.fromtimestamp(seconds, zone).replace(tzinfo=None)
    return (local + timedelta(seconds=30)).replace(second=0, microsecond=0)


def _day(document: Document, day: date) -> tuple[np.ndarray, np.ndarray]:
    """Unix seconds of a day and the sun's elevations then."""
    site = document.site
    zone = resolve_zone(site.timezone)
    times, sun = day_path(day, site.latitude_deg, site.longitude_deg, zone, STEPS_A_DAY)
    return np.asarray(times), np.asarray(sun.elevation_deg)


def moment_of(document: Document, rule: SunRule) -> datetime | None:
    """The moment of the document's day, or of the nearest night with a moon, at which the rule holds; where the sun
    does not come so high or so low that day, when it comes nearest. None where there is no such night."""
    day = document.sun.wall_time.date()
    if rule.side == "moon":
        return _moonlit(document, day)
    times, heights = _day(document, day)
    top = int(np.argmax(heights))
    if rule.side == "highest":
        return _wall(document, float(times[top]))
    half = slice(None, top + 1) if rule.side == "morning" else slice(top, None)
    there = int(np.argmin(np.abs(heights[half] - rule.elevation_deg)))
    near, seconds = heights[half], times[half]
    # between the samples on either side of the height
    for k in (there - 1, there):
        if (
            0 <= k < len(near) - 1
            and (near[k] - rule.elevation_deg) * (near[k + 1] - rule.elevation_deg) <= 0.0
        ):
            fraction = (rule.elevation_deg - near[k]) / (near[k + 1] - near[k])
            return _wall(document, float(seconds[k] + fraction * (seconds[k + 1] - seconds[k])))
    return _wall(document, float(seconds[there]))


def _moonlit(document: Document, day: date) -> datetime | None:
    """The moment of the next nights with the highest lit moon in darkness."""
    site = document.site
    for offset in range(MOON_DAYS):
        times, heights = _day(document, day + timedelta(days=offset))
        dark = times[heights < DARK_DEG][::3]
        moons = [(moon_at(float(t), site.latitude_deg, site.longitude_deg), float(t)) for t in dark]
        lit = [(m.elevation_deg, t) for m, t in moons if m.lit >= LEAST_LIT]
        if lit and max(lit)[0] >= MOON_LOWEST_DEG:
            return _wall(document, max(lit)[1])
    return None


def _mixed(before: Any, after: Any, strength: float) -> Any:
    """Between two values: numbers and moments part of the way, everything else from half on."""
    if isinstance(before, bool) or isinstance(after, bool):
        return after if strength >= 0.5 else before
    if isinstance(before, int | float) and isinstance(after, int | float):
        mixed = before + strength * (after - before)
        return round(mixed) if isinstance(before, int) and isinstance(after, int) else mixed
    return after if strength >= 0.5 else before


def apply_look(document: Document, look: Look, strength: float = 1.0) -> Document:
    """Apply a look to a document.

    Parameters
    ----------
    document : Document
        The document.
    look : Look
        The look.
    strength : float, optional
        0 to 1; numbers are interpolated.

    Returns
    -------
    Document
        The document with the settings of the look.

    Raises
    ------
    GloametError
        A value of the look is not valid.
    """
    if strength <= 0.0:
        return document
    out = document
    try:
        for path, value in look.fields.items():
            section, _, name = path.rpartition(".")
            before = getattr(_section(document, section), name)
            out = out.change(section, **{name: _mixed(before, value, strength)})
        if look.sun is not None:
            moment = moment_of(out, look.sun)
            if moment is None:
                raise GloametError(
                    f"There is no such night near this date for “{look.name}”: choose another month."
                )
            begin = document.sun.wall_time
            wall = begin + strength * (moment - begin) if strength < 1.0 else moment
            out = out.change("sun", mode="almanac", wall_time=wall.replace(microsecond=0))
    except (ValidationError, AttributeError, KeyError, TypeError) as error:
        raise GloametError(f"The look “{look.name}” names what there is not ({_first(error)}).") from None
    return out


def _section(document: Document, section: str) -> Any:
    node: Any = document
    for part in section.split("."):
        node = getattr(node, part)
    return node


def _first(error: Exception) -> str:
    if isinstance(error, ValidationError):
        found = error.errors()[0]
        return f"{'.'.join(str(p) for p in found['loc'])}: {found['msg'].lower()}"
    return str(error)


def look_of(document: Document, name: str, paths: Iterator[str] | list[str]) -> Look:
    """Make a look from fields of a document.

    Parameters
    ----------
    document : Document
        The document.
    name : str
        Name of the look.
    paths : iterator of str or list of str
        Dotted paths of the fields.

    Returns
    -------
    Look
        The look.
    """
    fields = {}
    for path in paths:
        section, _, field = path.rpartition(".")
        fields[path] = json.loads(_section(document, section).model_dump_json())[field]
    return Look(name=name, fields=fields)


def read_look(path: Path) -> Look:
    """Read a look from a file.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    Look
        The look.

    Raises
    ------
    GloametError
        The file is not a look.
    """
    tree = read_tree(path, "a look")
    try:
        return Look.model_validate(present_look(tree))
    except ValidationError as error:
        raise GloametError(f"{path.name} is not a look ({_first(error)}).") from None


def write_look(look: Look, path: Path) -> None:
    """Write a look to a file.

    Parameters
    ----------
    look : Look
        The look.
    path : Path
        The file.

    Raises
    ------
    GloametError
        The file cannot be written.
    """
    write_json(path, look.model_dump(mode="json"))


def looks_folder() -> Path:
    """Return the folder of the user's looks.

    Returns
    -------
    Path
        The folder.
    """
    from platformdirs import user_data_path

    return user_data_path("gloamet") / "looks"


def own_looks() -> tuple[list[Look], list[str]]:
    """Read the user's looks.

    Returns
    -------
    tuple of list of Look and list of str
        Looks by name, and one message per file that cannot be read.
    """
    found, messages = [], []
    folder = looks_folder()
    for path in sorted(folder.glob(f"*{ENDING}")) if folder.is_dir() else ():
        try:
            found.append(read_look(path))
        except GloametError as error:
            messages.append(str(error))
    return found, messages
