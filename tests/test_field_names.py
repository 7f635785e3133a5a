# SPDX-License-Identifier: Apache-2.0
"""Fields of the document that code and tests name as text exist: a renamed one would fail only when it is used."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

from gloamet.document.metadata import _model
from gloamet.document.model import Document

ROOT = Path(__file__).parents[1]
FILES = sorted(path for folder in ("src", "tests", "tools") for path in (ROOT / folder).rglob("*.py"))
# calls whose arguments name a section and, from that place on, a field
FIELD_CALLS = {
    "field_range": 0,
    "field_extra": 0,
    "description": 0,
    "number_field": 0,
    "NumberRow": 1,
    "Switch": 1,
    "SegmentedControl": 1,
    "ColourField": 1,
}
# they name fields that do not exist, to see them refused
WRONG_ON_PURPOSE = {"tests/document/test_document.py", "tests/desk/test_session.py"}


def section_of(node: ast.expr) -> tuple[str, ...] | None:
    """A section that is written out; a part that is computed stands for the first of a list."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value:
        return tuple(node.value.split("."))
    if isinstance(node, ast.Tuple) and isinstance(node.elts[0], ast.Constant):
        return tuple(str(part.value) if isinstance(part, ast.Constant) else "0" for part in node.elts)
    return None


def fields_of(section: tuple[str, ...]) -> set[str] | None:
    """Names of a section's fields; None where the text is no section."""
    try:
        return set(_model(section).model_fields) if section[0] in Document.model_fields else None
    except (KeyError, AttributeError, IndexError):
        return set()


def named_fields(tree: ast.AST) -> Iterator[tuple[int, tuple[str, ...], str]]:
    for node in ast.walk(tree):
        if not isinstance(node, ast.Call):
            continue
        name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        if name == "change" and node.args and (section := section_of(node.args[0])):
            for keyword in node.keywords:
                if keyword.arg and keyword.arg != "key":
                    yield node.lineno, section, keyword.arg
        elif name in FIELD_CALLS and len(node.args) > FIELD_CALLS[name] + 1:
            first = FIELD_CALLS[name]
            section = section_of(node.args[first])
            field = node.args[first + 1]
            if section and isinstance(field, ast.Constant):
                yield node.lineno, section, str(field.value)


@pytest.mark.parametrize(
    "path",
    [path for path in FILES if str(path.relative_to(ROOT)) not in WRONG_ON_PURPOSE],
    ids=lambda path: str(path.relative_to(ROOT)),
)
def test_every_field_that_is_named_exists(path: Path) -> None:
    for line, section, field in named_fields(ast.parse(path.read_text())):
        known = fields_of(section)
        assert known is None or field in known, f"line {line}: {'.'.join(section)} has no field {field}"
