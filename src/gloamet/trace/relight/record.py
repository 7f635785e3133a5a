"""The record of a still camera: made in steps, then relit for any sun, sky and gains without tracing paths.

A compiled scene, a camera and a size enter; `relit` gives pictures (H, W, 3) in cd/m2 AP1, without lamps.
Works on a pool of threads; anything long looks at `cancelled` and leaves the record as usable as it was.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.stage.camera import Camera
from gloamet.trace.compiled import Compiled
from gloamet.trace.lights import Lights
from gloamet.trace.rays import empty_packets
from gloamet.trace.relight.edges import PLACES, find_covers
from gloamet.trace.relight.evening import LEVELS, calm_guide, make_weights
from gloamet.trace.relight.frame import COUNTERS, relight
from gloamet.trace.relight.gather import NORMAL, PLACE, evaluate, gather, gather_gloss
from gloamet.trace.relight.layer import GLOSS_SAMPLES, MOST_SAMPLES, Floats, Layer, Screen
from gloamet.trace.relight.screen import ALBEDO, KIND, SKY, find_taps, see
from gloamet.trace.relight.shade import make_brief, make_gleam
from gloamet.trace.relight.sharing import Sharing
from gloamet.trace.relight.sunrays import find_alike, find_like
from gloamet.trace.relight.surfaces import CellLight
from gloamet.trace.relight.thin import LENDERS, find_thin
from gloamet.trace.upsample import Guides

F = np.float32
FIRST_SAMPLES, FIRST_GLOSS_SAMPLES = 8, 4
# bounces between cells for a picture of a sun that moves a little, of one that leapt, and of a hand at rest
ROUNDS, ROUNDS_AFTER_LEAP, ROUNDS_AT_REST = 1, 6, 12
TOLERANCE = F(0.08)  # of the guides that evening out respects, in log light
MOVING_SAMPLES = 16  # of the lists are read while a hand moves
ASIDE_LEVELS = 1  # passes of evening out for mirror images, which are sharp
SHRINK = 2  # a record's pixel is so many of the display's wide


def _no_outlines() -> tuple[NDArray[np.int32], NDArray[np.int32], Floats]:
    return np.zeros(0, np.int32), np.zeros((0, PLACES), np.int32), np.zeros((0, 3), np.float32)


def _never() -> bool:
    return False


class Record:
    """Two layers of lists for one camera, and the light on the cells they read."""

    def __init__(
        self, scene: Compiled, camera: Camera, width: int, height: int, pool: Executor, threads: int,
        before: Record | None = None,
    ) -> None:  # fmt: skip
        """`before` is a record of another view, whose cells are gone on with where they fit."""
        self.scene, self.camera, self.width, self.height = scene, camera, width, height
        self.ready = False
        self.layers = self._empty_layers()
        self._share, self._packets = Sharing(pool, threads), empty_packets(threads)
        self._handle, self._arrays = scene.rays.handle, scene.arrays()
        anchor = np.array(camera.packed(width, height)[0], np.float32)
        self.cells = CellLight(scene, anchor, self._share)
        if before is not None and before.cells.serve(scene, camera):
            self.cells = before.cells
        self._begun = self._fine = False
        self._sun_asked = False  # at every pixel, at least once
        self._outlines = _no_outlines()

    @property
    def samples(self) -> int:
        """Samples of each pixel's list."""
        return self.layers[0].samples

    @property
    def full(self) -> bool:
        """Whether nothing is left to improve."""
        return self.ready and self.samples >= MOST_SAMPLES

    # -- making

    def improve(self, lights: Lights, cancelled: Callable[[], bool] = _never) -> bool:
        """The next step of the record; False when it was cancelled."""
        if not self._begun and not self._begin(cancelled):
            return False
        self._begun = True
        done = self.samples
        if done > 0 and not self._fine and not self._refine(cancelled):
            return False
        wanted = FIRST_SAMPLES if done == 0 else min(MOST_SAMPLES, 2 * done)
        for layer in self.layers:
            if layer.used and not self._gather(layer, done, wanted, cancelled):
                return False
        for layer in self.layers:
            layer.samples = wanted
        done_well = all(self._guide(layer, lights, cancelled) for layer in self.layers if layer.used)
        self.ready = self.ready or done_well
        return done_well

    def _empty_layers(self) -> list[Layer]:
        small = max(8, self.width // SHRINK), max(8, self.height // SHRINK)
        return [Layer(Screen(*small), Screen(self.width, self.height)) for _ in range(2)]

    def _begin(self, cancelled: Callable[[], bool]) -> bool:
        """What the camera sees, at both sizes, and the cells of what that sees in turn."""
        self.layers = self._empty_layers()  # one that showed nothing was made small before a stop
        a, b = self.layers
        for screen, aside in ((a.small, b.small), (a.big, b.big)):
            packed = self.camera.packed(screen.width, screen.height)
            before = (self._handle, self._arrays, packed, screen.width, screen.height)
            after = (screen.points, screen.paint, aside.points, aside.paint)
            if not self._share.run(see, before, screen.height, after, cancelled, 16):
                return False
        for layer in self.layers:
            layer.open_lists()
            small, big = layer.small, layer.big
            if not layer.used:
                continue
            sizes = (
                small.points, small.paint, small.width, small.height, big.points, big.paint, big.width,
                big.height,
            )  # fmt: skip
            if not self._share.run(find_taps, sizes, big.height, (layer.taps, layer.shares), cancelled, 16):
                return False
            flat = (big.points, big.paint, big.width, big.height)
            self._share.run(find_alike, flat, big.height, (layer.alike,))
            self._share.run(find_like, flat, big.height, (layer.like,))
            self._shorten(layer)
        return self.cells.find([layer.small for layer in self.layers], cancelled)

    def _shorten(self, layer: Layer) -> None:
        """What shading reads of the display's pixels."""
        big = layer.big
        self._share.run(make_brief, (big.points, big.paint), len(big.points), (layer.brief,))
        if layer.glossy:
            self._share.run(make_gleam, (big.points, big.paint), len(big.points), (layer.gleam,))

    def _refine(self, cancelled: Callable[[], bool]) -> bool:
        """What holds up no first picture: longer lists of cells, outlines, fine textures, narrow things."""
        shown = [layer.small for layer in self.layers]
        if not self.cells.refine(shown, cancelled) or not self._find_outlines(cancelled):
            return False
        for layer in self.layers:
            if layer.used:
                self._find_thin(layer)
        self._fine = True
        return True

    def _find_thin(self, layer: Layer) -> None:
        """The pixels that borrow light, and from which."""
        small = layer.small
        marks, lenders = (
            np.zeros(len(small.points), np.uint8),
            np.zeros((len(small.points), LENDERS), np.int32),
        )
        eye = self.camera.packed(small.width, small.height)[0]
        before = (small.points, small.paint, small.width, small.height, eye)
        self._share.run(find_thin, before, small.height, (marks, lenders))
        layer.thin = np.flatnonzero(marks).astype(np.int32)
        layer.lenders = lenders[layer.thin]

    def _find_outlines(self, cancelled: Callable[[], bool]) -> bool:
        """Pixels on outlines and what they are mixed from, and fine textures."""
        big = self.layers[0].big
        covers, albedo = (
            np.empty((len(big.points), PLACES), np.int32),
            np.empty((len(big.points), 3), np.float32),
        )
        before = (
            self._handle, self._arrays, self.camera.packed(big.width, big.height), big.points, big.paint, big.width,
            big.height,
        )  # fmt: skip
        if not self._share.run(find_covers, before, big.height, (covers, albedo), cancelled, 32):
            return False
        big.paint[:, ALBEDO : ALBEDO + 3] = albedo
        self._shorten(self.layers[0])
        edges = np.flatnonzero((covers != np.arange(len(covers))[:, None]).any(1)).astype(np.int32)
        covers = covers[edges]
        self._outlines = edges, covers, np.empty((len(edges), 3), np.float32)
        return True

    def _gather(self, layer: Layer, begin: int, end: int, cancelled: Callable[[], bool]) -> bool:
        before, n = (*self.cells.looking, layer.small.points), len(layer.small.points)
        done, wanted = layer.gloss_samples, GLOSS_SAMPLES if begin else FIRST_GLOSS_SAMPLES
        if layer.glossy and done < wanted:
            gloss = (done, wanted, layer.gloss_index, layer.gloss_weight)
            if not self._share.run(gather_gloss, before, n, gloss, cancelled, 16):
                return False
            layer.gloss_samples = wanted
        after = (begin, end, 0, layer.index, layer.weight)
        return self._share.run(gather, before, n, after, cancelled, 32)

    def _guide(self, layer: Layer, lights: Lights, cancelled: Callable[[], bool]) -> bool:
        """Weights for evening out, by cleaned pictures under the light of now and under an even sky."""
        guides = []
        # mirror images are small: their surfaces alone guide them
        both = (1.0, 0.0) if self.samples == MOST_SAMPLES else (1.0,)  # the light of now is enough until then
        for sun_gain in both if layer is self.layers[0] else ():
            self.cells.brighten(lights, sun_gain, ROUNDS_AT_REST, even=sun_gain == 0.0)
            clean = self._cleaned(layer, cancelled)
            if clean is None:
                return False
            guides.append(np.log(clean + (0.02 if sun_gain else 0.1) * max(float(clean.mean()), 1e-9)))
        small = layer.small
        guide = np.stack(guides, 1).astype(np.float32) if guides else np.zeros((1, 0), np.float32)
        calm = np.empty_like(guide)
        alone = (small.points, small.paint, guide, small.width, small.height)
        self._share.run(calm_guide, alone, small.height, (calm,))
        before = (small.points, small.paint, calm, TOLERANCE, small.width, small.height)
        after = (layer.even_weights, layer.even_inverses)
        return self._share.run(make_weights, before, small.height, after, cancelled, 4)

    def _cleaned(self, layer: Layer, cancelled: Callable[[], bool]) -> NDArray | None:
        """Luminance (n,) of what the layer's pixels receive, without grain."""
        from gloamet.trace.denoise import shared_denoiser

        before, received = (
            (layer.wanted, layer.index, layer.weight, layer.samples, self.cells.table),
            layer.inner(layer.received),
        )
        self._share.run(evaluate, before, len(layer.wanted), (received,))
        shape = (layer.small.height, layer.small.width, 3)
        images = {
            "color": np.ascontiguousarray(received.T.reshape(shape)),
            "albedo": np.ones(shape, np.float32),
            "normal": np.ascontiguousarray(layer.small.points[:, NORMAL : NORMAL + 3].reshape(shape)),
        }
        clean = shared_denoiser().run(images, cancelled)
        return None if clean is None else np.asarray(clean.reshape(-1, 3) @ AP1_LUMINANCE)

    def guides(self) -> Guides:
        """What the camera sees straight ahead at the display's size, without light."""
        big = self.layers[0].big
        away = big.points[:, PLACE : PLACE + 3] - np.array(self.camera.packed(big.width, big.height)[0])
        sky = big.paint[:, KIND] == SKY
        depth = np.where(sky, 0.0, np.sqrt((away * away).sum(1)))
        albedo = np.where(sky[:, None], 1.0, big.paint[:, ALBEDO : ALBEDO + 3])
        normal = big.points[:, NORMAL : NORMAL + 3]
        planes = [p.astype(np.float32).reshape(big.height, big.width, -1) for p in (albedo, normal, depth)]
        return Guides(planes[0], planes[1], planes[2][..., 0])

    def with_outlines(self, picture: Floats) -> Floats:
        """A picture (H, W, 3) of the display's size whose pixels on outlines are mixed from what they border on."""
        edges, covers, _spare = self._outlines
        out = picture.reshape(-1, 3).copy()
        out[edges] = out[covers].mean(1)
        return out.reshape(picture.shape)

    # -- relighting

    def relit(
        self, lights: Lights, sun_gain: float = 1.0, sky_gain: float = 1.0, at_rest: bool = False
    ) -> Floats:
        """The picture under these lights. `at_rest` lets every bounce die away, as a hand that pauses may."""
        phase, stride = self.cells.turn_to(lights, at_rest)
        # leaves and threads ask for the sun in turns while it moves a little
        turn = phase & 1 if stride > 1 and self._sun_asked else -1
        half = phase & 1 if stride > 1 else -1
        self._sun_asked = True
        rounds, samples = ROUNDS_AFTER_LEAP if stride == 1 else ROUNDS, MOVING_SAMPLES
        if at_rest:
            rounds, samples = ROUNDS_AT_REST, MOST_SAMPLES
        out = np.empty((self.width * self.height, 3), np.float32)
        words = (
            np.zeros(COUNTERS, np.int64), self._packets,
            (self._handle, self.scene.geometry.pervious, self._arrays),
            (lights.table, lights.sun, lights.ground), (F(sun_gain), F(sky_gain)),
            (rounds, samples, phase, stride, turn, half), self.cells.parts(lights, sun_gain),
            (self.layers[0].parts(LEVELS), self.layers[1].parts(ASIDE_LEVELS)), self._outlines, out,
        )  # fmt: skip
        self._share.all_together(relight, words)
        return out.reshape(self.height, self.width, 3)
