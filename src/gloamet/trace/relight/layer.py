"""One layer of a record: what its pixels see of the light table, and how that reaches the display.

Made once per camera by rays, evaluated for every light without any. Two sizes: lists are kept for the record's
pixels, surfaces and sky also for the display's.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.trace.relight.atrous_filter import FILTER_LEVELS, FILTER_REACH
from gloamet.trace.relight.composite import DIFFUSE_WORDS, SPECULAR_WORDS
from gloamet.trace.relight.final_gather import POINT_METALNESS, POINT_SPECULAR, POINT_WORDS
from gloamet.trace.relight.gbuffer import PIXEL_KIND, SHADING_WORDS, SURFACE_PIXEL
from gloamet.trace.relight.sparse_neighbours import MAX_NEIGHBOURS

Floats = NDArray[np.float32]
MOST_SAMPLES, GLOSS_SAMPLES = 32, 8
SHINE_LEVELS = 3  # passes of evening out for what rough gloss reflects


@dataclass
class GBuffer:
    """Points and paint of one size, (n, ...)."""

    width: int
    height: int
    points: Floats = field(init=False)
    shading: Floats = field(init=False)

    def __post_init__(self) -> None:
        n = self.width * self.height
        self.points = np.zeros((n, POINT_WORDS), np.float32)
        self.shading = np.zeros((n, SHADING_WORDS), np.float32)

    @property
    def surfaces(self) -> NDArray[np.bool_]:
        """Which pixels show a surface."""
        return np.asarray(self.shading[:, PIXEL_KIND] == SURFACE_PIXEL)

    @property
    def glossy(self) -> bool:
        """Whether a surface with a rough gloss is among them."""
        gloss = self.points[:, POINT_SPECULAR] + self.points[:, POINT_METALNESS]
        return bool((gloss[self.surfaces] > 0.0).any())


@dataclass
class Layer:
    """Lists and pictures of one layer; `samples` of the lists are there, `gloss_samples` of those of gloss."""

    small: GBuffer
    big: GBuffer
    samples: int = 0
    gloss_samples: int = 0
    used: bool = True
    glossy: bool = False

    def allocate(self) -> None:
        """Make room once it is known what the layer shows."""
        n, big = len(self.small.points), len(self.big.points)
        self.used = bool((self.big.shading[:, PIXEL_KIND] > 0.0).any())
        if not self.used:
            self.small, self.big = GBuffer(1, 1), GBuffer(1, 1)
            n = big = 1
        shown = self.small.surfaces
        self.kinds = self.big.shading[:, PIXEL_KIND].astype(np.uint8)
        self.glossy = self.small.glossy or self.big.glossy  # a narrow thing may be seen by one of them alone
        self.wanted = shown.astype(np.uint8)
        self.index = np.zeros((n, MOST_SAMPLES), np.uint16)
        self.weight = np.zeros((n, MOST_SAMPLES), np.float32)
        gloss = n if self.glossy else 1
        self.gloss_index = np.zeros((gloss, GLOSS_SAMPLES), np.uint16)
        self.gloss_weight = np.zeros((gloss, GLOSS_SAMPLES), np.float32)
        self.taps, self.shares = np.zeros((big, 4), np.int32), np.zeros((big, 4), np.uint8)
        self.packed_diffuse = np.zeros((big, DIFFUSE_WORDS), np.float32)
        self.packed_specular = np.zeros((big if self.glossy else 1, SPECULAR_WORDS), np.float32)
        self.filter_weights = np.zeros((FILTER_LEVELS, 9, n), np.uint8)
        self.filter_norms = np.zeros((FILTER_LEVELS, n), np.float32)
        self.margin = FILTER_REACH * (self.small.width + 1)
        self.received, self.spare, self.shine, self.shine_spare = (
            np.zeros((3, rows + 2 * self.margin), np.float32) for rows in (n, n, gloss, gloss)
        )
        self.visible = np.zeros(big, np.uint32)
        self.sparse_pixels, self.neighbours = np.zeros(0, np.int32), np.zeros((0, MAX_NEIGHBOURS), np.int32)
        self.interpolable, self.coplanar = np.zeros(big, np.bool_), np.zeros(big, np.uint8)

    def inner(self, picture: Floats) -> Floats:
        """A picture (3, n + 2 margins) of the record's size without its margins, (3, n)."""
        return picture[:, self.margin : picture.shape[1] - self.margin]

    def parts(self, levels: int) -> tuple[tuple[Any, ...], ...]:
        """What `frame.relight` takes: lists, display, evening out in `levels` (odd) passes, results, thin pixels."""
        small, big, inner = self.small, self.big, self.inner
        lists = (
            self.wanted, self.index, self.weight, self.gloss_index, self.gloss_weight, inner(self.received),
            inner(self.shine), self.samples, self.gloss_samples,
        )  # fmt: skip
        display = (
            big.points, big.shading, self.packed_diffuse, self.packed_specular, big.width, big.height,
            self.kinds, self.interpolable, self.coplanar, self.taps, self.shares, self.visible,
        )  # fmt: skip
        shine_levels = min(levels, SHINE_LEVELS) if self.glossy else 0
        evening = (
            self.received, self.spare, self.shine, self.shine_spare, self.filter_weights, self.filter_norms,
            small.width, small.height, levels if self.used else 0, shine_levels,
        )  # fmt: skip
        m = len(self.sparse_pixels)
        thin = (
            self.sparse_pixels,
            self.neighbours,
            np.empty((3, m), np.float32),
            np.empty((3, m if self.glossy else 0), np.float32),
        )
        return lists, display, evening, (inner(self.spare), inner(self.shine_spare), self.used), thin
