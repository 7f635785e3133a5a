# SPDX-License-Identifier: Apache-2.0
"""`gloamet sun`: position of the sun and the events of that day."""

from __future__ import annotations

import argparse
from datetime import UTC

from gloamet.commands.argument_types import add_json, add_site, read_site, show
from gloamet.commands.table import register
from gloamet.sun.moment import events_of, moment_at


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "sun")
    add_site(parser, required=True)
    add_json(parser)
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> None:
    """Print the position and the events of the local day."""
    lat, lon, when, tz, name = read_site(options)
    moment = moment_at(when, lat, lon, tz)
    events = events_of(moment, lat, lon, tz)
    show(
        {
            "azimuth_deg": moment.azimuth_deg,
            "elevation_deg": moment.elevation_deg,
            "elevation_true_deg": moment.elevation_true_deg,
            "declination_deg": moment.declination_deg,
            "equation_of_time_min": moment.equation_of_time_min,
            **events.instants(),
            "noon_elevation_deg": events.noon_elevation_deg,
            "day": events.kind,
            "local": moment.local,
            "utc": moment.instant.astimezone(UTC),
            "tz": name,
            "note": moment.note,
        },
        options.json,
    )
