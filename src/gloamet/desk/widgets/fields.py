"""What a control knows of its document field: range, unit, decimals, description.

The field's own metadata is the one source; nothing is written twice.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, get_args, get_origin

from annotated_types import Ge, Le

from gloamet.document.model import Document, FieldPath
from gloamet.errors import GloametError

Section = str | FieldPath


def steps(section: Section) -> FieldPath:
    """A dotted name or a path as a path."""
    return tuple(section.split(".")) if isinstance(section, str) else section


def reach(document: Document, section: Section) -> Any:
    """The model a section names, None where the document does not go that far."""
    place: Any = document
    for part in steps(section):
        if isinstance(place, dict):
            place = place.get(part)
        elif isinstance(place, tuple):
            place = place[int(part)] if int(part) < len(place) else None
        else:
            place = getattr(place, str(part))
        if place is None:
            return None
    return place


@dataclass(frozen=True)
class NumberField:
    """A numeric field of a section: a dotted name such as "stage.view", or a path into lists.

    fallback gives the value to show where the document holds none.
    """

    section: Section
    name: str
    low: float
    high: float
    default: float
    unit: str
    step: float
    digits: int
    description: str
    fallback: Callable[[], float] | None = None

    def value(self, document: Document) -> float:
        """The field's value in a document."""
        found = getattr(reach(document, self.section), self.name, None)
        if found is None:
            return self.fallback() if self.fallback is not None else self.default
        return float(found)

    def text(self, value: float, unit: bool = True) -> str:
        """The value as shown, with its unit."""
        number = f"{value:.{self.digits}f}".replace("-", "−")
        if not unit or not self.unit:
            return number
        return f"{number}{self.unit}" if self.unit == "°" else f"{number} {self.unit}"

    def read(self, text: str) -> float:
        """A typed value; unit and spaces may follow. Raises GloametError with a sentence."""
        plain = text.strip().replace("−", "-").replace(",", ".")
        match = re.fullmatch(r"([+-]?\d*\.?\d+(?:[eE][+-]?\d+)?)\s*([^\d\s]*)", plain)
        if match is None or (match[2] and match[2].casefold() not in self._units()):
            raise GloametError(f"“{text.strip()}” is not a number in {self.unit or 'plain figures'}.")
        value = float(match[1])
        if not self.low <= value <= self.high:
            raise GloametError(
                f"{text.strip()} is out of range: {self.text(self.low)} to {self.text(self.high)}."
            )
        return value

    def _units(self) -> tuple[str, ...]:
        other = {"°": ("deg",), "stops": ("stop",), "EV": ("ev",), "K": ("kelvin",)}
        return (self.unit.casefold(), *other.get(self.unit, ()))


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


def number_field(section: Section, name: str, fallback: Callable[[], float] | None = None) -> NumberField:
    """The metadata of one numeric field, read from the document model."""
    info = _model(section).model_fields[name]
    low = next(float(m.ge) for m in info.metadata if isinstance(m, Ge))  # type: ignore[arg-type]
    high = next(float(m.le) for m in info.metadata if isinstance(m, Le))  # type: ignore[arg-type]
    extra: dict[str, Any] = dict(info.json_schema_extra or {})
    default = low if info.default is None else float(info.default)
    return NumberField(
        section, name, low, high, default, extra["unit"], extra["step"], extra["digits"],
        info.description or "", fallback,
    )  # fmt: skip


def description(section: Section, name: str) -> str:
    """A field's own sentence, for a tooltip."""
    return str(_model(section).model_fields[name].description or "")
