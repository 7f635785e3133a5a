# SPDX-License-Identifier: Apache-2.0
"""`gloamet sky`: illuminance of a sky, as a table over one of its values, and as a panorama."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from gloamet.commands.argument_types import add_json, clean, number, show, whole
from gloamet.commands.document_options import AIR_OPTIONS, add_air, with_air
from gloamet.commands.sky_options import add_grade, with_grade
from gloamet.commands.table import register
from gloamet.document.metadata import field_range
from gloamet.document.model import Document
from gloamet.errors import GloametError

if TYPE_CHECKING:
    from gloamet.sky.dome import SkyDome
    from gloamet.sky.sky_solver import SkySolver

MOST_ROWS = 1000
SWEPT = {"elevation": "elevation"} | {
    option[2:]: name for option, name, _ in AIR_OPTIONS if not name.startswith("sky")
}
COLUMNS = (
    "sun_horizontal_lx",
    "sky_horizontal_lx",
    "sun_sky_stops",
    "sun_cct_k",
    "sky_cct_k",
    "visibility_km",
)


class Sweep(NamedTuple):
    """A value to be swept and what it takes."""

    name: str
    values: tuple[float, ...]


def sweep(text: str) -> Sweep:
    """An argparse type: NAME=FROM:TO:COUNT, ends included."""
    name, _, numbers = text.partition("=")
    if name not in SWEPT:
        raise GloametError(f"“{name}” cannot be swept: choose {', '.join(SWEPT)}.")
    try:
        first, last, count = numbers.split(":")
        steps = whole(2, MOST_ROWS, "Count")(count)
        low, high = (-90.0, 90.0) if name == "elevation" else field_range("air", SWEPT[name])[:2]
        begin, end = (number(low, high, name.capitalize())(word) for word in (first, last))
    except ValueError:
        raise GloametError(f"Sweep “{text}” is not like turbidity=2:10:9.") from None
    return Sweep(name, tuple(begin + (end - begin) * k / (steps - 1) for k in range(steps)))


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "sky")
    parser.add_argument("--elevation", type=number(-90, 90, "Elevation"), help="sun elevation, degrees")
    parser.add_argument(
        "--azimuth", type=number(-360, 720, "Azimuth"), default=180.0, help="sun azimuth, degrees from north"
    )
    add_air(parser, "--model")
    add_grade(parser)
    parser.add_argument(
        "--sweep", type=sweep, metavar="NAME=FROM:TO:COUNT", help=f"a table over one of {', '.join(SWEPT)}"
    )
    parser.add_argument("--panorama", type=Path, help="write a lat-long .exr in cd/m2, north in the centre")
    parser.add_argument("--width", type=whole(16, 16384, "Width"), default=2048)
    parser.add_argument("--no-sun", action="store_true", help="write the panorama without the sun disc")
    add_json(parser)
    parser.set_defaults(run=run)


def _dome(
    document: Document, options: argparse.Namespace, elevation_deg: float, solver: SkySolver
) -> SkyDome:
    from gloamet.sky.dome import SUN_DIAMETER_DEG
    from gloamet.sky.grading import graded_dome
    from gloamet.sky.sky_models import model_dome
    from gloamet.translation.document_to_light import (
        air_from_document,
        grade_from_document,
        sky_model_from_document,
    )

    model, air = sky_model_from_document(document), air_from_document(document)
    dome = model_dome(model, air, options.azimuth % 360.0, elevation_deg, SUN_DIAMETER_DEG, solver)
    return graded_dome(dome, grade_from_document(document))


def _readings(document: Document, dome: SkyDome, elevation_deg: float) -> dict[str, Any]:
    """The light meter's numbers and those of the air."""
    from gloamet.meter.light import read_light
    from gloamet.sky.grading import grading_differences
    from gloamet.sky.sky_models import caveat
    from gloamet.translation.document_to_light import (
        air_from_document,
        grade_from_document,
        sky_model_from_document,
    )

    reading, air = read_light(dome), air_from_document(document)
    out: dict[str, Any] = {
        "sun_normal_lx": reading.sun_normal_lx,
        "sun_horizontal_lx": reading.sun_horizontal_lx,
        "sky_horizontal_lx": reading.sky_horizontal_lx,
        "zenith_cd_m2": reading.zenith_cd_m2,
        "zenith_xy": reading.zenith_xy,
        "sun_cct_k": reading.sun_cct_k,
        "sky_cct_k": reading.sky_cct_k,
        "sun_sky_stops": reading.sun_sky_stops,
        "aod550": air.aod550,
        "turbidity": air.turbidity,
        "linke_turbidity": float(air.linke_turbidity),
        "visibility_km": air.visibility_km,
        "incident_ev": reading.incident_ev,
    }
    messages = caveat(sky_model_from_document(document), air, elevation_deg)
    changed = grading_differences(grade_from_document(document))
    messages = " ".join(
        [*([messages] if messages else []), *([f"Not physical: {', '.join(changed)}."] if changed else [])]
    )
    return {**out, "note": messages} if messages else out


def _print_table(options: argparse.Namespace, document: Document, swept: Sweep) -> None:
    from gloamet.sky.sky_solver import SkySolver

    solver, rows = SkySolver(), []
    for value in swept.values:
        of_sun = swept.name == "elevation"
        here = document if of_sun else document.change("air", **{SWEPT[swept.name]: value})
        if SWEPT[swept.name].startswith("haze"):
            here = here.change("air", haze_on=True)
        elevation = value if of_sun else options.elevation
        found = _readings(here, _dome(here, options, elevation, solver), elevation)
        rows.append(clean({swept.name: value, **{name: found[name] for name in COLUMNS}}))
    if options.json:
        print(json.dumps(rows))
        return
    print("  ".join(f"{name:>18}" for name in rows[0]))
    for row in rows:
        print("  ".join(f"{'–' if value is None else format(value, '.5g'):>18}" for value in row.values()))


def run(options: argparse.Namespace) -> None:
    """Print the light meter's values, or a table of them; write the panorama on request."""
    from gloamet.output.environment_export import export_environment_map
    from gloamet.output.images import save_light
    from gloamet.sky.sky_solver import SkySolver

    if options.panorama is not None and options.panorama.suffix.lower() != ".exr":
        raise GloametError(f"{options.panorama.name}: the panorama is written as .exr.")
    document = with_grade(with_air(Document(), options), options)
    if options.elevation is None and (options.sweep is None or options.sweep.name != "elevation"):
        raise GloametError("Give the elevation of the sun: --elevation 30.")
    if options.sweep is not None:
        if options.panorama is not None:
            raise GloametError("--sweep prints a table and --panorama writes one sky: give only one of them.")
        _print_table(options, document, options.sweep)
        return
    dome = _dome(document, options, options.elevation, SkySolver())
    if options.panorama is not None:
        save_light(options.panorama, export_environment_map(dome, options.width, not options.no_sun))
    show(_readings(document, dome, options.elevation), options.json)
