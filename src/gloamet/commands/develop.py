# SPDX-License-Identifier: Apache-2.0
"""`gloamet develop`: develops an HDR picture for the screen, without rendering."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

from gloamet.commands.argument_types import add_json, number, show, whole
from gloamet.commands.table import register
from gloamet.errors import GloametError

if TYPE_CHECKING:
    from gloamet.document.expose import ExposeState

NEUTRAL_BALANCE = "none"
METERED = ("scene", "spot", "centre", "average", "whites")
MAX_BYTES = 8 * 1024**2


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "develop")
    parser.add_argument("source", type=Path, help="HDR picture: .exr, .hdr or float .tif")
    parser.add_argument("-o", "--output", type=Path, required=True)
    parser.add_argument(
        "--settings", type=Path, help="settings of the Expose step: .json, or a .gloamet project"
    )
    parser.add_argument("--ev", help=f"an exposure value at ISO 100, or {', '.join(METERED)} or incident")
    parser.add_argument(
        "--incident-lux", type=number(1e-4, 1e7, "Light"), help="reading of an incident meter, lux"
    )
    parser.add_argument(
        "--compensation", type=number(-5, 5, "Compensation"), help="exposure compensation, stops brighter"
    )
    parser.add_argument("--wb", help="white balance KELVIN,TINT; none keeps the white of the file")
    parser.add_argument("--view", help="view transform: gloamet develop --view ? lists them")
    parser.add_argument("--sixteen-bit", action="store_true", help="16-bit .png")
    parser.add_argument(
        "--table-out", type=Path, metavar="OUT.cube", help="also write the colour link as a look-up table"
    )
    parser.add_argument("--table-size", type=whole(2, 129, "Size"), default=33, help="grid points per side")
    add_json(parser)
    parser.set_defaults(run=run)


def read_settings(path: Path) -> ExposeState:
    """Links of the chain from a .json of Expose's fields, or from a project. Raises GloametError with a sentence."""
    from pydantic import ValidationError

    from gloamet.document.expose import ExposeState
    from gloamet.document.file import ENDING, load_document

    if path.suffix.lower() == ENDING:
        return load_document(path).expose
    try:
        if path.stat().st_size > MAX_BYTES:
            raise GloametError(f"{path.name} is too large to be settings.")
        tree: Any = json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise GloametError(f"{path} cannot be read ({error.strerror}): check the path.") from None
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError):
        raise GloametError(f'{path.name} is not readable JSON: write it like {{"tone": {{}}}}.') from None
    try:
        return ExposeState.model_validate(tree.get("expose", tree) if isinstance(tree, dict) else tree)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise GloametError(f"{path.name}: “{where}” is not usable ({first['msg'].lower()}).") from None


def _balance(text: str) -> dict[str, Any]:
    """Fields of a white balance as it was typed."""
    if text == NEUTRAL_BALANCE:
        return {"balance": False}
    kelvin, _, tint = text.partition(",")
    read_kelvin, read_tint = number(2000, 15000, "Kelvin"), number(-30, 30, "Tint")
    return {
        "balance": True,
        "kelvin": read_kelvin(kelvin),
        "tint": read_tint(tint or "0"),
        "warmth_kept": 0.0,
    }


def _state(options: argparse.Namespace) -> ExposeState:
    """What the options ask for: neutral but for what they say."""
    from gloamet.colour.views import VIEWS
    from gloamet.document.expose import ExposeState

    state = ExposeState(balance=False) if options.settings is None else read_settings(options.settings)
    given: dict[str, Any] = {}
    if options.wb is not None:
        given |= _balance(options.wb)
    if options.view is not None:
        if options.view not in VIEWS:
            raise GloametError(f"There is no view “{options.view}”: there are {', '.join(VIEWS)}.")
        given["view"] = options.view
    if options.compensation is not None:
        given["compensation"] = options.compensation
    if options.ev in (*METERED, "incident"):
        given["metering"] = options.ev
    elif options.ev is not None:
        given |= {"metering": "manual", "ev": number(-8, 22, "EV")(options.ev)}
    return ExposeState.model_validate({**state.model_dump(), **given})


def run(options: argparse.Namespace) -> None:
    """Develop the file."""
    from gloamet.develop.colour_grade import grade_codes
    from gloamet.develop.colour_table import write_table
    from gloamet.develop.exact import develop_exact
    from gloamet.develop.masks import MaskPlanes
    from gloamet.document.model import Document
    from gloamet.meter.light import illuminance_ev
    from gloamet.output.images import check_ending, save_display
    from gloamet.output.light_file import read_light_file
    from gloamet.translation.document_to_picture import develop_settings, exposure_from_document

    if check_ending(options.output) == ".exr":
        raise GloametError(f"{options.output.name}: a developed picture is saved as .png or .jpg.")
    if not options.output.parent.is_dir():
        raise GloametError(f"The folder {options.output.parent} is not there: make it first.")
    state = _state(options)
    if state.metering == "incident" and options.incident_lux is None:
        raise GloametError("A file has no incident reading: give it with --incident-lux.")
    file = read_light_file(options.source)
    if not file.absolute and options.ev is None and options.settings is None:
        _say_relative(options.source)
    document = Document().model_copy(update={"expose": state})
    lux = options.incident_lux or 0.0
    exposure = exposure_from_document(document, file.picture, file.seen, lambda: illuminance_ev(lux))
    planes = MaskPlanes(depth=file.seen.depth, sun_fraction=file.sun_fraction)
    settings = develop_settings(document, exposure.ev)
    codes = develop_exact(file.picture, settings, planes)
    save_display(options.output, codes, options.sixteen_bit)
    if options.table_out is not None:
        if options.table_out.suffix.lower() != ".cube":
            raise GloametError(f"{options.table_out.name}: a look-up table is written as .cube.")
        write_table(
            options.table_out,
            lambda grid: grade_codes(grid, settings.colour).clip(0.0, 1.0),
            options.table_size,
            options.table_out.stem,
        )
    shown = {"file": str(options.output), "ev": exposure.ev, "view": state.view}
    show(shown | {"mean_code": float(255.0 * codes.mean()), "width": codes.shape[1]}, options.json)


def _say_relative(path: Path) -> None:
    import sys

    print(f"note: {path.name} does not say what its white is: values are taken for cd/m²", file=sys.stderr)
