"""One layer of a record: what its pixels see of the light table, and how that reaches the display.

Made once per camera by rays, evaluated for every light without any. Two sizes: lists are kept for the record's
pixels, surfaces and sky also for the display's.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.trace.relight.evening import LEVELS, REACH
from gloamet.trace.relight.gather import GLOSS, METAL, POINT_WORDS
from gloamet.trace.relight.screen import KIND, PAINT_WORDS, SURFACE
from gloamet.trace.relight.shade import BRIEF_WORDS, GLEAM_WORDS
from gloamet.trace.relight.thin import LENDERS

Floats = NDArray[np.float32]
MOST_SAMPLES, GLOSS_SAMPLES = 32, 8
SHINE_LEVELS = 3  # passes of evening out for what rough gloss reflects


@dataclass
class Screen:
    """Points and paint of one size, (n, ...)."""

    width: int
    height: int
    points: Floats = field(init=False)
    paint: Floats = field(init=False)

    def __post_init__(self) -> None:
        n = self.width * self.height
        self.points = np.zeros((n, POINT_WORDS), np.float32)
        self.paint = np.zeros((n, PAINT_WORDS), np.float32)

    @property
    def surfaces(self) -> NDArray[np.bool_]:
        """Which pixels show a surface."""
        return np.asarray(self.paint[:, KIND] == SURFACE)

    @property
    def glossy(self) -> bool:
        """Whether a surface with a rough gloss is among them."""
        gloss = self.points[:, GLOSS] + self.points[:, METAL]
        return bool((gloss[self.surfaces] > 0.0).any())


@dataclass
class Layer:
    """Lists and pictures of one layer; `samples` of the lists are there, `gloss_samples` of those of gloss."""

    small: Screen
    big: Screen
    samples: int = 0
    gloss_samples: int = 0
    used: bool = True
    glossy: bool = False

    def open_lists(self) -> None:
        """Make room once it is known what the layer shows."""
        n, big = len(self.small.points), len(self.big.points)
        self.used = bool((self.big.paint[:, KIND] > 0.0).any())
        if not self.used:
            self.small, self.big = Screen(1, 1), Screen(1, 1)
            n = big = 1
        shown = self.small.surfaces
        self.kinds = self.big.paint[:, KIND].astype(np.uint8)
        self.glossy = self.small.glossy or self.big.glossy  # a narrow thing may be seen by one of them alone
        self.wanted = shown.astype(np.uint8)
        self.index = np.zeros((n, MOST_SAMPLES), np.uint16)
        self.weight = np.zeros((n, MOST_SAMPLES), np.float32)
        gloss = n if self.glossy else 1
        self.gloss_index = np.zeros((gloss, GLOSS_SAMPLES), np.uint16)
        self.gloss_weight = np.zeros((gloss, GLOSS_SAMPLES), np.float32)
        self.taps, self.shares = np.zeros((big, 4), np.int32), np.zeros((big, 4), np.uint8)
        self.brief = np.zeros((big, BRIEF_WORDS), np.float32)
        self.gleam = np.zeros((big if self.glossy else 1, GLEAM_WORDS), np.float32)
        self.even_weights = np.zeros((LEVELS, 9, n), np.uint8)
        self.even_inverses = np.zeros((LEVELS, n), np.float32)
        self.margin = REACH * (self.small.width + 1)
        self.received, self.spare, self.shine, self.shine_spare = (
            np.zeros((3, rows + 2 * self.margin), np.float32) for rows in (n, n, gloss, gloss)
        )
        self.visible = np.zeros(big, np.uint32)
        self.thin, self.lenders = np.zeros(0, np.int32), np.zeros((0, LENDERS), np.int32)
        self.alike, self.like = np.zeros(big, np.bool_), np.zeros(big, np.uint8)

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
            big.points, big.paint, self.brief, self.gleam, big.width, big.height, self.kinds, self.alike,
            self.like, self.taps, self.shares, self.visible,
        )  # fmt: skip
        shine_levels = min(levels, SHINE_LEVELS) if self.glossy else 0
        evening = (
            self.received, self.spare, self.shine, self.shine_spare, self.even_weights, self.even_inverses,
            small.width, small.height, levels if self.used else 0, shine_levels,
        )  # fmt: skip
        m = len(self.thin)
        thin = (
            self.thin,
            self.lenders,
            np.empty((3, m), np.float32),
            np.empty((3, m if self.glossy else 0), np.float32),
        )
        return lists, display, evening, (inner(self.spare), inner(self.shine_spare), self.used), thin
