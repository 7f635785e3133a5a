# SPDX-License-Identifier: Apache-2.0
"""One layer of a relight cache: what its pixels gather from the light table, and how it is resampled to the display.

Made once per camera by rays, evaluated for every light without any. Two sizes: lists are kept for the cache's
pixels, surfaces and sky also for the display's.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.trace.relight.atrous_filter import FILTER_LEVELS, FILTER_REACH
from gloamet.trace.relight.composite import DIFFUSE_WORDS, SPECULAR_WORDS
from gloamet.trace.relight.points import (
    PIXEL_KIND,
    POINT_METALNESS,
    POINT_SPECULAR,
    POINT_WORDS,
    SHADING_WORDS,
    SURFACE_PIXEL,
    Floats,
    GBufferArrays,
)
from gloamet.trace.relight.sparse_neighbours import MAX_NEIGHBOURS

MOST_SAMPLES, SPECULAR_SAMPLES = 32, 8
SPECULAR_LEVELS = 3  # filter passes for what rough specular surfaces reflect


class ListArrays(NamedTuple):
    """Lists of the cache's pixels, diffuse and specular, and what their sums are."""

    wanted: NDArray[np.uint8]
    rows: NDArray[np.uint16]
    weight: Floats
    specular_rows: NDArray[np.uint16]
    specular_weight: Floats
    received: Floats
    specular: Floats
    samples: int
    specular_samples: int


class DisplayArrays(NamedTuple):
    """The display's pixels: the g-buffer, what compositing reads of it, upsampling taps, visibility of the sun."""

    points: Floats
    shading: Floats
    diffuse: Floats
    specular: Floats
    width: int
    height: int
    kinds: NDArray[np.uint8]
    interpolable: NDArray[np.bool_]
    coplanar: NDArray[np.uint8]
    taps: NDArray[np.int32]
    fractions: NDArray[np.uint8]
    visible: NDArray[np.uint32]


class FilterArrays(NamedTuple):
    """Pictures (3, n + 2 margins) between which the à-trous filter alternates, and its weights."""

    received: Floats
    spare: Floats
    specular: Floats
    specular_spare: Floats
    weights: NDArray[np.uint8]
    norms: Floats
    width: int
    height: int
    levels: int
    specular_levels: int


class SparseArrays(NamedTuple):
    """Pixels that take the mean of their neighbours, these, and room for the means."""

    pixels: NDArray[np.int32]
    neighbours: NDArray[np.int32]
    mixed: Floats
    specular_mixed: Floats


class LayerArrays(NamedTuple):
    """A layer as the kernels take it; `received` and `specular` are the filtered pictures without margins."""

    lists: ListArrays
    display: DisplayArrays
    filter: FilterArrays
    received: Floats
    specular: Floats
    used: bool
    sparse: SparseArrays


@dataclass(eq=False)
class GBuffer:
    """Points and shading values of one size, (n, ...)."""

    width: int
    height: int
    points: Floats = field(init=False)
    shading: Floats = field(init=False)

    def __post_init__(self) -> None:
        n = self.width * self.height
        self.points = np.zeros((n, POINT_WORDS), np.float32)
        self.shading = np.zeros((n, SHADING_WORDS), np.float32)

    def arrays(self) -> GBufferArrays:
        """What the kernels take."""
        return GBufferArrays(self.points, self.shading, self.width, self.height)

    @property
    def surfaces(self) -> NDArray[np.bool_]:
        """Which pixels show a surface."""
        return np.asarray(self.shading[:, PIXEL_KIND] == SURFACE_PIXEL)

    @property
    def glossy(self) -> bool:
        """Whether a rough specular surface is among them."""
        reflecting = self.points[:, POINT_SPECULAR] + self.points[:, POINT_METALNESS]
        return bool((reflecting[self.surfaces] > 0.0).any())


@dataclass(eq=False)
class Display:
    """A g-buffer with what compositing keeps of its pixels; `glossy` where rough specular surfaces have their part."""

    big: GBuffer
    glossy: bool

    def __post_init__(self) -> None:
        n = len(self.big.points)
        self.kinds = self.big.shading[:, PIXEL_KIND].astype(np.uint8)
        self.taps, self.fractions = np.zeros((n, 4), np.int32), np.zeros((n, 4), np.uint8)
        self.diffuse = np.zeros((n, DIFFUSE_WORDS), np.float32)
        self.specular = np.zeros((n if self.glossy else 1, SPECULAR_WORDS), np.float32)
        self.interpolable, self.coplanar = np.zeros(n, np.bool_), np.zeros(n, np.uint8)
        self.visible = np.zeros(n, np.uint32)

    def arrays(self) -> DisplayArrays:
        """What the kernels take."""
        return DisplayArrays(
            self.big.points,
            self.big.shading,
            self.diffuse,
            self.specular,
            self.big.width,
            self.big.height,
            self.kinds,
            self.interpolable,
            self.coplanar,
            self.taps,
            self.fractions,
            self.visible,
        )


@dataclass
class Layer:
    """Lists and pictures of a layer; `samples` entries of the lists are in use, `specular_samples` of the specular."""

    small: GBuffer
    big: GBuffer
    samples: int = 0
    specular_samples: int = 0
    used: bool = True
    glossy: bool = False

    def allocate(self) -> None:
        """Make room once it is known what the layer shows."""
        n = len(self.small.points)
        self.used = bool((self.big.shading[:, PIXEL_KIND] > 0.0).any())
        if not self.used:
            self.small, self.big = GBuffer(1, 1), GBuffer(1, 1)
            n = 1
        shown = self.small.surfaces
        self.glossy = self.small.glossy or self.big.glossy  # a narrow thing may be seen by one of them alone
        self.display = Display(self.big, self.glossy)
        self.wanted = shown.astype(np.uint8)
        self.index = np.zeros((n, MOST_SAMPLES), np.uint16)
        self.weight = np.zeros((n, MOST_SAMPLES), np.float32)
        glossy_rows = n if self.glossy else 1
        self.specular_index = np.zeros((glossy_rows, SPECULAR_SAMPLES), np.uint16)
        self.specular_weight = np.zeros((glossy_rows, SPECULAR_SAMPLES), np.float32)
        self.filter_weights = np.zeros((FILTER_LEVELS, 9, n), np.uint8)
        self.filter_norms = np.zeros((FILTER_LEVELS, n), np.float32)
        self.margin = FILTER_REACH * (self.small.width + 1)
        self.received, self.spare, self.specular, self.specular_spare = (
            np.zeros((3, rows + 2 * self.margin), np.float32) for rows in (n, n, glossy_rows, glossy_rows)
        )
        self.sparse_pixels, self.neighbours = np.zeros(0, np.int32), np.zeros((0, MAX_NEIGHBOURS), np.int32)

    def inner(self, picture: Floats) -> Floats:
        """A picture (3, n + 2 margins) of the cache's size without its margins, (3, n)."""
        return picture[:, self.margin : picture.shape[1] - self.margin]

    def arrays(self, levels: int) -> LayerArrays:
        """What `frame.relight_frame` takes; the filter runs in `levels` (odd) passes."""
        small, inner, m = self.small, self.inner, len(self.sparse_pixels)
        return LayerArrays(
            ListArrays(
                self.wanted,
                self.index,
                self.weight,
                self.specular_index,
                self.specular_weight,
                inner(self.received),
                inner(self.specular),
                self.samples,
                self.specular_samples,
            ),
            self.display.arrays(),
            FilterArrays(
                self.received,
                self.spare,
                self.specular,
                self.specular_spare,
                self.filter_weights,
                self.filter_norms,
                small.width,
                small.height,
                levels if self.used else 0,
                min(levels, SPECULAR_LEVELS) if self.glossy else 0,
            ),
            inner(self.spare),
            inner(self.specular_spare),
            self.used,
            SparseArrays(
                self.sparse_pixels,
                self.neighbours,
                np.empty((3, m), np.float32),
                np.empty((3, m if self.glossy else 0), np.float32),
            ),
        )

    def shaded_arrays(self, display: Display) -> LayerArrays:
        """The same for another display, to be shaded by what was last received: no list is summed, nothing filtered."""
        whole = self.arrays(0)
        none = self.sparse_pixels[:0], self.neighbours[:0]
        return whole._replace(
            lists=whole.lists._replace(wanted=self.wanted[:0]),
            display=display.arrays(),
            sparse=SparseArrays(*none, np.empty((3, 0), np.float32), np.empty((3, 0), np.float32)),
        )
