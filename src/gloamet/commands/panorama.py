# SPDX-License-Identifier: Apache-2.0
"""`gloamet panorama`: illuminance and sun of a lat-long panorama, and when the sun has that position."""

from __future__ import annotations

import argparse
import sys
from datetime import datetime
from pathlib import Path
from typing import Any

from gloamet.commands.argument_types import add_json, clean, number, show, whole
from gloamet.commands.table import register
from gloamet.errors import GloametError

MOST_MOMENTS = 8


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "panorama")
    parser.add_argument("file", type=Path)
    parser.add_argument("--find-sun", action="store_true", help="list all suns found in it")
    parser.add_argument("--match", type=_place, metavar="LAT,LON", help="find when the real sun is there")
    parser.add_argument(
        "--rotation",
        type=number(-180, 180, "Turn"),
        default=0.0,
        help="rotation before matching, degrees clockwise",
    )
    year = datetime.now().year
    parser.add_argument("--year", type=whole(1900, 2150, "Year"), default=year, help="year of the match")
    parser.add_argument(
        "--remove-sun", type=Path, metavar="OUT.exr", help="write the panorama without its sun"
    )
    add_json(parser)
    parser.set_defaults(run=run)


def _place(text: str) -> tuple[float, float]:
    """An argparse type: LAT,LON."""
    try:
        lat, lon = (float(word) for word in text.split(","))
    except ValueError:
        raise GloametError(f"“{text}” is not a site like 57.4,21.5.") from None
    number(-90, 90, "Latitude")(str(lat)), number(-180, 180, "Longitude")(str(lon))
    return lat, lon


def _matches(azimuth: float, elevation: float, options: argparse.Namespace) -> list[dict[str, Any]]:
    from gloamet.sun.nearest import nearest_moments
    from gloamet.sun.site import resolve_zone, zone_name_at

    lat, lon = options.match
    zone = resolve_zone(zone_name_at(lat, lon))
    found = nearest_moments(azimuth % 360.0, elevation, options.year, lat, lon, zone, most=MOST_MOMENTS)
    return [
        {
            "when": m.when.isoformat(timespec="minutes"),
            "error_deg": round(m.error_deg, 3),
            "sun_azimuth_deg": round(m.azimuth_deg, 3),
            "sun_elevation_deg": round(m.elevation_deg, 3),
        }
        for m in found
    ]


def run(options: argparse.Namespace) -> None:
    """Measure the panorama; write it without its sun on request."""
    from gloamet.colour.spaces import luminance
    from gloamet.output.images import save_light
    from gloamet.sky.environment_map import cached_panorama, decode
    from gloamet.sky.panorama_clipped import estimated_sun
    from gloamet.sky.panorama_dome import LightOptions, panorama_dome, prepare_panorama, suns_of

    if options.remove_sun is not None and options.remove_sun.suffix.lower() != ".exr":
        raise GloametError(f"{options.remove_sun.name}: a panorama is written as .exr.")
    picture = cached_panorama(options.file)
    suns = suns_of(picture)
    lifted = prepare_panorama(picture, LightOptions(lifted=True), suns)
    dome = panorama_dome(prepare_panorama(picture, LightOptions(), suns), 0.0, 0.0)
    without = panorama_dome(lifted, 0.0, 0.0)
    out: dict[str, Any] = {
        "sun_found": bool(suns),
        "sun_azimuth_deg": suns[0].azimuth_deg if suns else None,
        "sun_elevation_deg": suns[0].elevation_deg if suns else None,
        "sun_lx": float(luminance(dome.sun_horizontal)),
        "sky_lx": float(luminance(dome.sky_horizontal)),
        "clipped": picture.clipped or (bool(suns) and suns[0].clipped),
        "removed_lx": float(luminance(lifted.removed_level)),
        "absolute": picture.absolute,
        "width": picture.codes.shape[1],
    }
    if suns and out["clipped"]:
        out["estimated_sun_lx"] = estimated_sun(without, suns[0])
        out["note"] = "The sun is clipped: its light is estimated from a clear sky of this colour."
    candidates = [
        {
            "azimuth_deg": s.azimuth_deg,
            "elevation_deg": s.elevation_deg,
            "radius_deg": s.radius_deg,
            "normal_lx": float(luminance(s.irradiance)),
            "clipped": s.clipped,
        }
        for s in suns
    ]
    if options.find_sun or options.json:
        out["candidates"] = candidates
    if options.match is not None:
        if not suns:
            raise GloametError(f"{options.file.name} has no sun that could be matched.")
        out["matches"] = _matches(suns[0].azimuth_deg + options.rotation, suns[0].elevation_deg, options)
    if options.remove_sun is not None:
        if not suns:
            raise GloametError(f"{options.file.name} has no sun that could be removed.")
        save_light(options.remove_sun, decode(lifted.seen, picture.scale))
    for note in picture.notes:
        print(f"note: {note}", file=sys.stderr)
    _print(out, options)


def _print(out: dict[str, Any], options: argparse.Namespace) -> None:
    if options.json:
        show(out, True)
        return
    rows = {name: out.pop(name) for name in ("candidates", "matches") if name in out}
    show(out, False)
    for name, kept in rows.items():
        for row in kept:
            print(f"{name}: " + "  ".join(f"{key} {value}" for key, value in clean(row).items()))
