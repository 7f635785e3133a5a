# SPDX-License-Identifier: Apache-2.0
"""`gloamet meter`: the light on a scene, source by source, and the plausibility warnings."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from gloamet.commands.argument_types import add_json, show, whole
from gloamet.commands.camera_options import add_camera, find_camera
from gloamet.commands.document_options import add_axes, read_document
from gloamet.commands.light_options import add_light, with_light
from gloamet.commands.table import register
from gloamet.document.file import ENDING
from gloamet.document.model import Document
from gloamet.stage.assembly import place_in_world

if TYPE_CHECKING:
    from gloamet.light_layers import Gains
    from gloamet.sky.dome import SkyDome
    from gloamet.stage.camera import Camera
    from gloamet.trace.lights.environment import Environment
    from gloamet.trace.render_scene import RenderScene
    from gloamet.translation.document_to_facts import Measures
    from gloamet.translation.document_to_panorama import PanoramaLight

SPOT_SAMPLES, SHRINK_PX = 16, 192  # of the small picture that the exposure is read from


class _Lit(NamedTuple):
    compiled: RenderScene
    camera: Camera
    dome: SkyDome
    panorama: PanoramaLight | None
    lights: Environment
    gains: Gains


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "meter")
    parser.add_argument("source", type=Path, help="model or project (.gloamet)")
    add_camera(parser)
    add_light(parser)
    add_axes(parser)
    parser.add_argument("--bounces", type=whole(1, 32, "Bounces"), default=None)
    add_json(parser)
    parser.set_defaults(run=run)


def _measures(document: Document, options: argparse.Namespace, lit: _Lit) -> Measures:
    """What is measured in the scene: cards, and the exposure of a small picture."""
    from gloamet.meter.light import read_light
    from gloamet.meter.natural_range import natural_range
    from gloamet.preview.light_readout import panorama_solved
    from gloamet.preview.relighting import RelightView
    from gloamet.preview.scene_meter import read_meter
    from gloamet.sky.sky_solver import SkySolver
    from gloamet.trace.film import Film, Renderer
    from gloamet.translation.document_to_facts import Measures
    from gloamet.translation.document_to_light import air_from_document
    from gloamet.translation.document_to_picture import exposure_from_document
    from gloamet.translation.final_render import MOST_BOUNCES
    from gloamet.translation.saved_picture import surfaces_of_film

    out = document.output
    width, height = SHRINK_PX, max(16, round(SHRINK_PX * out.height / out.width))
    renderer, bounces = Renderer(), options.bounces or MOST_BOUNCES
    view = RelightView(lit.compiled, lit.camera, width, height)
    met = read_meter(view, lit.lights, bounces, renderer, document.fill.card_position)
    film = Film(width, height)
    renderer.accumulate(film, lit.compiled, lit.lights, lit.camera, SPOT_SAMPLES, bounces)
    reading = read_light(lit.dome, lit.gains, None if lit.panorama is None else lit.panorama.lighting)
    seen = surfaces_of_film(film)
    exposure = exposure_from_document(document, film.light(lit.gains), seen, lambda: reading.incident_ev)
    low, high = lit.compiled.scene.subject_bounds()
    solved = None if lit.panorama is None else panorama_solved(lit.panorama, lit.gains)
    return Measures(
        natural_range(air_from_document(document), lit.dome.sun_elevation_deg, SkySolver()),
        exposure.ev,
        cards=met.cards,
        in_flight=met.in_flight,
        height_m=float(high[2] - low[2]),
        has_lamps=len(lit.compiled.lamps) > 0,
        panorama_sun=None if solved is None else solved.sun_deg,
        panorama_sun_lx=0.0 if solved is None else solved.sun_lx,
    )


def _lit(document: Document, options: argparse.Namespace) -> _Lit:
    """The document's stage in its light."""
    from gloamet.stage.readers import read_file
    from gloamet.translation.document_to_light import (
        build_stage,
        dome_from_document,
        environment_from_document,
        panorama_from_document,
    )
    from gloamet.translation.document_to_picture import gains_from_document

    stage = document.stage
    scene = place_in_world(read_file(Path(str(stage.scene_file)), outside=stage.outside_files), stage)
    camera = find_camera(options, document, scene)
    compiled, dome = build_stage(document, scene), dome_from_document(document)
    panorama = panorama_from_document(document, dome)
    lights = environment_from_document(document, dome, panorama)
    gains = gains_from_document(document, lights.sky_colour)
    return _Lit(compiled, camera, dome, panorama, lights, gains)


def _readings(document: Document, options: argparse.Namespace) -> dict[str, Any]:
    from gloamet.meter.light import read_light
    from gloamet.translation.document_to_facts import facts_of, findings_of
    from gloamet.translation.document_to_light import sun_from_document

    lit = _lit(document, options)
    second = None if lit.panorama is None else lit.panorama.lighting
    reading = read_light(lit.dome, lit.gains, second)
    measures = _measures(document, options, lit)
    facts = facts_of(document, sun_from_document(document), reading, measures, lit.gains)
    band, cards = measures.band, measures.cards
    assert cards is not None
    return {
        "sun_lx": reading.sun_horizontal_lx,
        "sky_lx": reading.sky_horizontal_lx,
        "panorama_lx": reading.panorama_horizontal_lx,
        "lamps_lx": facts.lamps_lx,
        "key_to_fill_stops": reading.sun_sky_stops,
        "nature_low_stops": math.nan if band is None else band.low,
        "nature_high_stops": math.nan if band is None else band.high,
        "light_cct_k": reading.light_cct_k,
        "shade_cct_k": reading.shade_cct_k,
        "incident_ev": reading.incident_ev,
        "ev": measures.ev,
        "cards": _cards(cards.under(lit.gains)),
        "checks": [
            {"rule": f.rule, "value": f.value, "limit": f.limit, "sentence": f.sentence}
            for f in findings_of(document, facts)
        ],
    }


def _cards(cards: Any) -> list[dict[str, Any]]:
    """Cards in the scene: lux of each source, direct and indirect, and colour of all of it."""
    from gloamet.colour.spaces import AP1_TO_XYZ, luminance
    from gloamet.colour.temperature import correlated_temperature, distance_from_locus
    from gloamet.light_layers import LIGHT_LAYERS
    from gloamet.meter.card_light import CARDS

    rows = []
    for k, facing in enumerate(CARDS):
        row: dict[str, Any] = {"card": facing}
        for n, name in enumerate(LIGHT_LAYERS):
            whole_lx, indirect_lx = (float(luminance(a[k, n].astype(float))) for a in cards)
            row[f"{name}_direct_lx"] = whole_lx - indirect_lx
            row[f"{name}_indirect_lx"] = indirect_lx
        colour = AP1_TO_XYZ @ cards.whole[k].astype(float).sum(0)
        rows.append(row | {"cct_k": correlated_temperature(colour), "duv": distance_from_locus(colour)})
    return rows


def run(options: argparse.Namespace) -> None:
    """Print the readings."""
    document = read_document(options.source, options.units, options.up)
    if options.source.suffix.lower() != ENDING:
        document = document.change("stage.ground", softness_deg=0.0)
    found = _readings(with_light(document, options), options)
    if options.json:
        show(found, True)
        return
    for name, value in found.items():
        if name not in ("cards", "checks"):
            print(f"{name:>20}  {value:.5g}" if math.isfinite(value) else f"{name:>20}  –")
    for row in found["cards"]:
        print(f"card {row['card']}:")
        for name, value in row.items():
            if name != "card" and math.isfinite(value) and value:
                print(f"{name:>20}  {value:.5g}")
    for check in found["checks"]:
        print(f"check: {check['sentence']}")
    if not found["checks"]:
        print("check: no warnings.")
