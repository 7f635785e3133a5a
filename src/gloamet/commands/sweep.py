# SPDX-License-Identifier: Apache-2.0
"""`gloamet sweep` and `gloamet suggest`: one view in many lights, as a contact sheet or a folder of pictures."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from gloamet.commands.argument_types import add_json, clean, show, size, whole
from gloamet.commands.camera_options import add_camera
from gloamet.commands.document_options import add_axes, read_document
from gloamet.commands.light_options import add_light, with_light
from gloamet.commands.table import register
from gloamet.errors import GloametError

if TYPE_CHECKING:
    from gloamet.document.model import Document
    from gloamet.preview.thumbnail_renderer import ThumbnailRenderer

SHEET_COLUMNS = 4


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register both subcommands."""
    parser = register(commands, "sweep")
    _add_scene(parser)
    help_text = "PATH=LOW:HIGH:COUNT[:log], like sun.elevation_deg=5:60:8; sun.hour and sun.day are clock and calendar"
    parser.add_argument("--vary", action="append", required=True, metavar="RANGE", help=help_text)
    parser.set_defaults(run=run_sweep)
    other = register(commands, "suggest")
    _add_scene(other)
    other.add_argument(
        "-n", "--number", type=whole(1, 48, "Number"), default=12, help="number of suggestions"
    )
    other.set_defaults(run=run_suggest)


def _add_scene(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("source", type=Path, help="model or project (.gloamet)")
    parser.add_argument("-o", "--output", type=Path, required=True, help="a sheet (.png, .pdf) or a folder")
    parser.add_argument("--size", type=size, default=(320, 180), help="size of each picture, like 320x180")
    add_camera(parser)
    add_light(parser)
    add_axes(parser)
    add_json(parser)


def _laid_out(options: argparse.Namespace) -> tuple[Document, ThumbnailRenderer]:
    """The document with the requested light, and its stage."""
    from gloamet.commands.camera_options import find_camera
    from gloamet.preview.thumbnail_renderer import ThumbnailRenderer
    from gloamet.stage.assembly import camera_from_view, place_in_world, view_from_camera
    from gloamet.stage.readers import read_file
    from gloamet.trace.film import Renderer
    from gloamet.translation.document_to_light import build_stage

    document = with_light(read_document(options.source, options.units, options.up), options)
    scene = place_in_world(
        read_file(Path(str(document.stage.scene_file)), outside=document.stage.outside_files), document.stage
    )
    camera = find_camera(options, document, scene)
    if camera != camera_from_view(document.stage.view):
        stage = document.stage.model_copy(update={"view": view_from_camera(camera)})
        document = document.model_copy(update={"stage": stage})
    compiled = build_stage(document, scene)
    return document, ThumbnailRenderer(document, compiled, options.size, Renderer(), lambda: False)


def _check_output(path: Path) -> None:
    from gloamet.output.contact_sheet import ENDINGS

    if path.suffix and path.suffix.lower() not in ENDINGS:
        raise GloametError(
            f"{path.name}: a sheet is written as {' or '.join(ENDINGS)}; without an ending a folder is written."
        )
    if not path.parent.is_dir():
        raise GloametError(f"The folder {path.parent} is not there: make it first.")


def _write(
    options: argparse.Namespace, pictures: list[tuple[Any, str]], columns: int, tell: list[dict[str, Any]]
) -> None:
    """A sheet, or a folder with a picture each and sweep.json."""
    import numpy as np

    from gloamet.output.contact_sheet import contact_sheet, save_sheet
    from gloamet.output.images import save_display

    if options.output.suffix:
        save_sheet(contact_sheet(pictures, columns, options.source.stem), options.output)
        return
    options.output.mkdir(exist_ok=True)
    for (pixels, _), row in zip(pictures, tell, strict=True):
        save_display(options.output / row["file"], pixels[..., :3].astype(np.float32) / np.float32(255.0))
    text = json.dumps(clean(tell), indent=1, ensure_ascii=False) + "\n"
    (options.output / "sweep.json").write_text(text, encoding="utf-8")


def run_sweep(options: argparse.Namespace) -> None:
    """Every variant, and where it went."""
    from gloamet.document.sweep import read_range, sweep, variant_label

    _check_output(options.output)
    varies = [read_range(text) for text in options.vary]
    document, table = _laid_out(options)
    pictures, tell = [], []
    variants = sweep(document, varies)
    for number, variant in enumerate(variants, 1):
        made = table.picture(variant.document)
        assert made is not None  # nobody cancels
        help_text = variant_label(variant)
        pictures.append((made.pixels, help_text))
        tell.append(
            {"file": f"{number:03d}.png", "values": variant.values, "caption": help_text, "ev": made.ev}
        )
        if sys.stderr.isatty():
            print(f"\r{number} of {len(variants)} ", end="", file=sys.stderr)
    _write(options, pictures, varies[0].number if len(varies) > 1 else SHEET_COLUMNS, tell)
    rows: Any = tell if options.json else len(tell)
    show({"file": str(options.output), "pictures": rows}, options.json)


def run_suggest(options: argparse.Namespace) -> None:
    """Lights far apart, with their reasons and measures."""
    from gloamet.preview.suggest import suggest
    from gloamet.translation.document_to_light import sun_from_document

    _check_output(options.output)
    document, table = _laid_out(options)
    found = suggest(document, table, options.number, lambda _fraction: None)
    pictures = [(s.picture.pixels, s.reason) for s in found]
    tell = [
        {
            "file": f"{number:03d}.png",
            "reason": s.reason,
            "azimuth_deg": sun_from_document(s.document)[0],
            "elevation_deg": sun_from_document(s.document)[1],
            "real": s.real,
            "delta_e": s.delta_e,
            **{f"measured_{name}": value for name, value in s.look._asdict().items()},
        }
        for number, s in enumerate(found, 1)
    ]
    _write(options, pictures, SHEET_COLUMNS, tell)
    if options.json:
        show({"file": str(options.output), "lights": tell}, True)
        return
    for row in tell:
        when = f"  ({row['real']:%d %b %H:%M})" if row["real"] is not None else ""
        print(f"{row['reason']}{when}")
