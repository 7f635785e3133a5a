# SPDX-License-Identifier: Apache-2.0
"""`gloamet aim`: the sun's direction from a shadow, a frame position or a glint, and its real dates."""

from __future__ import annotations

import argparse
import re
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from gloamet.aim.moments import NEVER_DEG, AlmanacSite, moments_for_direction, moments_for_pins
from gloamet.aim.pins import AimedSun, Pin, aim_frame, aim_glint, aim_shadows
from gloamet.commands.argument_types import add_json, number, show, size, triple, whole
from gloamet.commands.document_options import add_axes, read_document
from gloamet.commands.table import register
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.camera import Camera
from gloamet.sun.nearest import RealMoment, TimeWindow
from gloamet.sun.site import check_coordinates, resolve_zone, zone_name_at

if TYPE_CHECKING:
    from gloamet.stage.scene import Scene
    from gloamet.trace.render_scene import RenderScene

SIXTEEN_TO_NINE = (1280, 720)


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand and its tools."""
    parser = register(commands, "aim")
    tools = parser.add_subparsers(dest="tool", metavar="TOOL", required=True)
    shadow = tools.add_parser("shadow", help="from a caster point and where its shadow should fall")
    point = triple("Point")
    shadow.add_argument(
        "--from", dest="casters", type=point, action="append", required=True, help="caster point x,y,z"
    )
    shadow.add_argument(
        "--to", dest="receivers", type=point, action="append", required=True, help="shadow point x,y,z"
    )
    shadow.add_argument("--scene", type=Path, help="model or project, to find what blocks the sun")
    frame = tools.add_parser("frame", help="the sun at a position in the picture")
    glint = tools.add_parser("glint", help="the sun reflected by the surface at a position in the picture")
    for tool, required in ((frame, False), (glint, True)):
        tool.add_argument("--scene", type=Path, required=required, help="model or project")
        tool.add_argument(
            "--view", required=True, help="name of a view, or eye/target/degrees like 0,-9,2/0,0,1/40"
        )
        tool.add_argument(
            "--pixel",
            type=_spot,
            required=True,
            help="u,v from the upper left: fractions, or pixels with --size",
        )
        tool.add_argument("--size", type=size, help="like 1280x720: --pixel is then in pixels")
    windows = tools.add_parser("windows", help="when a part is sunlit in the year")
    windows.add_argument("scene", type=Path, help="model or project")
    windows.add_argument("--part", required=True, help="name of the part")
    windows.add_argument("--side", type=triple("Side"), help="x,y,z: only faces in this direction")
    for tool in (shadow, frame, glint, windows):
        clock = ("--hour-from", "--hour-to") if tool is shadow else ("--from", "--to")
        tool.add_argument(
            clock[0], dest="hour_from", type=_hour, default=0.0, help="earliest clock time, like 06:00"
        )
        tool.add_argument(
            clock[1], dest="hour_to", type=_hour, default=24.0, help="latest clock time, like 20:00"
        )
        tool.add_argument("--season", type=_season, help="first and last day, like 05-03..08-09")
        tool.add_argument("--lat", type=float, help="latitude in degrees, north positive")
        tool.add_argument("--lon", type=float, help="longitude in degrees, east positive")
        tool.add_argument(
            "--tz", help="IANA time zone or offset like +03:00 (default: the zone of the place)"
        )
        tool.add_argument("--year", type=whole(1900, 2150, "Year"), help="default: this year")
        tool.add_argument(
            "--north",
            type=number(-180, 360, "North"),
            default=0.0,
            help="north of the model, degrees clockwise from +Y",
        )
        add_axes(tool)
        add_json(tool)
        tool.set_defaults(run=_RUNS[tool.prog.split()[-1]])


# -- reading


def _spot(text: str) -> tuple[float, float]:
    try:
        u, v = (float(part) for part in text.split(","))
    except ValueError:
        raise GloametError(f"Pixel “{text}” is not two numbers like 0.4,0.3.") from None
    return u, v


def _hour(text: str) -> float:
    match = re.fullmatch(r"(\d{1,2})(?::(\d{2}))?", text)
    hour = int(match[1]) + int(match[2] or 0) / 60.0 if match else 99.0
    if hour > 24.0:
        raise GloametError(f"“{text}” is not a clock time: write it like 06:00.")
    return hour


def _season(text: str) -> tuple[tuple[int, int], tuple[int, int]]:
    match = re.fullmatch(r"(\d{2})-(\d{2})\.\.(\d{2})-(\d{2})", text)
    try:
        a, b = (datetime(2024, int(match[k]), int(match[k + 1])) for k in (1, 3)) if match else (None, None)
    except ValueError:
        a = b = None
    if a is None or b is None:
        raise GloametError(f"Season “{text}” is not two days like 05-03..08-09.")
    return (a.month, a.day), (b.month, b.day)


def _window(options: argparse.Namespace) -> TimeWindow:
    if options.hour_from > options.hour_to:
        raise GloametError("The earliest clock time lies after the latest: swap them.")
    first, last = options.season or ((1, 1), (12, 31))
    return TimeWindow(options.hour_from, options.hour_to, first, last)


def _site(options: argparse.Namespace) -> AlmanacSite | None:
    if options.lat is None and options.lon is None:
        return None
    if options.lat is None or options.lon is None:
        raise GloametError("A site needs both --lat and --lon.")
    lat, lon = check_coordinates(options.lat, options.lon)
    tz = resolve_zone(options.tz or zone_name_at(lat, lon))
    return AlmanacSite(lat, lon, tz, options.year or datetime.now(UTC).year, options.north)


def _opened(path: Path, units: str | None, up: str | None) -> tuple[RenderScene, Scene, Document]:
    from gloamet.stage.readers import read_file
    from gloamet.translation.document_to_light import build_stage

    document = read_document(path, units, up)
    scene = place_in_world(read_file(Path(str(document.stage.scene_file))), document.stage)
    return build_stage(document, scene), scene, document


def _camera(options: argparse.Namespace, opened: tuple[RenderScene, Scene, Document] | None) -> Camera:
    parts = options.view.split("/")
    if len(parts) == 3:
        eye, target = triple("Eye")(parts[0]), triple("Target")(parts[1])
        return Camera(eye, target, number(0.1, 170, "Field of view")(parts[2]))
    if opened is None:
        raise GloametError("A view by name needs --scene; or give it as eye/target/degrees.")
    _compiled, scene, document = opened
    views = {**scene.views, **{named.name: camera_from_view(named.view) for named in document.stage.views}}
    if options.view not in views:
        raise GloametError(f"There is no view “{options.view}”: there are {', '.join(views) or 'none'}.")
    return views[options.view]


def _place(options: argparse.Namespace) -> tuple[float, float, float]:
    """Shares of the picture and its aspect."""
    width, height = options.size or SIXTEEN_TO_NINE
    u, v = options.pixel
    if options.size:
        u, v = u / width, v / height
    if not (0.0 <= u <= 1.0 and 0.0 <= v <= 1.0):
        raise GloametError("--pixel is outside the picture: give fractions from 0 to 1, or add --size.")
    return u, v, width / height


# -- answering


def _candidates(moments: list[RealMoment]) -> list[dict[str, Any]]:
    return [{"when": moment.when, "error_deg": round(moment.error_deg, 4)} for moment in moments]


def _answer(
    options: argparse.Namespace, aimed: AimedSun, site: AlmanacSite | None, moments: list[RealMoment]
) -> None:
    result: dict[str, Any] = {
        "azimuth_deg": (aimed.azimuth_deg - options.north) % 360.0,
        "elevation_deg": aimed.elevation_deg,
        "misses_deg": list(aimed.misses_deg),
        "remarks": list(aimed.remarks),
        "candidates": _candidates(moments) if site else None,
    }
    if options.json:
        show(result, True)
        return
    show({key: result[key] for key in ("azimuth_deg", "elevation_deg")}, False)
    for remark in aimed.remarks:
        print(remark)
    if moments and moments[0].error_deg > NEVER_DEG:
        print("The real sun does not occur there within the search; the nearest:")
    for moment in moments:
        print(f"{moment.when:%d %b %Y %H:%M}  {moment.error_deg:.2f}° off")
    if site and not moments:
        print("No moment within the search: widen the hours or the season.")


def _run_shadow(options: argparse.Namespace) -> None:
    if len(options.casters) != len(options.receivers):
        raise GloametError("Every --from needs its --to.")
    pins = [Pin(a, b) for a, b in zip(options.casters, options.receivers, strict=True)]
    scene = _opened(options.scene, options.units, options.up)[0] if options.scene else None
    site = _site(options)
    aimed = aim_shadows(pins, scene)
    _answer(options, aimed, site, moments_for_pins(pins, site, _window(options)) if site else [])


def _run_frame(options: argparse.Namespace) -> None:
    opened = _opened(options.scene, options.units, options.up) if options.scene else None
    aimed = aim_frame(_camera(options, opened), *_place(options), opened[0] if opened else None)
    site = _site(options)
    _answer(options, aimed, site, moments_for_direction(aimed, site, _window(options)) if site else [])


def _run_glint(options: argparse.Namespace) -> None:
    opened = _opened(options.scene, options.units, options.up)
    aimed = aim_glint(_camera(options, opened), *_place(options), opened[0])
    site = _site(options)
    _answer(options, aimed, site, moments_for_direction(aimed, site, _window(options)) if site else [])


def _run_windows(options: argparse.Namespace) -> None:
    import numpy as np

    from gloamet.aim.sun_windows import best_moment, gap_in_front, scan_year, sunlit_spans, target_from_part
    from gloamet.sun.position import direction, sun_position

    site = _site(options)
    if site is None:
        raise GloametError("Sun windows need a site: give --lat and --lon.")
    compiled = _opened(options.scene, options.units, options.up)[0]
    target = target_from_part(
        compiled, options.part, None if options.side is None else np.array(options.side)
    )
    scan = scan_year(compiled, target, site, _window(options))
    spans, best = sunlit_spans(scan, site), best_moment(scan, site)
    result: dict[str, Any] = {
        "azimuth_deg": None,
        "elevation_deg": None,
        "gap": None,
        "candidates": [],
        "spans": [],
    }
    if best is not None:
        sun = sun_position(best.timestamp(), site.latitude_deg, site.longitude_deg)
        azimuth, elevation = float(sun.azimuth_deg), float(sun.elevation_deg)
        gap = gap_in_front(compiled, target, direction(azimuth + site.north_deg, elevation))
        result |= {"azimuth_deg": azimuth, "elevation_deg": elevation, "gap": gap}
        result["candidates"] = [{"when": best, "error_deg": 0.0}]
    result["spans"] = [
        {
            "from": span.first.isoformat(),
            "to": span.last.isoformat(),
            "clock_from": f"{span.begins:%H:%M}",
            "clock_to": f"{span.ends:%H:%M}",
            "share": round(span.fraction, 4),
        }
        for span in spans
    ]
    if options.json:
        show(result, True)
        return
    if best is None:
        print(f"“{options.part}” is never sunlit in {site.year}.")
        return
    print(f"largest sunlit fraction {best:%d %b %Y %H:%M}, {result['gap']}")
    for span in spans:
        print(span.sentence(f"“{options.part}”"))


_RUNS = {"shadow": _run_shadow, "frame": _run_frame, "glint": _run_glint, "windows": _run_windows}
