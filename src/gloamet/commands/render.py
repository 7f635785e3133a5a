# SPDX-License-Identifier: Apache-2.0
"""`gloamet render`: renders a model or a project to a picture, without a screen."""

from __future__ import annotations

import argparse
import math
import signal
import sys
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from gloamet.commands.argument_types import add_json, fractions, number, show, size, whole
from gloamet.commands.camera_options import add_camera, find_camera
from gloamet.commands.document_options import add_axes, read_document
from gloamet.commands.light_options import add_light, with_light
from gloamet.commands.table import register
from gloamet.document.file import ENDING
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.assembly import place_in_world
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Scene

if TYPE_CHECKING:
    from gloamet.trace.film import Film
    from gloamet.trace.lights.environment import Environment
    from gloamet.trace.render_scene import RenderScene

MOST_FOR_NOISE = 4096  # samples per pixel where only --noise says when to stop


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "render")
    parser.add_argument(
        "source", type=Path, help="model (.glb, .gltf, .usd*, .obj, .ply, .stl) or project (.gloamet)"
    )
    parser.add_argument("-o", "--output", type=Path, required=True)
    parser.add_argument("--size", type=size, help="like 1280x720")
    parser.add_argument("--samples", type=whole(1, 65536, "Samples"), help="samples per pixel")
    parser.add_argument(
        "--noise", type=number(0.1, 50, "Noise"), help="stop where the noise is below this, percent"
    )
    parser.add_argument(
        "--seed", type=whole(0, 2**31 - 1, "Seed"), default=0, help="random seed: other noise, same picture"
    )
    parser.add_argument("--checkpoint", type=Path, help="write progress to this file and resume from it")
    add_camera(parser)
    add_light(parser)
    parser.add_argument("--exposed", action="store_true", help="scale .exr so that 1.0 is 1.2 x 2^EV cd/m2")
    parser.add_argument("--sixteen-bit", action="store_true", help="16-bit .png")
    parser.add_argument("--denoise", action="store_true", help="denoise the picture")
    parser.add_argument("--bounces", type=whole(1, 32, "Bounces"), default=None)
    add_axes(parser)
    parser.add_argument("--mute", action="append", metavar="PART", help="mute a part; may be repeated")
    plaster = number(0.18, 0.9, "Plaster")
    parser.add_argument(
        "--plaster", type=plaster, nargs="?", const=0.6, help="plaster reflectance, default 0.6"
    )
    parser.add_argument(
        "--contours",
        type=number(0.5, 6, "Contour width"),
        nargs="?",
        const=1.4,
        help="contour lines on plaster, width in px",
    )
    parser.add_argument(
        "--rectangle", type=fractions, help="left,top,right,bottom in 0..1: refine only there"
    )
    parser.add_argument("--ground", choices=["endless", "disc", "none"], help="what lies below the horizon")
    add_json(parser)
    parser.set_defaults(run=run)


@dataclass(frozen=True)
class _Job:
    document: Document
    scene: Scene
    camera: Camera
    width: int
    height: int
    samples: int
    noise: float | None


def _document(options: argparse.Namespace) -> Document:
    document = read_document(options.source, options.units, options.up)
    if options.source.suffix.lower() != ENDING:
        document = document.change("stage.ground", softness_deg=0.0)
    return _with_stage(with_light(document, options), options)


def _with_stage(document: Document, options: argparse.Namespace) -> Document:
    if options.mute:
        document = document.change("stage", muted=(*document.stage.muted, *options.mute))
    if options.plaster is not None:
        document = document.change("stage.plaster", on=True, reflectance=options.plaster)
    if options.contours is not None:
        if not document.stage.plaster.on:
            raise GloametError("--contours draws contours on plaster: give --plaster too.")
        document = document.change("stage.plaster", contours=True, contour_px=options.contours)
    if options.rectangle is not None:
        document = document.change("stage", rectangle=options.rectangle)
    if options.ground is not None:
        document = document.change("stage.ground", kind=options.ground)
    return document


def _check_mutes(scene: Scene, options: argparse.Namespace) -> None:
    names = {part.name for part in scene.parts}
    lost = [name for name in options.mute or [] if name not in names]
    if lost:
        raise GloametError(f"There is no part “{lost[0]}”: gloamet inspect lists them.")


def _prepare(options: argparse.Namespace) -> _Job:
    from gloamet.output.images import check_ending
    from gloamet.stage.readers import read_file

    if check_ending(options.output) == ".exr" and options.sixteen_bit:
        raise GloametError("--sixteen-bit belongs to .png.")
    if options.exposed and options.output.suffix.lower() != ".exr":
        raise GloametError("--exposed belongs to .exr.")
    if not options.output.parent.is_dir():
        raise GloametError(f"The folder {options.output.parent} is not there: make it first.")
    document = _document(options)
    check_ending(options.output, document.sky.backdrop == "none")
    scene = place_in_world(
        read_file(Path(str(document.stage.scene_file)), outside=document.stage.outside_files), document.stage
    )
    _check_mutes(scene, options)
    camera = find_camera(options, document, scene)
    out = document.output
    project = options.source.suffix.lower() == ENDING
    width, height = options.size or ((out.width, out.height) if project else (1280, 720))
    if options.checkpoint is not None and not options.checkpoint.parent.is_dir():
        raise GloametError(f"The folder {options.checkpoint.parent} is not there: make it first.")
    noise = options.noise if options.noise is not None else (out.noise if project else 0.0)
    default = out.samples if project else (MOST_FOR_NOISE if options.noise else 64)
    samples = options.samples or default
    return _Job(document, scene, camera, width, height, samples, noise / 100.0 if noise else None)


def _say(sentence: str) -> None:
    print(sentence, file=sys.stderr, flush=True)


def _trace(options: argparse.Namespace, job: _Job, compiled: RenderScene, lights: Environment) -> Film:
    """The film, resumed from a checkpoint if there is one; Ctrl-C keeps the samples so far."""
    from gloamet.output.checkpoint import Checkpoint, digest_of
    from gloamet.trace.film import Film, pixel_region
    from gloamet.translation.document_to_picture import gains_from_document
    from gloamet.translation.final_render import MOST_BOUNCES, Progress, StopCriterion, render

    region = pixel_region(job.document.stage.rectangle, job.width, job.height)
    aim = StopCriterion(
        job.samples, job.noise, options.bounces or MOST_BOUNCES, region, gains_from_document(job.document)
    )
    film = Film(job.width, job.height, seed=options.seed)
    kept = None
    if options.checkpoint is not None:
        kept = Checkpoint(options.checkpoint, digest_of(compiled, lights, job.camera, film, aim.bounces))
        if kept.resume(film):
            _say(f"resuming from {film.mean_samples():.0f} samples per pixel")
    stop = threading.Event()
    before = signal.signal(signal.SIGINT, lambda *_: stop.set())

    def progress(p: Progress) -> None:
        if sys.stderr.isatty():
            bar = "█" * int(30 * p.fraction) + "░" * (30 - int(30 * p.fraction))
            line = f"{p.samples:.0f} samples  noise {100 * p.noise:.1f} %  {p.seconds_left:.0f} s left"
            print(f"\r{bar} {line} ", end="", file=sys.stderr)

    try:
        render(
            film,
            compiled,
            lights,
            job.camera,
            aim,
            progress=progress,
            stopped=stop.is_set,
            keep=kept.save if kept else lambda f: None,
        )
    finally:
        signal.signal(signal.SIGINT, before)
    if sys.stderr.isatty():
        _say("")
    if stop.is_set() and film.samples_in(None) == 0:
        raise GloametError("Stopped before the first pass: nothing was saved.")
    if kept is not None and stop.is_set():
        kept.save(film, 0.0)
        _say(kept.problem or f"stopped: the same command resumes from {options.checkpoint}")
    elif kept is not None:
        kept.remove()
    return film


def run(options: argparse.Namespace) -> None:
    """Render and save."""
    job = _prepare(options)
    from gloamet.translation.finishing import RenderInputs, finished_picture
    from gloamet.translation.memory import check_memory, memory_needed
    from gloamet.translation.saved_picture import save_picture

    inputs = RenderInputs.of(job.document, job.scene, job.camera)
    need = memory_needed(inputs.compiled, job.width, job.height, options.denoise)
    check_memory(need)
    _say(f"needs about {need / 2**20:.0f} MB of memory")
    start = time.perf_counter()
    film = _trace(options, job, inputs.compiled, inputs.lights)
    seconds = time.perf_counter() - start
    light, planes = finished_picture(inputs, film, options.denoise)
    saved = options.exposed, options.sixteen_bit, planes
    ev = save_picture(options.output, job.document, film, light, *saved)
    for note in job.scene.notes:
        _say(f"note: {note}")
    report = {"memory_mb": need / 2**20, "seconds": seconds, "ev": ev}
    sun = {"sun_azimuth_deg": inputs.dome.sun_azimuth_deg, "sun_elevation_deg": inputs.dome.sun_elevation_deg}
    show(_measured(options, job, film, seconds) | report | sun, options.json)


def _measured(options: argparse.Namespace, job: _Job, film: Film, seconds: float) -> dict[str, object]:
    """What the finished film is: its size, samples, noise of each light, and the speed it was made at."""
    from gloamet.light_layers import LIGHT_LAYERS
    from gloamet.trace.noise import error_quantile, tile_relative_error
    from gloamet.translation.document_to_picture import gains_from_document

    noises = {
        f"noise_{name}_percent": 100.0 * error_quantile(tile_relative_error(film, only=name))
        for name in LIGHT_LAYERS
        if film.layers[name].any()
    }
    whole = error_quantile(tile_relative_error(film, gains_from_document(job.document)))
    return {
        "file": str(options.output),
        "width": job.width,
        "height": job.height,
        "samples": film.samples,
        "samples_mean": film.mean_samples(),
        "noise_percent": 100.0 * whole,
        **{name: value for name, value in noises.items() if math.isfinite(value)},
        "rays_per_second": film.rays / max(seconds, 1e-9),
        "samples_per_second": job.width * job.height * film.mean_samples() / max(seconds, 1e-9),
    }
