"""`gloamet sky`: the light of a clear or hazy sky, in numbers and as a panorama."""

from __future__ import annotations

import argparse
from pathlib import Path

from gloamet.commands.common import add_json, number, show, whole
from gloamet.commands.document_options import add_air
from gloamet.errors import GloametError


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = commands.add_parser("sky", help="light of sun and sky on level ground")
    parser.add_argument(
        "--elevation", type=number(-90, 90, "Elevation"), required=True, help="sun height, degrees"
    )
    parser.add_argument(
        "--azimuth", type=number(-360, 720, "Azimuth"), default=180.0, help="from north, degrees"
    )
    add_air(parser)
    parser.add_argument("--panorama", type=Path, help="write a lat-long .exr in cd/m2, north in the centre")
    parser.add_argument("--width", type=whole(16, 16384, "Width"), default=2048)
    parser.add_argument("--no-sun", action="store_true", help="leave the disc out of the panorama")
    add_json(parser)
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> None:
    """Print the light meter's numbers; write the panorama when asked."""
    from gloamet.document.model import AirState
    from gloamet.meter.light import read_light
    from gloamet.output.environment_export import export_environment_map
    from gloamet.output.images import save_light
    from gloamet.sky.air import Air
    from gloamet.sky.dome import SkySolver

    if options.panorama is not None and options.panorama.suffix.lower() != ".exr":
        raise GloametError(f"{options.panorama.name}: the panorama is written as .exr.")
    usual = AirState()
    turbidity = usual.turbidity if options.turbidity is None else options.turbidity
    albedo = usual.ground_reflectance if options.albedo is None else options.albedo
    air = Air(turbidity, options.haze_km, albedo)
    dome = SkySolver().dome(air, options.azimuth % 360.0, options.elevation)
    reading = read_light(dome)
    if options.panorama is not None:
        save_light(options.panorama, export_environment_map(dome, options.width, not options.no_sun))
    show(
        {
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
        },
        options.json,
    )
