"""What a control knows of its document field: range, unit, decimals, description.

The field's own metadata is the one source; nothing is written twice.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from annotated_types import Ge, Le

from gloamet.document.model import Document
from gloamet.errors import GloametError


@dataclass(frozen=True)
class NumberField:
    """A numeric field of a section; a dotted section such as "stage.view" lies inside another."""

    section: str
    name: str
    low: float
    high: float
    default: float
    unit: str
    step: float
    digits: int
    description: str

    def value(self, document: Document) -> float:
        """The field's value in a document."""
        place: Any = document
        for part in self.section.split("."):
            place = getattr(place, part)
        return float(getattr(place, self.name))

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


def _model(section: str) -> Any:
    model: Any = Document
    for part in section.split("."):
        model = model.model_fields[part].annotation
    return model


def number_field(section: str, name: str) -> NumberField:
    """The metadata of one numeric field, read from the document model."""
    info = _model(section).model_fields[name]
    low = next(float(m.ge) for m in info.metadata if isinstance(m, Ge))  # type: ignore[arg-type]
    high = next(float(m.le) for m in info.metadata if isinstance(m, Le))  # type: ignore[arg-type]
    extra: dict[str, Any] = dict(info.json_schema_extra or {})
    return NumberField(
        section, name, low, high, float(info.default), extra["unit"], extra["step"], extra["digits"],
        info.description or "",
    )  # fmt: skip


def description(section: str, name: str) -> str:
    """A field's own sentence, for a tooltip."""
    return str(_model(section).model_fields[name].description or "")
