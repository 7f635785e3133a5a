# SPDX-License-Identifier: Apache-2.0
"""The relight cache of a still camera: built in steps, then relit for any sun, sky and gains without tracing paths.

A compiled scene, a camera and a size enter; `relit` gives pictures (H, W, 3) in cd/m2 AP1, without lamps.
Works on a pool of threads; anything long looks at `cancelled` and leaves the cache as usable as it was.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.stage.camera import Camera
from gloamet.trace.geometry.rays import empty_packets
from gloamet.trace.lights.environment import Environment
from gloamet.trace.relight import displays
from gloamet.trace.relight.atrous_filter import FILTER_LEVELS, despeckle_guide, make_filter_weights
from gloamet.trace.relight.cell_light import CellLight
from gloamet.trace.relight.final_gather import gather, gather_specular, sum_lists
from gloamet.trace.relight.frame import (
    COUNTER_COUNT,
    FrameSettings,
    ThreadGroup,
    relight_frame,
)
from gloamet.trace.relight.points import (
    POINT_NORMAL,
    UNIT_SOURCE_GAINS,
    SourceGains,
)
from gloamet.trace.relight.relit_layer import MOST_SAMPLES, SPECULAR_SAMPLES, Floats, GBuffer, Layer
from gloamet.trace.relight.sparse_neighbours import MAX_NEIGHBOURS, find_sparse_pixels
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.surfaces.materials import BASE_COLOUR
from gloamet.trace.upsample import FeatureBuffers
from gloamet.trace.worker_pool import WorkerPool

F = np.float32
NO_LIGHT = (F(0), F(0), F(0))
DIRECT_SKY = UNIT_SOURCE_GAINS._replace(sun=NO_LIGHT, sun_indirect=NO_LIGHT, sky_indirect=NO_LIGHT)
NO_SUN = UNIT_SOURCE_GAINS._replace(sun=NO_LIGHT, sun_indirect=NO_LIGHT)
FIRST_SAMPLES, FIRST_SPECULAR_SAMPLES = 8, 4
# bounces between cells: for a sun that moved a little, for one that jumped, and at rest
BOUNCES_MOVING, BOUNCES_AFTER_JUMP, BOUNCES_AT_REST = 1, 6, 12
FILTER_TOLERANCE = F(0.08)  # of the denoiser features that the filter keeps, in log light
MOVING_SAMPLES = 16  # of the lists are read while dragging
REFLECTION_LEVELS = 1  # filter passes for mirror images, which are sharp
CACHE_DOWNSCALE = 2  # a cache's pixel is so many of the display's wide


def _never() -> bool:
    return False


class RelightCache:
    """Two layers of lists for one camera, and the light on the cells they read."""

    def __init__(
        self,
        scene: RenderScene,
        camera: Camera,
        width: int,
        height: int,
        pool: Executor,
        threads: int,
        before: RelightCache | None = None,
    ) -> None:
        """`before` is a cache of another view, whose cells are gone on with where they fit."""
        self.scene, self.camera, self.width, self.height = scene, camera, width, height
        self.ready = False
        self.layers = self._empty_layers()
        self.workers, self.packets = WorkerPool(pool, threads), empty_packets(threads)
        self._arrays = scene.arrays()
        anchor = np.array(camera.packed(width, height)[0], np.float32)
        self.cells = CellLight(scene, anchor, self.workers)
        if before is not None and before.cells.can_reuse(scene, camera):
            self.cells = before.cells
        self._begun = self._fine = False
        self._sun_asked = False  # at every pixel, at least once
        self._outlines = displays.NO_OUTLINES

    @property
    def samples(self) -> int:
        """Samples of each pixel's list."""
        return self.layers[0].samples

    @property
    def full(self) -> bool:
        """Whether the cache is complete."""
        return self.ready and self.samples >= MOST_SAMPLES

    # -- making

    def improve(self, lights: Environment, cancelled: Callable[[], bool] = _never) -> bool:
        """The next step of the cache; False when it was cancelled."""
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
        done_well = all(
            self._despeckle_features(layer, lights, cancelled) for layer in self.layers if layer.used
        )
        self.ready = self.ready or done_well
        return done_well

    def _empty_layers(self) -> list[Layer]:
        small = max(8, self.width // CACHE_DOWNSCALE), max(8, self.height // CACHE_DOWNSCALE)
        return [Layer(GBuffer(*small), GBuffer(self.width, self.height)) for _ in range(2)]

    def _begin(self, cancelled: Callable[[], bool]) -> bool:
        """What the camera sees, at both sizes, and the cells of what that sees in turn."""
        self.layers = self._empty_layers()  # one that showed nothing was made small before a stop
        a, b = self.layers
        for ahead, reflected in ((a.small, b.small), (a.big, b.big)):
            if not displays.fill(self.workers, self.scene, self.camera, ahead, reflected, cancelled):
                return False
        for layer in self.layers:
            layer.allocate()
            if layer.used and not displays.prepare(self.workers, layer.display, layer.small, cancelled):
                return False
        return self.cells.find([layer.small for layer in self.layers], cancelled)

    def _refine(self, cancelled: Callable[[], bool]) -> bool:
        """Later steps, after the first picture: longer lists of cells, outlines, fine textures, narrow objects."""
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
            np.zeros((len(small.points), MAX_NEIGHBOURS), np.int32),
        )
        eye = self.camera.packed(small.width, small.height)[0]
        before = (small.arrays(), eye)
        self.workers.run(find_sparse_pixels, before, small.height, (marks, lenders))
        layer.sparse_pixels = np.flatnonzero(marks).astype(np.int32)
        layer.neighbours = lenders[layer.sparse_pixels]

    def _find_outlines(self, cancelled: Callable[[], bool]) -> bool:
        """Pixels on outlines and what they are mixed from, and fine textures."""
        found = displays.find_outlines(
            self.workers, self.scene, self.camera, self.layers[0].display, cancelled
        )
        if found is not None:
            self._outlines = found
        return found is not None

    def _gather(self, layer: Layer, begin: int, end: int, cancelled: Callable[[], bool]) -> bool:
        before, n = (*self.cells.looking, layer.small.points), len(layer.small.points)
        done, wanted = layer.specular_samples, SPECULAR_SAMPLES if begin else FIRST_SPECULAR_SAMPLES
        if layer.glossy and done < wanted:
            specular = (done, wanted, layer.specular_index, layer.specular_weight)
            if not self.workers.run(gather_specular, before, n, specular, cancelled, 16):
                return False
            layer.specular_samples = wanted
        after = (begin, end, 0, layer.index, layer.weight)
        return self.workers.run(gather, before, n, after, cancelled, 32)

    def _despeckle_features(self, layer: Layer, lights: Environment, cancelled: Callable[[], bool]) -> bool:
        """Weights of the filter, from denoised pictures under the present light and under a uniform sky."""
        features = []
        # mirror images are small: their surfaces alone guide them
        both = (1.0, 0.0) if self.samples == MOST_SAMPLES else (1.0,)  # the light of now is enough until then
        for sun_gain in both if layer is self.layers[0] else ():
            gains = UNIT_SOURCE_GAINS if sun_gain else NO_SUN
            self.cells.solve(lights, gains, BOUNCES_AT_REST, even=sun_gain == 0.0)
            clean = self._cleaned(layer, cancelled)
            if clean is None:
                return False
            features.append(np.log(clean + (0.02 if sun_gain else 0.1) * max(float(clean.mean()), 1e-9)))
        small = layer.small
        guide = np.stack(features, 1).astype(np.float32) if features else np.zeros((1, 0), np.float32)
        calm = np.empty_like(guide)
        alone = (small.arrays(), guide)
        self.workers.run(despeckle_guide, alone, small.height, (calm,))
        before = (small.arrays(), calm, FILTER_TOLERANCE)
        after = (layer.filter_weights, layer.filter_norms)
        return self.workers.run(make_filter_weights, before, small.height, after, cancelled, 4)

    def _cleaned(self, layer: Layer, cancelled: Callable[[], bool]) -> NDArray | None:
        """Luminance (n,) of what the layer's pixels receive, without noise."""
        from gloamet.trace.denoise import shared_denoiser

        before, received = (
            (layer.wanted, layer.index, layer.weight, layer.samples, self.cells.table),
            layer.inner(layer.received),
        )
        self.workers.run(sum_lists, before, len(layer.wanted), (received,))
        shape = (layer.small.height, layer.small.width, 3)
        images = {
            "color": np.ascontiguousarray(received.T.reshape(shape)),
            "albedo": np.ones(shape, np.float32),
            "normal": np.ascontiguousarray(
                layer.small.points[:, POINT_NORMAL : POINT_NORMAL + 3].reshape(shape)
            ),
        }
        clean = shared_denoiser().run(images, cancelled)
        return None if clean is None else np.asarray(clean.reshape(-1, 3) @ AP1_LUMINANCE)

    def features(self) -> FeatureBuffers:
        """What the camera sees straight ahead at the display's size, without light."""
        return displays.features(self.camera, self.layers[0].big)

    def transparency(self) -> Floats:
        """The fraction of each pixel, (H, W), that sees past all objects, straight and through panes."""
        buffers = [layer.big for layer in self.layers if layer.used] or [GBuffer(self.width, self.height)]
        whole = displays.transparency(buffers)
        return np.ascontiguousarray(self.with_outlines(whole[..., None])[..., 0])

    def with_outlines(self, picture: Floats) -> Floats:
        """A picture (H, W, n) of the display's size whose pixels on outlines are mixed from what they border on."""
        return displays.with_outlines(picture, self._outlines)

    # -- relighting

    def recolour_ground(self, scene: RenderScene) -> None:
        """Go on with a stage for which `differs_by_ground_reflectance` holds: the ground gets its new albedo, what the
        camera and the cells see stays."""
        colour = scene.materials[-1, BASE_COLOUR : BASE_COLOUR + 3]
        for layer in self.layers:
            for g in (layer.small, layer.big):
                displays.recolour_ground(g, colour)
            if layer.used:
                displays.pack(self.workers, layer.display)
        self.cells.recolour_ground(scene, colour)
        self.scene, self._arrays = scene, scene.arrays()

    def relit(
        self,
        lights: Environment,
        gains: SourceGains = UNIT_SOURCE_GAINS,
        at_rest: bool = False,
        indirect: Environment | None = None,
        mixed: bool = True,
    ) -> Floats:
        """The picture under these lights. `at_rest` lets every bounce die away, as a hand that pauses may. `indirect`
        is another sky for the indirect light, under the same sun. Outlines are left hard unless `mixed`."""
        phase, stride = self.cells.schedule_sun_update(lights, at_rest)
        # leaves and threads ask for the sun in turns while it moves a little
        parity = phase & 1 if stride > 1 and self._sun_asked else -1
        half = phase & 1 if stride > 1 else -1
        self._sun_asked = True
        rounds, samples = BOUNCES_AFTER_JUMP if stride == 1 else BOUNCES_MOVING, MOVING_SAMPLES
        if at_rest:
            rounds, samples = BOUNCES_AT_REST, MOST_SAMPLES
        split = indirect is not None or gains.sky != gains.sky_indirect
        out = np.empty((self.width * self.height, 3), np.float32)
        arguments = (
            ThreadGroup(np.zeros(COUNTER_COUNT, np.int64), self.packets),
            self._arrays,
            (lights.arrays(), (indirect or lights).arrays(), gains),
            FrameSettings(rounds, samples, split, phase, stride, parity, half),
            self.cells.arrays(lights, gains),
            (self.layers[0].arrays(FILTER_LEVELS), self.layers[1].arrays(REFLECTION_LEVELS)),
            self._outlines if mixed else displays.NO_OUTLINES,
            out,
        )
        self.workers.all_together(relight_frame, arguments)
        return out.reshape(self.height, self.width, 3)

    def direct_sky(self, lights: Environment) -> Floats:
        """The direct light of the sky of these lights alone, their sun left where it stood: no bounce is lost."""
        out = np.empty((self.width * self.height, 3), np.float32)
        arguments = (
            ThreadGroup(np.zeros(COUNTER_COUNT, np.int64), self.packets),
            self._arrays,
            (lights.arrays(), lights.arrays(), DIRECT_SKY),
            FrameSettings(0, MOVING_SAMPLES, True, 0, 0, -1, -1),
            self.cells.none(),
            (self.layers[0].arrays(FILTER_LEVELS), self.layers[1].arrays(REFLECTION_LEVELS)),
            self._outlines,
            out,
        )
        self.workers.all_together(relight_frame, arguments)
        return out.reshape(self.height, self.width, 3)
