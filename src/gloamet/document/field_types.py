# SPDX-License-Identifier: Apache-2.0
"""Base types of the document: frozen, no unknown fields, finite numbers, each with range, unit and description."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field


def number(
    default: Any,
    low: float,
    high: float,
    description: str,
    unit: str = "",
    step: float = 1.0,
    digits: int = 1,
) -> Any:
    """A numeric field with range, unit, step of the arrow keys and decimals shown."""
    extra: dict[str, Any] = {"unit": unit, "step": step, "digits": digits}
    return Field(default, ge=low, le=high, description=description, json_schema_extra=extra)


class DocumentModel(BaseModel):
    """Frozen, closed to unknown fields, finite numbers only."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
