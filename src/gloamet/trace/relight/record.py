"""The record of a still camera: made in steps, then relit for any sun, sky and gains without tracing paths.

A compiled scene, a camera and a size enter; `relit` gives pictures (H, W, 3) in cd/m2 AP1, without lamps. The
light on cells (`cells`) is found by rays to the sun and by their own lists, bounce by bounce, from where it
stood one picture earlier; pixels read it through theirs. Works on a pool of threads; anything long looks at
`cancelled` and leaves the record as usable as it was.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from concurrent.futures import Executor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.stage.camera import Camera
from gloamet.trace.compiled import Compiled
from gloamet.trace.lights import Lights
from gloamet.trace.relight import cells as cell_table
from gloamet.trace.relight.cells import FIRST_CELL, UNKNOWN, empty_slots, enter, fill_sky
from gloamet.trace.relight.evening import LEVELS, even_out, make_weights
from gloamet.trace.relight.gather import (
    ALPHA,
    FACE,
    HIT_WORDS,
    NORMAL,
    PLACE,
    POINT_WORDS,
    TRANSLUCENT,
    evaluate,
    gather,
    gather_gloss,
    light_cells,
    sun_on_cells,
    wander,
)
from gloamet.trace.relight.layer import GLOSS_SAMPLES, MOST_SAMPLES, SHINE_LEVELS, Floats, Layer, Screen
from gloamet.trace.relight.screen import find_taps, see
from gloamet.trace.relight.shade import find_alike, shade, sun_between, sun_lattice
from gloamet.trace.surface import MEAN_RETURNED

F = np.float32
MOST_CELLS = 60_000
MEMBERS = 8  # places kept of each cell
CELL_SAMPLES = 8  # of each place
WALKS, WALK_BOUNCES = 24_000, 4
FIRST_SAMPLES = 8
ROUNDS = 1  # bounces between cells for each picture; more when asked to settle
SETTLED_ROUNDS = 12
FAR_TURN = math.cos(math.radians(1.5))  # a sun that turned more has all cells asked again
TOLERANCE = F(0.08)


class Record:
    """Lists for one camera and the state of the light on cells."""

    def __init__(
        self, scene: Compiled, camera: Camera, width: int, height: int, pool: Executor, threads: int,
        shrink: int = 2,
    ) -> None:  # fmt: skip
        self.scene, self.camera, self.width, self.height = scene, camera, width, height
        self.small_width, self.small_height = max(8, width // shrink), max(8, height // shrink)
        self._pool, self._threads = pool, threads
        self._handle, self._arrays = scene.rays.handle, scene.arrays()
        self._anchor = np.asarray(camera.packed(width, height)[0], np.float32).copy()
        self.layers = [
            Layer(Screen(self.small_width, self.small_height), Screen(width, height)) for _ in range(2)
        ]
        self.cells = 0
        self._keys, self._rows = empty_slots(MOST_CELLS)
        self._light = np.zeros((FIRST_CELL + MOST_CELLS, 3), np.float32)
        self._sun: NDArray | None = None
        self._shown: tuple[Any, ...] | None = None
        self._phase = 0

    @property
    def samples(self) -> int:
        """Samples of each pixel's list; 0 before the record can be used."""
        return self.layers[0].samples

    @property
    def full(self) -> bool:
        """Whether nothing is left to improve."""
        return self.samples >= MOST_SAMPLES

    # -- making

    def improve(self, lights: Lights, cancelled: Callable[[], bool] = lambda: False) -> bool:
        """The next step of the record; False when it was cancelled."""
        if not self.cells and not self._begin(cancelled):
            return False
        done = self.samples
        wanted = FIRST_SAMPLES if done == 0 else min(MOST_SAMPLES, 2 * done)
        for layer in self.layers:
            if layer.used and not self._gather(layer, done, wanted, cancelled):
                return False
        for layer in self.layers:
            layer.samples = wanted
        return self._guide(lights, cancelled)

    def _begin(self, cancelled: Callable[[], bool]) -> bool:
        a, b = self.layers
        for small, aside in ((a.small, b.small), (a.big, b.big)):
            packed = self.camera.packed(small.width, small.height)
            args = (self._handle, self._arrays, packed, small.width, small.height)
            if not self._rows_of(
                small.height, lambda y0, y1, args=args, small=small, aside=aside: see(
                    *args, y0, y1, small.points, small.paint, aside.points, aside.paint
                ), cancelled, 16,
            ):  # fmt: skip
                return False
        for layer in self.layers:
            layer.open_lists()
            small, big = layer.small, layer.big
            if layer.used and not self._rows_of(
                big.height, lambda y0, y1, layer=layer, small=small, big=big: find_taps(
                    small.points, small.paint, small.width, small.height, big.points, big.paint, big.width,
                    big.height, y0, y1, layer.taps, layer.shares,
                ), cancelled, 16,
            ):  # fmt: skip
                return False
            self._rows_of(big.height, lambda y0, y1, layer=layer, big=big: find_alike(
                big.points, big.paint, big.width, big.height, y0, y1, layer.alike
            ))  # fmt: skip
        return self._find_cells(cancelled)

    def _find_cells(self, cancelled: Callable[[], bool]) -> bool:
        """Walks from what is seen, and the cells of the surfaces they meet."""
        hits, materials = [], []
        for k, layer in enumerate(self.layers):
            shown = np.flatnonzero(layer.small.surfaces).astype(np.int32)
            if not len(shown):
                continue
            chosen = np.random.default_rng(5 + k).choice(shown, min(WALKS, 2 * len(shown)))
            met = np.zeros((len(chosen), WALK_BOUNCES, HIT_WORDS), np.float32)
            of = np.full((len(chosen), WALK_BOUNCES), -1, np.int32)
            if not self._ranges(
                len(chosen), lambda a, b, layer=layer, chosen=chosen, met=met, of=of: wander(
                    self._handle, self._arrays, layer.small.points, chosen, a, b, WALK_BOUNCES, 3, met, of
                ), cancelled, 16,
            ):  # fmt: skip
                return False
            hits.append(met.reshape(-1, HIT_WORDS))
            materials.append(of.ravel())
        if not hits:
            hits, materials = [np.zeros((0, HIT_WORDS), np.float32)], [np.zeros(0, np.int32)]
        every, of = np.concatenate(hits), np.concatenate(materials)
        members = np.zeros((MOST_CELLS, MEMBERS), np.int32)
        filled = np.zeros(MOST_CELLS, np.int32)
        count = enter(
            self._anchor, every, of, MOST_CELLS, self._keys, self._rows, 0, members, filled
        )  # fmt: skip
        kept = np.minimum(filled[:count], MEMBERS)[:, None]
        chosen = np.take_along_axis(members[:count], np.arange(MEMBERS)[None] % np.maximum(kept, 1), 1)
        self.places = np.ascontiguousarray(every[chosen])
        mean = self.places.mean(1)
        self.albedo = np.ascontiguousarray(np.clip(mean[:, 6:9], 0.0, 1.0))
        returned = np.interp(np.sqrt(mean[:, 10]), np.linspace(0.0, 1.0, len(MEAN_RETURNED)), MEAN_RETURNED)
        self.gloss = np.ascontiguousarray(mean[:, 9] * returned, np.float32)
        points = np.zeros((count * MEMBERS, POINT_WORDS), np.float32)
        flat = self.places.reshape(-1, HIT_WORDS)
        points[:, PLACE : PLACE + 3], points[:, NORMAL : NORMAL + 3] = flat[:, :3], flat[:, 3:6]
        points[:, FACE : FACE + 3], points[:, ALPHA] = flat[:, 3:6], 1.0
        points[:, TRANSLUCENT] = flat[:, 11]
        index = np.zeros((len(points), CELL_SAMPLES), np.uint16)
        weight = np.zeros((len(points), CELL_SAMPLES), np.float32)
        if not self._ranges(
            len(points), lambda a, b: gather(
                self._handle, self._arrays, self._anchor, self._keys, self._rows, points, a, b, 0,
                CELL_SAMPLES, 1 << 40, index, weight,
            ), cancelled, 16,
        ):  # fmt: skip
            return False
        self._index = index.reshape(count, -1)
        self._weight = weight.reshape(count, -1)
        self._all = np.ones(count, np.uint8)
        self._lit = np.zeros((count, MEMBERS, 4), np.float32)
        self._received = np.zeros((3, count), np.float32)
        self.cells = count
        return True

    def _gather(self, layer: Layer, begin: int, end: int, cancelled: Callable[[], bool]) -> bool:
        fixed = (self._handle, self._arrays, self._anchor, self._keys, self._rows, layer.small.points)
        n = len(layer.small.points)
        if layer.glossy and begin == 0:
            lists = (layer.gloss_index, layer.gloss_weight)
            if not self._ranges(n, lambda a, b: gather_gloss(*fixed, a, b, 0, GLOSS_SAMPLES, *lists), cancelled, 16):
                return False
        return self._ranges(
            n, lambda a, b: gather(*fixed, a, b, begin, end, 0, layer.index, layer.weight), cancelled, 32
        )

    def _guide(self, lights: Lights, cancelled: Callable[[], bool]) -> bool:
        """Weights for evening out, by cleaned pictures under the light of now and under an even sky."""
        for layer in self.layers:
            if not layer.used:
                continue
            guides = []
            for sun in (True, False):
                self._light_up(lights, 1.0 if sun else 0.0, 1.0, SETTLED_ROUNDS, not sun)
                clean = self._cleaned(layer, cancelled)
                if clean is None:
                    return False
                guides.append(np.log(np.maximum(clean, 1e-3 * max(float(clean.mean()), 1e-9))))
            guide = np.ascontiguousarray(np.stack(guides, 1), np.float32)
            small = layer.small
            self._rows_of(
                small.height, lambda y0, y1, layer=layer, small=small, guide=guide: make_weights(
                    small.points, small.paint, guide, TOLERANCE, small.width, small.height, y0, y1,
                    layer.even_weights, layer.even_inverses,
                ), cancelled, 16,
            )  # fmt: skip
        self._shown = None
        return not cancelled()

    def _cleaned(self, layer: Layer, cancelled: Callable[[], bool]) -> NDArray | None:
        from gloamet.trace.denoise import shared_denoiser

        self._read(layer)
        shape = (self.small_height, self.small_width, 3)
        images = {
            "color": np.ascontiguousarray(layer.inner(layer.received).T.reshape(shape)),
            "albedo": np.ones(shape, np.float32),
            "normal": np.ascontiguousarray(layer.small.points[:, NORMAL : NORMAL + 3].reshape(shape)),
        }
        clean = shared_denoiser().run(images, "fast", cancelled)
        return None if clean is None else np.asarray(clean.reshape(-1, 3) @ AP1_LUMINANCE)

    # -- relighting

    def relit(self, lights: Lights, sun_gain: float = 1.0, sky_gain: float = 1.0, settle: bool = False) -> Floats:
        """The picture under these lights. `settle` lets every bounce die away, as a hand at rest may."""
        rounds = SETTLED_ROUNDS if settle else ROUNDS
        self._light_up(lights, sun_gain, sky_gain, rounds, False, settle)
        out = np.empty((len(self.layers[0].big.points), 3), np.float32)
        for k, layer in enumerate(self.layers):
            if not layer.used:
                continue
            self._read(layer)
            self._even(layer)
            self._send_sun(layer, lights)
            big = layer.big
            fixed = (
                lights.table, lights.sun, lights.ground, self.scene.plane, F(sun_gain), F(sky_gain),
                big.points, big.paint, layer.taps, layer.shares, layer.inner(layer.received),
                layer.inner(layer.shine), layer.visible,
            )  # fmt: skip
            self._ranges(len(out), lambda a, b, fixed=fixed, k=k: shade(*fixed, a, b, k > 0, out), parts=3)
        return out.reshape(self.height, self.width, 3)

    def _light_up(
        self, lights: Lights, sun_gain: float, sky_gain: float, rounds: int, even: bool, settle: bool = False
    ) -> None:
        """Bring the light table up to date; `even` puts a uniform sky in the sky's place."""
        light = self._light
        fill_sky(lights.table, lights.ground, F(sun_gain), F(sky_gain), light)
        if even:
            light[: cell_table.GROUND + 1] = 1.0
        self._ask_sun(lights, settle)
        sun_light = lights.sun[3:6] * F(sun_gain)
        n = self.cells
        for _ in range(rounds):
            args = (self._lit, self._received, self.albedo, self.gloss, sun_light, FIRST_CELL)
            self._ranges(n, lambda a, b, args=args: light_cells(*args, a, b, light))
            light[UNKNOWN] = light[FIRST_CELL : FIRST_CELL + n].mean(0) if n else 0.0
            wide = self._index.shape[1]
            self._ranges(n, lambda a, b, wide=wide: evaluate(
                self._all, self._index, self._weight, wide, light, a, b, self._received
            ))  # fmt: skip
        args = (self._lit, self._received, self.albedo, self.gloss, sun_light, FIRST_CELL)
        self._ranges(n, lambda a, b: light_cells(*args, a, b, light))

    def _ask_sun(self, lights: Lights, settle: bool) -> None:
        """Rays from the cells to the sun: all after a jump, a quarter of the places after a small step."""
        direction = lights.sun[:3].copy()
        stride = 4
        if self._sun is None or settle or float(direction @ self._sun) < FAR_TURN:
            stride = 1
        elif np.array_equal(direction, self._sun) and self._phase == 0:
            return
        self._phase = (self._phase + 1) % 4 if stride > 1 else 0
        self._sun = direction
        args = (
            self._handle, self.scene.geometry.pervious, self._arrays, lights.sun, self.places,
        )  # fmt: skip
        phase = self._phase if stride > 1 else 0
        self._ranges(self.cells, lambda a, b: sun_on_cells(*args, a, b, phase, stride, self._lit), parts=3)

    def _read(self, layer: Layer) -> None:
        n = len(layer.small.points)
        samples = max(1, layer.samples)
        received, shine = layer.inner(layer.received), layer.inner(layer.shine)
        self._ranges(
            n, lambda a, b: evaluate(
                layer.wanted, layer.index, layer.weight, samples, self._light, a, b, received
            ),
        )  # fmt: skip
        if layer.glossy:
            lists = (layer.wanted, layer.gloss_index, layer.gloss_weight, GLOSS_SAMPLES)
            self._ranges(n, lambda a, b: evaluate(*lists, self._light, a, b, shine))

    def _even(self, layer: Layer) -> None:
        width, height = self.small_width, self.small_height
        for level in range(LEVELS if layer is self.layers[0] else SHINE_LEVELS):
            args = (layer.even_weights, layer.even_inverses, level, width)
            source = layer.received
            self._rows_of(height, lambda a, b, args=args, p=source: even_out(p, *args, a, b, layer.spare))
            layer.received, layer.spare = layer.spare, source
            if layer.glossy and level < SHINE_LEVELS:
                source = layer.shine
                self._rows_of(height, lambda a, b, args=args, p=source: even_out(p, *args, a, b, layer.spare))
                layer.shine, layer.spare = layer.spare, source

    def _send_sun(self, layer: Layer, lights: Lights) -> None:
        big = layer.big
        args = (
            self._handle, self.scene.geometry.pervious, self._arrays, lights.sun, big.points, big.paint,
        )  # fmt: skip
        size = (big.width, big.height)
        self._rows_of(big.height, lambda a, b: sun_lattice(*args, *size, a, b, layer.visible), parts=4)
        self._rows_of(big.height, lambda a, b: sun_between(*args, layer.alike, *size, a, b, layer.visible), parts=4)

    # -- sharing work

    def _ranges(
        self, count: int, work: Callable[[int, int], Any], cancelled: Callable[[], bool] = lambda: False,
        parts: int = 1,
    ) -> bool:  # fmt: skip
        """Run work(first, last) over 0..count, `parts` for each thread; False when it was cancelled on the way."""
        step = max(256, -(-count // (parts * self._threads)))

        def part(first: int) -> None:
            if not cancelled():
                work(first, min(count, first + step))

        if step >= count:
            part(0)
        else:
            list(self._pool.map(part, range(0, count, step)))
        return not cancelled()

    def _rows_of(
        self, height: int, work: Callable[[int, int], Any], cancelled: Callable[[], bool] = lambda: False,
        parts: int = 1,
    ) -> bool:  # fmt: skip
        """The same over an even number of rows a time."""
        step = max(8, (-(-height // (parts * self._threads)) + 1) // 2 * 2)

        def part(first: int) -> None:
            if not cancelled():
                work(first, min(height, first + step))

        list(self._pool.map(part, range(0, height, step)))
        return not cancelled()
