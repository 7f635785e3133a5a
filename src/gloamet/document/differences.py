# SPDX-License-Identifier: Apache-2.0
"""The fields that differ between two documents, with their labels.

Two documents enter; `DocumentDifference`s leave. A field is known by its path, as `Document.change` takes it.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from typing import Any, NamedTuple

from pydantic import BaseModel

from gloamet.document.metadata import field_extra
from gloamet.document.model import Document, FieldPath

# words for fields whose own name is not what an artist calls them; the others are called by their name
WORDS: dict[FieldPath, str] = {
    ("site", "name"): "site",
    ("sun", "wall_time"): "time",
    ("sun", "mode"): "sun",
    ("sun", "elevation_deg"): "sun elevation",
    ("sun", "azimuth_deg"): "sun azimuth",
    ("sun", "north_deg"): "north",
    ("sun", "diameter_deg"): "sun diameter",
    ("sky", "warmth_mired"): "sky warmth",
    ("expose", "ev"): "exposure value",
    ("expose", "compensation"): "exposure",
    ("expose", "kelvin"): "white balance",
    ("panorama", "file"): "panorama",
    ("stage", "scene_file"): "model",
}
SECTIONS = ("site", "sun", "air", "fill", "expose", "stage", "output")  # whose name says nothing more
SUFFIXES = ("_deg", "_km", "_m", "_lx", "_stops", "_mired", "_px", "_s", "_cd_m2")
MOST_TEXT = 28


class DocumentDifference(NamedTuple):
    """A field's path, and its values before and after."""

    path: FieldPath
    before: Any
    after: Any


def _apart(before: Any, after: Any, path: FieldPath) -> Iterator[DocumentDifference]:
    """The fields below two values that differ; lists of another length are one field."""
    if before == after:
        return
    if isinstance(before, BaseModel) and type(before) is type(after):
        for name in type(before).model_fields:
            yield from _apart(getattr(before, name), getattr(after, name), (*path, name))
    elif isinstance(before, dict) and isinstance(after, dict):
        for key in {**before, **after}:
            yield from _apart(before.get(key), after.get(key), (*path, key))
    elif (
        isinstance(before, tuple)
        and isinstance(after, tuple)
        and len(before) == len(after)
        and all(isinstance(item, BaseModel) for item in before)
    ):
        for index, (one, other) in enumerate(zip(before, after, strict=True)):
            yield from _apart(one, other, (*path, index))
    else:
        yield DocumentDifference(path, before, after)


def differences(before: Document, after: Document) -> list[DocumentDifference]:
    """List the fields that differ between two documents.

    Parameters
    ----------
    before : Document
        A document.
    after : Document
        Another document.

    Returns
    -------
    list of DocumentDifference
        Differences in the order of the document; a field that exists in one only is None in the other.
    """
    return list(_apart(before, after, ()))


def field_label(path: FieldPath) -> str:
    """Name a field as an artist calls it.

    Parameters
    ----------
    path : FieldPath
        Path of the field.

    Returns
    -------
    str
        The name.

    Examples
    --------
    >>> field_label(("air", "turbidity")), field_label(("fill", "sky_stops")), field_label(("sun", "wall_time"))
    ('turbidity', 'sky', 'time')
    """
    if path in WORDS:
        return WORDS[path]
    name = str(path[-1])
    for suffix in SUFFIXES:
        name = name.removesuffix(suffix)
    outer = [str(part) for part in path[:-1] if str(part) not in SECTIONS]
    return " ".join([*(str(int(part) + 1) if part.isdigit() else part for part in outer), name]).replace(
        "_", " "
    )


def _unit(path: FieldPath) -> tuple[str, int]:
    """Unit and decimals of a numeric field."""
    try:
        extra = field_extra(tuple(path[:-1]), str(path[-1]))
    except (KeyError, AttributeError, IndexError, TypeError):
        return "", 2
    return str(extra.get("unit", "")), int(extra.get("digits", 2))


def value_label(path: FieldPath, value: Any) -> str:
    """A value as text."""
    if value is None or value == "":
        return "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, datetime):
        return f"{value:%H:%M}" if value.second == 0 else f"{value:%H:%M:%S}"
    if isinstance(value, int | float):
        unit, digits = _unit(path)
        number = f"{value:.{digits}f}".replace("-", "−")
        return number + (unit if unit == "°" else f" {unit}" if unit else "")
    text = str(value).rpartition("/")[2]
    return text if len(text) <= MOST_TEXT else f"{text[: MOST_TEXT - 1]}…"


def difference_label(difference: DocumentDifference) -> str:
    """Write a difference as text, like "turbidity 3.0 → 5.0".

    Parameters
    ----------
    difference : DocumentDifference
        A field with its values before and after.

    Returns
    -------
    str
        The text; a change of the day is given with its date.
    """
    path, before, after = difference
    if isinstance(before, datetime) and isinstance(after, datetime) and before.date() != after.date():
        return f"{field_label(path)} {before:%d %b %H:%M} → {after:%d %b %H:%M}"
    if any(isinstance(value, tuple | dict | BaseModel) for value in (before, after)):
        return f"{field_label(path)} changed"
    return f"{field_label(path)} {value_label(path, before)} → {value_label(path, after)}"


def step_label(before: Document, after: Document, most: int = 2) -> str:
    """Describe a step of the history by its first differences.

    Parameters
    ----------
    before : Document
        Document before the step.
    after : Document
        Document after the step.
    most : int, optional
        Number of differences to name.

    Returns
    -------
    str
        The description.
    """
    found = differences(before, after)
    models = [d for d in found if d.path == ("stage", "scene_file")]
    if models:
        return difference_label(models[0])
    view = [d for d in found if d.path[:2] == ("stage", "view")]
    others = [d for d in found if d.path[:2] != ("stage", "view")]
    messages = [difference_label(d) for d in others[:most]] + (["view"] if view else [])
    more = len(others) - most
    return ", ".join(messages) + (f" and {more} more" if more > 0 else "")
