# SPDX-License-Identifier: Apache-2.0
"""Metadata of numeric document fields: range, unit, decimals, description; the single source for controls and
options.

Sliders, tooltips and command-line options are made from it.
"""

from __future__ import annotations

from typing import Any, NamedTuple, get_args, get_origin

from annotated_types import Ge, Le

from gloamet.document.model import Document, FieldPath

Section = str | FieldPath  # a dotted name such as "stage.view", or a path into lists


class FieldRange(NamedTuple):
    """A numeric field's range, default, unit, step of the arrow keys, decimals shown and description."""

    low: float
    high: float
    default: float
    unit: str
    step: float
    digits: int
    description: str


def steps(section: Section) -> FieldPath:
    """Convert a section to a path.

    Parameters
    ----------
    section : Section
        Dotted name or path of the section.

    Returns
    -------
    FieldPath
        The path.
    """
    return tuple(section.split(".")) if isinstance(section, str) else section


def _model(section: Section) -> Any:
    model: Any = Document
    for part in steps(section):
        kind = get_origin(model)
        if kind is tuple:
            model = get_args(model)[0]
        elif kind is dict:
            model = get_args(model)[1]
        else:
            model = model.model_fields[str(part)].annotation
    return model


def field_range(section: Section, name: str) -> FieldRange:
    """Return the metadata of a numeric field.

    Parameters
    ----------
    section : Section
        Dotted name or path of the section.
    name : str
        Name of the field.

    Returns
    -------
    FieldRange
        Range, default, unit, step, digits and description.
    """
    info = _model(section).model_fields[name]
    low = next(float(m.ge) for m in info.metadata if isinstance(m, Ge))  # type: ignore[arg-type]
    high = next(float(m.le) for m in info.metadata if isinstance(m, Le))  # type: ignore[arg-type]
    extra: dict[str, Any] = dict(info.json_schema_extra or {})
    default = low if info.default is None else float(info.default)
    text = info.description or ""
    return FieldRange(low, high, default, extra["unit"], extra["step"], extra["digits"], text)


def field_extra(section: Section, name: str) -> dict[str, Any]:
    """Return further metadata of a field.

    Parameters
    ----------
    section : Section
        Dotted name or path of the section.
    name : str
        Name of the field.

    Returns
    -------
    dict of str to Any
        Unit, step, digits, or the limit of a curve.
    """
    return dict(_model(section).model_fields[name].json_schema_extra or {})


def description(section: Section, name: str) -> str:
    """Return the description of a field, for a tooltip.

    Parameters
    ----------
    section : Section
        Dotted name or path of the section.
    name : str
        Name of the field.

    Returns
    -------
    str
        One sentence.
    """
    return str(_model(section).model_fields[name].description or "")


def numeric_fields() -> list[tuple[str, str]]:
    """List the numeric fields outside lists and dictionaries.

    Returns
    -------
    list of tuple of str
        Section and name of each.
    """
    found = []

    def visit(model: Any, path: str) -> None:
        for name, info in model.model_fields.items():
            if any(isinstance(m, Ge) for m in info.metadata) and info.json_schema_extra:
                found.append((path, name))
            elif isinstance(info.annotation, type) and hasattr(info.annotation, "model_fields"):
                visit(info.annotation, f"{path}.{name}" if path else name)

    visit(Document, "")
    return found
