"""The worker behind a document: loads, solves the sky, traces and develops, off the interface's thread.

A document and a picture size enter through `want`; events leave through one callback, called on the
worker's thread. It knows nothing of Qt. A newer wish stops whatever became stale, between two tiles of
rays, and keeps everything that did not.
"""

from __future__ import annotations

import math
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Scene

PREVIEW_SECONDS = 0.035  # rays of the first picture after a change; cleaning it costs about as much again
FIRST_SPEED = 800_000.0  # paths a second until it is measured
SETTLE_SECONDS = 0.12  # a hand that pauses this long lets the full-size picture begin
DISC_PIXELS = 128


@dataclass(frozen=True)
class Frame:
    """A developed picture, (H, W, 4) uint8 RGBX, and how far it is. `exact` is False for a preview."""

    pixels: NDArray[np.uint8]
    samples: int
    target: int
    ev: float
    meter_ev: float
    exact: bool
    seconds: float
    seconds_left: float


@dataclass(frozen=True)
class SceneLoaded:
    """A model was read; `document_model` is the path it was asked for."""

    scene: Scene
    document_model: str


@dataclass(frozen=True)
class LightSolved:
    """The sky of the moment: the meter with gains, what nature gives, and the painted disc."""

    reading: Any
    natural: Any
    disc: NDArray[np.uint8]
    sun_azimuth_deg: float
    sun_elevation_deg: float
    visibility_km: float
    linke_turbidity: float


@dataclass(frozen=True)
class ColoursSolved:
    """Sky colours against sun height, for the ribbon."""

    colours: Any


@dataclass(frozen=True)
class Failed:
    """One sentence for the notice bar; `model` names the model that could not be opened, if that was it."""

    sentence: str
    model: str | None = None


@dataclass(frozen=True)
class Busy:
    """What the worker does right now, '' when it rests."""

    text: str


@dataclass
class _Wish:
    document: Document
    width: int
    height: int
    stopped: bool = False
    hands_on: float = field(default_factory=time.monotonic)


class Engine:
    """One worker thread for one open document."""

    def __init__(self, report: Callable[[Any], None]) -> None:
        self._report = report
        self._lock = threading.Condition()
        self._wish: _Wish | None = None
        self._serial = 0
        self._closing = False
        self._state = _State(report, self._stale)
        self._thread = threading.Thread(target=self._run, name="engine", daemon=True)
        self._thread.start()

    def want(self, document: Document, width: int, height: int, stopped: bool = False) -> None:
        """Ask for this document at this size; replaces the wish before."""
        with self._lock:
            self._wish = _Wish(document, max(16, width), max(16, height), stopped)
            self._serial += 1
            self._lock.notify()

    def close(self) -> None:
        """Stop the worker and wait for it."""
        with self._lock:
            self._closing = True
            self._serial += 1
            self._lock.notify()
        self._thread.join(timeout=10)

    def _stale(self) -> bool:
        """Whether the wish being worked on has been replaced."""
        return self._serial != self._state.serial

    def _run(self) -> None:
        _warm_up()
        while True:
            with self._lock:
                while not self._closing and not self._stale():
                    self._lock.wait()
                if self._closing:
                    return
                wish, self._state.serial = self._wish, self._serial
            if wish is None:
                continue
            try:
                self._state.work(wish)
            except GloametError as error:
                self._report(Failed(str(error)))
            except MemoryError:
                self._report(Failed("Memory is full: close other programs or open a smaller model."))
            except Exception as error:  # the desk must live on; the details go to the terminal
                traceback.print_exc()
                self._report(
                    Failed(f"Something went wrong while rendering ({error}). Change anything to try again.")
                )
            if not self._stale():
                self._report(Busy(""))


def _warm_up() -> None:
    """Load what every picture needs while the window is still being laid out."""
    import pyoidn  # noqa: F401

    import gloamet.trace.paths  # noqa: F401
    from gloamet.develop.pipeline import screen_cube
    from gloamet.sky.scatter import sun_paths

    sun_paths()
    screen_cube("ACES 2.0")


class _State:
    """What has been computed, each with the key it was computed for: nothing above a change is redone."""

    def __init__(self, report: Callable[[Any], None], stale: Callable[[], bool]) -> None:
        self.serial = 0
        self._report, self._stale = report, stale
        self._speed = FIRST_SPEED
        self._solver: Any = None
        self._tracer: Any = None
        self._scene: tuple[tuple[str, str, str], Any] | None = None
        self._refused: tuple[str, str, str] | None = None
        self._sky: tuple[Any, Any, Any] | None = None
        self._colours_key: Any = None
        self._film: tuple[Any, Any] | None = None
        self._clean: tuple[Any, int, NDArray[np.float32]] | None = None
        self._view_key: Any = None
        self._guides: tuple[Any, Any] | None = None
        self._started = 0.0

    def work(self, wish: _Wish) -> None:
        """Bring everything the wish needs up to date, cheapest first, then refine until it is stale."""
        compiled = self._compiled(wish.document)
        dome_key, lights = self._light(wish.document)
        if compiled is not None:
            stage = wish.document.stage
            camera = Camera(stage.view.eye, stage.view.target, stage.view.fov_deg)
            film_key = (self._scene and self._scene[0], camera, dome_key, wish.width, wish.height)
            self._view_key = (film_key[0], camera, wish.width, wish.height)
            self._picture(wish, compiled, lights, camera, film_key)
        if not self._stale():
            self._solve_colours(wish.document)

    def _compiled(self, document: Document) -> Any:
        from gloamet.stage.readers import read_model
        from gloamet.trace.compiled import compile_scene

        stage = document.stage
        if not stage.model:
            return None
        key = (stage.model, stage.units, stage.up)
        if self._scene is not None and self._scene[0] == key:
            return self._scene[1]
        if key == self._refused:
            return None
        self._report(Busy(f"opening {Path(stage.model).name}"))
        try:
            scene = read_model(Path(stage.model), stage.units, stage.up)
            compiled = compile_scene(scene)
        except GloametError as error:
            self._refused = key
            self._report(Failed(str(error), stage.model))
            return self._scene[1] if self._scene is not None else None
        self._refused = None
        self._scene, self._film, self._clean = (key, compiled), None, None
        self._report(SceneLoaded(scene, stage.model))
        return compiled

    def _light(self, document: Document) -> tuple[Any, Any]:
        from gloamet.meter.light import read_light
        from gloamet.output.delivery import air_of, sun_of
        from gloamet.sky.dome import SkySolver
        from gloamet.trace.lights import build_lights

        air, (azimuth, elevation) = air_of(document), sun_of(document)
        key = (air, azimuth, elevation)
        if self._sky is None or self._sky[0] != key:
            if self._solver is None:
                self._report(Busy("preparing the sky"))
                self._solver = SkySolver()
            dome = self._solver.dome(air, azimuth, elevation)
            self._sky = (key, dome, build_lights(dome))
        _, dome, lights = self._sky
        reading = read_light(dome, 2.0**document.fill.sun_stops, 2.0**document.fill.sky_stops)
        self._report(
            LightSolved(
                reading, read_light(dome), paint_disc(dome, document.sun.north_deg), azimuth, elevation,
                air.visibility_km, float(air.linke_turbidity),
            )
        )  # fmt: skip
        return key, lights

    def _solve_colours(self, document: Document) -> None:
        from gloamet.output.delivery import air_of
        from gloamet.sky.ribbon import sky_colours

        key = air_of(document)
        if key != self._colours_key:
            colours = sky_colours(self._solver, key)
            self._colours_key = key
            self._report(ColoursSolved(colours))

    def _picture(self, wish: _Wish, compiled: Any, lights: Any, camera: Camera, key: Any) -> None:
        from gloamet.trace.film import Film, Tracer
        from gloamet.trace.upsample import guides_of

        if self._tracer is None:
            self._report(Busy("preparing the rays"))
            self._tracer = Tracer()
        target = wish.document.output.samples
        if self._film is None or self._film[0] != key:
            self._film, self._clean = None, None
            self._preview(wish, compiled, lights, camera)
            if not self._stale():
                self._solve_colours(wish.document)
            while time.monotonic() - wish.hands_on < SETTLE_SECONDS:
                if self._stale():
                    return
                time.sleep(0.005)
            self._film = (key, Film(wish.width, wish.height))
            self._started = time.monotonic()
        film = self._film[1]
        if film.samples:
            self._show(wish, film, exact=True)
        shown = film.samples
        while film.samples < target and not wish.stopped and not self._stale():
            count = 1 if film.samples < 8 else 2
            begin = time.monotonic()
            spare = Film(film.width, film.height)
            spare.samples = film.samples
            if not self._tracer.expose(spare, compiled, lights, camera, count, cancelled=self._stale):
                return
            self._speed = 0.5 * self._speed + 0.5 * count * film.width * film.height / (
                time.monotonic() - begin
            )
            for name, layer in spare.layers.items():
                film.layers[name] += layer
            film.samples, film.rays = spare.samples, film.rays + spare.rays
            if self._guides is None or self._guides[0] != self._view_key or film.samples in (4, 16):
                self._guides = (self._view_key, guides_of(film))
            if film.samples >= min(target, 2 * shown):
                self._show(wish, film, exact=True)
                shown = film.samples

    def _preview(self, wish: _Wish, compiled: Any, lights: Any, camera: Camera) -> None:
        """The first picture after a change, small enough to be there at once.

        It is never cancelled: a hand that keeps moving must see pictures, not restarts.
        """
        from gloamet.trace.film import Film

        pixels = max(20_000.0, self._speed * PREVIEW_SECONDS)
        shrink = max(1.0, math.sqrt(wish.width * wish.height / pixels))
        film = Film(max(16, int(wish.width / shrink)), max(16, int(wish.height / shrink)))
        begin = time.monotonic()
        self._tracer.expose(film, compiled, lights, camera, 1)
        self._speed = 0.7 * self._speed + 0.3 * film.width * film.height / (time.monotonic() - begin)
        self._show(wish, film, exact=False)

    def _sharpen(self, picture: NDArray[np.float32], film: Any) -> NDArray[np.float32]:
        """A preview enlarged along the edges that an exact picture of this camera has left."""
        from gloamet.trace.upsample import upsample

        if self._guides is None or self._guides[0] != self._view_key:
            return picture
        return upsample(picture, film, self._guides[1], self._tracer.pool)

    def _show(self, wish: _Wish, film: Any, exact: bool) -> None:
        from gloamet.develop.pipeline import develop_screen
        from gloamet.meter.picture import automatic_ev
        from gloamet.output.delivery import recipe_of
        from gloamet.trace.denoise import denoise

        document = wish.document
        sun_gain, sky_gain = 2.0**document.fill.sun_stops, 2.0**document.fill.sky_stops
        picture = film.light(sun_gain, sky_gain)
        gains = (sun_gain, sky_gain)
        if self._clean is not None and self._clean[0] == (id(film), gains) and self._clean[1] == film.samples:
            picture = self._clean[2]
        else:
            clean = denoise(picture, film, cancelled=self._stale if exact else lambda: False)
            if clean is None:
                return
            picture = clean if exact else self._sharpen(clean, film)
            self._clean = ((id(film), gains), film.samples, picture) if exact else None
        meter_ev = automatic_ev(picture)
        expose = document.expose
        ev = meter_ev - expose.compensation if expose.automatic else expose.ev
        pixels = develop_screen(picture, recipe_of(document, ev))
        seconds = time.monotonic() - self._started if exact else 0.0
        target = document.output.samples
        left = seconds / film.samples * (target - film.samples) if film.samples else 0.0
        self._report(Frame(pixels, film.samples, target, ev, meter_ev, exact, seconds, left))


@lru_cache(maxsize=1)
def _disc_grid() -> tuple[NDArray, NDArray, NDArray]:
    """Azimuth in turns, cosine and sine of the elevation, of every pixel of the disc."""
    axis = (np.arange(DISC_PIXELS) + 0.5) / DISC_PIXELS * 2.0 - 1.0
    x, y = np.meshgrid(axis, -axis)
    elevation = (1.0 - np.minimum(np.hypot(x, y), 1.0)) * np.pi / 2
    turn = np.arctan2(x, y) / (2 * np.pi)
    return turn, np.cos(elevation), np.sin(elevation)


def paint_disc(dome: Any, north_deg: float) -> NDArray[np.uint8]:
    """The whole sky seen from below as a round picture, north up and east right, RGBX."""
    from gloamet.colour.spaces import AP1_LUMINANCE
    from gloamet.develop.pipeline import Recipe, develop_screen
    from gloamet.meter.light import luminance_ev
    from gloamet.sky.dome import dome_radiance

    turn, h, z = _disc_grid()
    azimuth = 2 * np.pi * turn + np.radians(north_deg)
    d = np.stack([h * np.sin(azimuth), h * np.cos(azimuth), z], -1)
    light = dome_radiance(dome, d)
    middle = float(np.exp(np.log(light[::4, ::4] @ AP1_LUMINANCE + 1e-9).mean()))
    # dusk may look darker than day: the eye adapts only partly
    ev = luminance_ev(middle) * 0.82 + 0.18 * 13.0 - 1.2
    return develop_screen(light, Recipe(ev, 6000.0))
