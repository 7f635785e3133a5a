# SPDX-License-Identifier: Apache-2.0
"""Metadata of a control's document field: range, unit, decimals, description.

The field's own metadata is the one source; nothing is written twice.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from gloamet.document.metadata import Section, field_range, steps
from gloamet.document.model import Document
from gloamet.document.parsing import read_azimuth, read_number
from gloamet.errors import GloametError


def reach(document: Document, section: Section) -> Any:
    """The model a section names, None where the document does not go that far."""
    node: Any = document
    for part in steps(section):
        if isinstance(node, dict):
            node = node.get(part)
        elif isinstance(node, tuple):
            node = node[int(part)] if int(part) < len(node) else None
        else:
            node = getattr(node, str(part))
        if node is None:
            return None
    return node


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
    labels: tuple[tuple[str, float], ...] = ()  # shown instead of some values

    def value(self, document: Document) -> float:
        """The field's value in a document."""
        found = getattr(reach(document, self.section), self.name, None)
        if found is None:
            return self.fallback() if self.fallback is not None else self.default
        return float(found)

    def text(self, value: float, unit: bool = True) -> str:
        """The value as shown, with its unit."""
        for word, shown_value in self.labels:
            if value == shown_value:
                return word
        number = f"{value:.{self.digits}f}".replace("-", "−")
        if not unit or not self.unit:
            return number
        return f"{number}{self.unit}" if self.unit == "°" else f"{number} {self.unit}"

    def read(self, text: str) -> float:
        """A typed value, as shown or in any usual writing. Raises GloametError with a sentence."""
        value = self.parse(text)
        half = (
            0.5 * 10.0**-self.digits
        )  # what is shown is rounded: the ends of the range may be typed as shown
        if self.low - half <= value <= self.high + half:
            return min(max(value, self.low), self.high)
        raise GloametError(
            f"{text.strip()} is out of range: {self.text(self.low)} to {self.text(self.high)}."
        )

    def parse(self, text: str) -> float:
        """The number in a text, without a check of the range."""
        for word, value in self.labels:
            if text.strip().casefold() == word.casefold():
                return value
        if self.unit == "°" and self.high == 360.0:
            return read_azimuth(text)
        return read_number(text, self.unit)


def number_field(section: Section, name: str, fallback: Callable[[], float] | None = None) -> NumberField:
    """The metadata of one numeric field, read from the document model."""
    return NumberField(section, name, *field_range(section, name), fallback)
