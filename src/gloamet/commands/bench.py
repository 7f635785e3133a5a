# SPDX-License-Identifier: Apache-2.0
"""`gloamet bench`: measures every performance figure of Gloamet on this machine."""

from __future__ import annotations

import argparse
import resource
import sys
from collections.abc import Callable

from gloamet.commands.argument_types import add_json, show
from gloamet.commands.table import register
from gloamet.errors import GloametError

Result = dict[str, float]


def _memory() -> Result:
    peaks = [resource.getrusage(who).ru_maxrss for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
    return {"peak_rss_mb": max(peaks) / 1024.0}


def _measures() -> list[tuple[Callable[[], Result], tuple[str, ...]]]:
    from gloamet.bench import comparing, core, desk, developing, fill, opening, relight, sun

    return [
        (
            core.rays,
            (
                "rays_closest_mps",
                "rays_any_mps",
                "embreex_closest_mps",
                "embreex_any_mps",
                "rays_vs_embreex",
                "rays_vs_embree",
            ),
        ),
        (core.paths, ("samples_per_s", "samples_per_s_demo")),
        (core.sky, ("sky_aerosol_ms", "sky_sun_ms", "sky_twilight_ms", "sky_haze_height_ms")),
        (core.aerial, ("aerial_solve_ms", "aerial_ms")),
        (core.shafts, ("shafts_ratio", "shafts_rest_ms")),
        (fill.gains, ("gain_change_ms", "gain_to_screen_ms")),
        (fill.turning, ("panorama_turn_fps",)),
        (fill.large, ("panorama_8k_s",)),
        (core.sun, ("sun_500k_s", "sun_one_ms")),
        (developing.plain, ("develop_1280x800_ms",)),
        (
            developing.chain,
            (
                "develop_tone_ms",
                "develop_colour_ms",
                "develop_mask_ms",
                "develop_bend_ms",
                "develop_last_ms",
                "glare_ms",
            ),
        ),
        (comparing.thumbs, ("sweep_thumbs_per_s",)),
        (comparing.keeping, ("keep_ms", "blink_ms")),
        (desk.hand, ("first_change_ms", "first_change_median_ms", "gui_gap_ms", "scrub_fps")),
        (sun.scan, ("year_scan_s",)),
        (sun.cloth, ("year_cloth_ms", "year_cloth_air_ms")),
        (sun.overlay, ("overlay_fps_960x540", "overlay_worst_fps_960x540")),
        (desk.relight, desk.RELIGHT_NAMES),
        (relight.errors, relight.ERROR_NAMES),
        (relight.clean, ("shade_2pct_s", "interior_3pct_s")),
        (desk.pin, ("pin_fps",)),
        (desk.cancel, ("cancel_ms", "cancel_worst_ms")),
        (desk.start_warm, ("window_warm_s", "first_picture_warm_s")),
        (desk.start_cold, ("window_first_s", "first_picture_first_s")),
        (desk.first_sun, desk.FIRST_SUN_NAMES),
        (desk.compile_cold, ("compile_cold_s",)),
        (opening.million, ("open_1m_s", "open_1m_memory_ratio")),
        (opening.forest, ("open_forest_mb",)),
        (_memory, ("peak_rss_mb",)),
    ]


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "bench")
    parser.add_argument("--only", metavar="NAME,…", help="measure only these")
    add_json(parser)
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> None:
    """Measure and print."""
    measures = _measures()
    known = [name for _, names in measures for name in names]
    wanted = [name.strip() for name in options.only.split(",")] if options.only else known
    unknown = [name for name in wanted if name not in known]
    if unknown:
        raise GloametError(f"There is no measure {', '.join(unknown)}: choose from {', '.join(known)}.")
    results: Result = {}
    for work, names in measures:
        if set(names) & set(wanted):
            print(f"  measuring {names[0]} …", file=sys.stderr, flush=True)
            made = {name: value for name, value in work().items() if name in wanted}
            results.update(made)
            if not options.json:  # at once: a run that is stopped loses nothing
                show({name: made[name] for name in names if name in made}, False)
                sys.stdout.flush()
    if options.json:
        show({name: results[name] for name in known if name in results}, True)
