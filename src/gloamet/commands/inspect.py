# SPDX-License-Identifier: Apache-2.0
"""`gloamet inspect`: contents of a model file, and its units and up axis as read."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from gloamet.commands.argument_types import add_json, show
from gloamet.commands.table import register
from gloamet.stage.placing import Placement, size_warning, to_world_scene
from gloamet.stage.readers import read_file
from gloamet.stage.scene import Scene


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "inspect")
    parser.add_argument("source", type=Path, help="model (.glb, .gltf, .usd*, .obj, .ply, .stl)")
    parser.add_argument("--outside", action="store_true", help="allow files outside the folder of the model")
    add_json(parser)
    parser.set_defaults(run=run)


def described(scene: Scene) -> dict[str, Any]:
    """The figures of a scene as read: counts, names, size, axes, and sentences about what was left out."""
    origin = scene.origin
    world = to_world_scene(scene, Placement(origin.units, origin.up))
    low, high = world.bounds()
    small, large = world.subject_bounds()
    warning = size_warning(large - small)
    return {
        "triangles": scene.triangle_count,
        "instances": len(scene.parts) - scene.shape_count,
        "parts": [part.name for part in scene.parts],
        "materials": [material.name for material in scene.materials],
        "cameras": list(scene.views),
        "lights": [lamp.name for lamp in scene.lamps]
        + [part.name for part in scene.parts if scene.materials[part.material].glows],
        "animated": list(scene.motions),
        "size_m": [round(float(side), 6) for side in high - low],
        "up_axis": origin.up,
        "up_why": origin.up_why,
        "units": origin.units,
        "units_why": origin.units_why,
        "warnings": [*([warning] if warning else []), *scene.notes],
    }


def run(options: argparse.Namespace) -> None:
    """Read and print."""
    found = described(read_file(options.source, outside=options.outside))
    if not options.json:
        found = {key: _shortened(value) for key, value in found.items()}
    show(found, options.json)


def _shortened(value: Any) -> Any:
    if not isinstance(value, list):
        return value
    if not value:
        return "none"
    if isinstance(value[0], float):
        return " × ".join(f"{side:.4g}" for side in value)
    text = ", ".join(value[:12])
    return f"{len(value)}: {text}" + (" …" if len(value) > 12 else "")
