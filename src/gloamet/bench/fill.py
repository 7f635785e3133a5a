# SPDX-License-Identifier: Apache-2.0
"""Speed of the balance: a change of gains and tints, a rotated panorama, a large panorama that is opened."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from gloamet.bench.core import best
from gloamet.develop.display import develop_screen
from gloamet.develop.settings import DevelopSettings
from gloamet.document.demo import PANORAMAS, demo_document
from gloamet.light_layers import Gain, Gains, even_gains
from gloamet.output.images import save_light
from gloamet.preview.relighting import Relighting, RelightView
from gloamet.sky.environment_map import read_environment_map
from gloamet.sky.panorama_dome import LightOptions, prepare_panorama, suns_of
from gloamet.stage.assembly import camera_from_view, place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Film, Renderer
from gloamet.translation.document_to_light import (
    build_stage,
    dome_from_document,
    join_lights,
    sun_from_document,
    tint_from_document,
)
from gloamet.translation.document_to_panorama import PanoramaInputs, read_panorama

Result = dict[str, float]
FILM_SIZE = (1280, 720)
RELIT_SIZE = (960, 540)
LARGE = 8192
TURNS = 12


def gains() -> Result:
    """Milliseconds of a change of gains, tints and bounces on a film of 1280 x 720, and with its developing."""
    film, rng = Film(*FILM_SIZE), np.random.default_rng(1)
    for name in ("sun", "sky", "lamps", "panorama"):
        for layer in (name, f"{name}_indirect"):
            film.layers[layer][:] = rng.random(film.layers[layer].shape, np.float32)
    film.layers["counts"][:] = 16.0
    tinted = Gain((1.2, 1.0, 0.8), (0.6, 0.5, 0.4))
    settings = DevelopSettings(12.0)
    whole = Gains(tinted, tinted, tinted, tinted)
    alone = best(lambda: film.light(whole))
    shown = best(lambda: develop_screen(film.light(whole), settings))
    return {"gain_change_ms": 1000.0 * alone, "gain_to_screen_ms": 1000.0 * shown}


def turning() -> Result:
    """Pictures a second of the house while a panorama with a sun is turned, its light and the relit picture."""
    document = demo_document().change("panorama", file=str(PANORAMAS / "evening.exr"))
    document = document.change("fill", sun_on=False)
    scene = place_in_world(read_file(Path(str(document.stage.scene_file))), document.stage)
    dome, renderer, relighting = dome_from_document(document), Renderer(), Relighting()
    view = RelightView(build_stage(document, scene), camera_from_view(document.stage.view), *RELIT_SIZE)
    tint, balance = tint_from_document(document), even_gains(sun=0.0)
    inputs = PanoramaInputs.of(document, dome, sun_from_document(document)[0])
    assert inputs is not None

    def lights(rotation_deg: float):  # type: ignore[no-untyped-def]
        return join_lights(dome, read_panorama(inputs._replace(rotation_deg=rotation_deg)), tint, False)

    while relighting.improve(view, lights(0.0), renderer, lambda: False):
        pass
    turn = iter(range(10_000))

    def turned() -> None:
        for _ in range(TURNS):
            relighting.relit(lights(0.7 * next(turn)), balance)

    return {"panorama_turn_fps": TURNS / best(turned, 4)}


def large() -> Result:
    """Seconds from a file of 8192 x 4096 to a panorama that lights, its sun found and apart."""
    rng = np.random.default_rng(2)
    picture = np.repeat(np.repeat(rng.random((LARGE // 32, LARGE // 16, 3), np.float32), 16, 0), 16, 1)
    picture[LARGE // 8 : LARGE // 8 + 12, LARGE // 3 : LARGE // 3 + 12] = 1e6
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.exr"
        save_light(path, picture)

        def opened() -> None:
            read = read_environment_map(path)
            prepare_panorama(read, LightOptions(), suns_of(read))

        return {"panorama_8k_s": best(opened, 3)}
