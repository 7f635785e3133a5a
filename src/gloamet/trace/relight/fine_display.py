# SPDX-License-Identifier: Apache-2.0
"""A display at the screen's own pixels for a relight cache whose pictures are smaller.

A complete cache and a size enter; made once per camera, it shades what the cache has just relit at that size, and
enlarges developed pictures of the cache's size along the scene's outlines and textures.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from gloamet.trace.lights.environment import Environment
from gloamet.trace.relight import displays
from gloamet.trace.relight.cache import MOVING_SAMPLES, RelightCache
from gloamet.trace.relight.frame import COUNTER_COUNT, FrameSettings, ThreadGroup, relight_frame
from gloamet.trace.relight.gbuffer import PICTURE_STRICTNESS, find_upsample_taps
from gloamet.trace.relight.guided_upsampling import (
    COUNTERS,
    enlarge_guided,
    find_other_taps,
    texture_detail,
)
from gloamet.trace.relight.points import ALBEDO, POINT_METALNESS, POINT_SPECULAR, SourceGains
from gloamet.trace.relight.relit_layer import Display, Floats, GBuffer
from gloamet.trace.surfaces.materials import BASE_COLOUR
from gloamet.trace.upsample import FeatureBuffers

# each takes 0.2 kB, twice where something mirrors; a larger screen enlarges what these show
MOST_PIXELS = 800_000


class FineDisplay:
    """What one camera sees at a larger size than its cache's; `ready` when pictures can be shaded and enlarged."""

    def __init__(self, cache: RelightCache, width: int, height: int) -> None:
        shrink = max(1.0, math.sqrt(width * height / MOST_PIXELS))
        self.width, self.height = round(width / shrink), round(height / shrink)
        self.ready = self._begun = False
        self._cache = cache
        self._displays: list[Display] = []
        self._outlines = displays.NO_OUTLINES
        n = self.width * self.height
        self._taps, self._fractions = np.zeros((n, 4), np.int32), np.zeros((n, 4), np.uint8)
        self._detail = np.zeros((n, 3), np.uint16)
        self._mixed = np.zeros(0, np.uint32)

    def improve(self, cancelled: Callable[[], bool]) -> bool:
        """Build it. Returns False when cancelled; finished parts are kept."""
        if not self._begun and not self._begin(cancelled):
            return False
        self._begun = True
        cache, ahead = self._cache, self._displays[0]
        found = displays.find_outlines(cache.workers, cache.scene, cache.camera, ahead, cancelled)
        if found is not None:
            self._outlines, self._mixed = found, np.zeros(len(found.edges), np.uint32)
            self._find_detail()
        self.ready = found is not None
        return self.ready

    def _begin(self, cancelled: Callable[[], bool]) -> bool:
        cache, workers = self._cache, self._cache.workers
        ahead, reflected = GBuffer(self.width, self.height), GBuffer(self.width, self.height)
        if not displays.fill(workers, cache.scene, cache.camera, ahead, reflected, cancelled):
            return False
        self._displays = []
        for layer, big in zip(cache.layers, (ahead, reflected), strict=True):
            if not layer.used:  # what mirrors only here is too small to matter
                self._displays.append(layer.display)
                continue
            if not layer.glossy:
                big.points[:, (POINT_SPECULAR, POINT_METALNESS)] = 0.0  # the cache has no lists for it
            display = Display(big, layer.glossy)
            if not displays.prepare(workers, display, layer.small, cancelled):
                return False
            self._displays.append(display)
        sizes = (cache.layers[0].big.arrays(), ahead.arrays())
        taps = (self._taps, self._fractions)
        if not workers.run(
            find_upsample_taps, sizes, self.height, (*taps, PICTURE_STRICTNESS), cancelled, 16
        ):
            return False
        workers.run(find_other_taps, sizes, self.height, taps)
        return True

    def _find_detail(self) -> None:
        small, big = (
            g.shading[:, ALBEDO : ALBEDO + 3] for g in (self._cache.layers[0].big, self._displays[0].big)
        )
        self._detail = texture_detail(small, big, self._taps, self._fractions)

    def recolour_ground(self) -> None:
        """Give the ground the albedo that it has in the cache's scene by now."""
        if not self._begun:
            return  # what the camera sees will be looked up in that scene
        colour = self._cache.scene.materials[-1, BASE_COLOUR : BASE_COLOUR + 3]
        for display, layer in zip(self._displays, self._cache.layers, strict=True):
            if layer.used:
                displays.recolour_ground(display.big, colour)
                displays.pack(self._cache.workers, display)

    def shade(self, lights: Environment, gains: SourceGains) -> Floats:
        """The picture (H, W, 3) under the lights and gains that the cache has been relit with last."""
        cache = self._cache
        out = np.empty((self.width * self.height, 3), np.float32)
        layers = [
            layer.shaded_arrays(display) for layer, display in zip(cache.layers, self._displays, strict=True)
        ]
        arguments = (
            ThreadGroup(np.zeros(COUNTER_COUNT, np.int64), cache.packets),
            cache.scene.arrays(),
            (lights.arrays(), lights.arrays(), gains),
            FrameSettings(0, MOVING_SAMPLES, False, 0, 0, -1, -1),
            cache.cells.none(),
            (layers[0], layers[1]),
            self._outlines,
            out,
        )
        cache.workers.all_together(relight_frame, arguments)
        return out.reshape(self.height, self.width, 3)

    def enlarge(self, pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """A developed picture (h, w, 4) of the cache's size at this one, RGBX."""
        small = np.ascontiguousarray(pixels).view(np.uint32).ravel()
        out, outlines = np.empty(self.width * self.height, np.uint32), self._outlines
        arguments = (
            np.zeros(COUNTERS, np.int64),
            self._cache.workers.threads,
            small,
            self._taps,
            self._fractions,
            self._detail,
            outlines.edges,
            outlines.covers,
            self._mixed,
            out,
        )
        self._cache.workers.all_together(enlarge_guided, arguments)
        return out.view(np.uint8).reshape(self.height, self.width, 4)

    def features(self) -> FeatureBuffers:
        """What the camera sees straight ahead, without light."""
        return displays.features(self._cache.camera, self._displays[0].big)

    def with_outlines(self, picture: Floats) -> Floats:
        """A picture (H, W, n) whose pixels on outlines are mixed from what they border on."""
        return displays.with_outlines(picture, self._outlines)

    def transparency(self) -> Floats:
        """The fraction of each pixel, (H, W), that sees past all objects, straight and through panes."""
        used = zip(self._displays, self._cache.layers, strict=True)
        whole = displays.transparency([display.big for display, layer in used if layer.used])
        return np.ascontiguousarray(self.with_outlines(whole[..., None])[..., 0])
