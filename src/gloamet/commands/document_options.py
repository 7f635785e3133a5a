"""Options of subcommands that are fields of a document, and the document a subcommand works on."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path

from gloamet.commands.common import number
from gloamet.document.file import ENDING, load_document
from gloamet.document.metadata import field_range
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.scene import UNIT_METRES

SILENT = (".obj", ".ply", ".stl")  # formats that name neither unit nor axis: m and Y up unless told


def of_field(section: str, name: str, what: str) -> Callable[[str], float]:
    """An argparse type: a number in the range of a document's field."""
    field = field_range(section, name)
    return number(field.low, field.high, what)


def add_field(parser: argparse.ArgumentParser, option: str, section: str, name: str, what: str) -> None:
    """An option for a field of the document, with its range and its own words."""
    field = field_range(section, name)
    unit = f" ({field.unit})" if field.unit else ""
    words = f"{field.description[:1].lower()}{field.description[1:]}{unit}".replace("%", "%%")
    parser.add_argument(option, type=of_field(section, name, what), help=words)


def add_air(parser: argparse.ArgumentParser) -> None:
    """The air, as the document has it."""
    add_field(parser, "--turbidity", "air", "turbidity", "Turbidity")
    add_field(parser, "--haze-km", "air", "haze_km", "Haze")
    add_field(parser, "--albedo", "air", "ground_reflectance", "Ground reflectance")


def add_axes(parser: argparse.ArgumentParser) -> None:
    """How a model file is to be understood where it is silent."""
    parser.add_argument("--units", choices=list(UNIT_METRES))
    parser.add_argument("--up", choices=["y", "z"])


def read_document(path: Path, units: str | None = None, up: str | None = None) -> Document:
    """A project, or a fresh document of a model. Raises GloametError for a project without a model."""
    if path.suffix.lower() == ENDING:
        document = load_document(path)
        if not document.stage.model:
            raise GloametError(f"{path.name} names no model: open one on the desk first.")
    else:
        said = ("m", "y") if path.suffix.lower() in SILENT else ("file", "file")
        document = Document().change("stage", model=str(path), units=said[0], up=said[1])
    stage = document.stage
    return document.change("stage", units=units or stage.units, up=up or stage.up)
