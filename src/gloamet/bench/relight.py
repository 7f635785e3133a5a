"""How far relit pictures are from the exact one: the demo at three suns, by squares of four pixels.

The exact picture is this program's own with many samples; it is checked against closed forms by tests.
"""

from __future__ import annotations

import numpy as np

Result = dict[str, float]
WIDTH, HEIGHT, BLOCK = 960, 540, 4
SAMPLES, BOUNCES = 1024, 16
SUNS = ((160.0, 60.0), (110.0, 30.0), (80.0, 10.0))  # azimuth, elevation


def errors() -> Result:
    """Median relative difference of all squares, and of those in full shade, over three suns."""
    from gloamet.document.demo import demo_document
    from gloamet.sky.air import Air
    from gloamet.sky.dome import SkySolver
    from gloamet.stage.camera import Camera
    from gloamet.stage.readers import read_model
    from gloamet.trace.compiled import compile_scene
    from gloamet.trace.film import Film, Tracer
    from gloamet.trace.lights import build_lights
    from gloamet.trace.relight.record import Record
    from gloamet.trace.relight.screen import SURFACE

    document = demo_document()
    view = document.stage.view
    camera = Camera(view.eye, view.target, view.fov_deg)
    scene, solver, tracer = compile_scene(read_model(str(document.stage.model))), SkySolver(), Tracer()
    skies = [build_lights(solver.dome(Air(2.5), *sun)) for sun in SUNS]
    record = Record(scene, camera, WIDTH, HEIGHT, tracer.pool, tracer.threads)
    while not record.full:
        record.improve(skies[1])
    shape = (HEIGHT // BLOCK, BLOCK, WIDTH // BLOCK, BLOCK)
    everywhere, in_shade, jumps = [], [], []
    for lights in skies:
        relit = record.relit(lights, at_rest=True)[..., 1].reshape(shape).mean((1, 3))
        layer = record.layers[0]
        dark = (layer.kinds == SURFACE) & (layer.visible.max(1) == 0)
        film = Film(WIDTH // BLOCK, HEIGHT // BLOCK)
        tracer.expose(film, scene, lights, camera, SAMPLES, BOUNCES)
        exact = film.light(1.0, 1.0, 0.0)[..., 1]
        apart = np.abs(relit - exact) / np.maximum(exact, 1e-3 * exact.mean())
        everywhere.append(float(np.median(apart)))
        in_shade.append(float(np.median(apart[dark.reshape(shape).all((1, 3))])))
        jumps.append(abs(float(relit.mean() / exact.mean()) - 1.0))
    return {
        "relight_error_median": max(everywhere),
        "relight_error_shade": max(in_shade),
        "relight_jump": max(jumps),
    }
