# SPDX-License-Identifier: Apache-2.0
"""Plain plots as SVG: lines and dots in a frame with ticks. Series enter, a file's text leaves."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

WIDTH, HEIGHT = 640, 340
LEFT, RIGHT, TOP, BOTTOM = 64, 16, 14, 44
HUES = ("#d9822b", "#3f74b5", "#4d8a57", "#8a5aa8", "#9a9a9a")


@dataclass
class Plot:
    """One frame; y may be logarithmic."""

    x_label: str
    y_label: str
    x: tuple[float, float]
    y: tuple[float, float]
    x_ticks: Sequence[float]
    y_ticks: Sequence[float]
    logarithmic: bool = False
    legend_px: int = LEFT + 10  # where its words begin
    _items: list[str] = field(default_factory=list)
    _legend: list[tuple[str, str, bool]] = field(default_factory=list)

    def position(self, x: float, y: float) -> tuple[float, float]:
        """Where a value stands."""
        u = (x - self.x[0]) / (self.x[1] - self.x[0])
        if self.logarithmic:
            v = math.log(max(y, 1e-30) / self.y[0]) / math.log(self.y[1] / self.y[0])
        else:
            v = (y - self.y[0]) / (self.y[1] - self.y[0])
        return LEFT + u * (WIDTH - LEFT - RIGHT), HEIGHT - BOTTOM - v * (HEIGHT - TOP - BOTTOM)

    def line(self, xs: Any, ys: Any, hue: int, words: str) -> None:
        """A curve of ours."""
        for piece in self._inside(xs, ys):
            points = " ".join("{:.1f},{:.1f}".format(*self.position(x, y)) for x, y in piece)
            self._items.append(
                f'<polyline points="{points}" fill="none" stroke="{HUES[hue]}" stroke-width="2"/>'
            )
        self._legend.append((words, HUES[hue], False))

    def _inside(self, xs: Any, ys: Any) -> list[list[tuple[float, float]]]:
        """The pieces of a curve inside the frame, ended at its upper and lower edge."""
        pieces: list[list[tuple[float, float]]] = [[]]
        low, high = self.y
        points = [(float(x), float(y)) for x, y in zip(xs, ys, strict=True) if self.x[0] <= x <= self.x[1]]
        for before, (x, y) in zip([None, *points], points, strict=False):
            if before is not None and (low <= y <= high) != (low <= before[1] <= high):
                edge = high if max(y, before[1]) > high else low
                fraction = (edge - before[1]) / (y - before[1])
                pieces[-1].append((before[0] + fraction * (x - before[0]), edge))
                if not low <= y <= high:
                    pieces.append([])
            if low <= y <= high:
                pieces[-1].append((x, y))
        return [piece for piece in pieces if piece]

    def dots(self, xs: Any, ys: Any, hue: int, words: str) -> None:
        """Values of others."""
        for x, y in zip(xs, ys, strict=True):
            a, b = self.position(x, y)
            self._items.append(
                f'<circle cx="{a:.1f}" cy="{b:.1f}" r="3.6" fill="white" stroke="{HUES[hue]}" stroke-width="1.6"/>'
            )
        self._legend.append((words, HUES[hue], True))

    def svg(self) -> str:
        """The file."""
        w, h = WIDTH - LEFT - RIGHT, HEIGHT - TOP - BOTTOM
        out = [
            f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH}" height="{HEIGHT}" font-family="sans-serif" '
            'font-size="12">',
            f'<rect width="{WIDTH}" height="{HEIGHT}" fill="white"/>',
        ]
        for tick in self.x_ticks:
            a, _ = self.position(tick, self.y[0])
            out.append(f'<path d="M{a:.1f} {TOP}V{TOP + h}" stroke="#e6e6e6"/>')
            out.append(f'<text x="{a:.1f}" y="{TOP + h + 16}" text-anchor="middle">{tick:g}</text>')
        for tick in self.y_ticks:
            _, b = self.position(self.x[0], tick)
            out.append(f'<path d="M{LEFT} {b:.1f}H{LEFT + w}" stroke="#e6e6e6"/>')
            out.append(f'<text x="{LEFT - 6}" y="{b + 4:.1f}" text-anchor="end">{tick:g}</text>')
        out.append(f'<rect x="{LEFT}" y="{TOP}" width="{w}" height="{h}" fill="none" stroke="#888"/>')
        out += self._items
        out.append(f'<text x="{LEFT + w / 2}" y="{HEIGHT - 8}" text-anchor="middle">{self.x_label}</text>')
        out.append(
            f'<text x="14" y="{TOP + h / 2}" text-anchor="middle" transform="rotate(-90 14 {TOP + h / 2})">'
            f"{self.y_label}</text>"
        )
        for k, (words, hue, dot) in enumerate(self._legend):
            y = TOP + 16 + 16 * k
            at, ink = self.legend_px, f'stroke="{hue}"'
            mark = f'<path d="M{at} {y - 4}h20" {ink} stroke-width="2"/>'
            if dot:
                mark = f'<circle cx="{at + 10}" cy="{y - 4}" r="3.6" fill="white" {ink} stroke-width="1.6"/>'
            out.append(f'{mark}<text x="{self.legend_px + 28}" y="{y}">{words}</text>')
        return "\n".join([*out, "</svg>", ""])
