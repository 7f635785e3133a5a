"""Evening out a gathered picture among pixels of like surface, by weights that are made once.

A pass of level k looks at eight neighbours 2**k pixels apart. weights (levels, n, 9) uint8 are products of
likeness in normal, plane and a guide (log light of cleaned pictures under a few skies), so that shadows in
corners keep their shape. Evaluating is linear in the light: nothing flickers while it changes.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import JIT
from gloamet.trace.relight.gather import FACE, NORMAL, PLACE
from gloamet.trace.relight.screen import KIND, SURFACE

F = np.float32
LEVELS = 5


@njit(**JIT)
def make_weights(points, paint, guide, tolerance, width, height, y0, y1, weights):
    """Weights of rows y0..y1; guide (n, guides), tolerance its standard deviation."""
    sharp = F(0.5) / (tolerance * tolerance)
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            for level in range(weights.shape[0]):
                for k in range(9):
                    weights[level, i, k] = 0
                weights[level, i, 4] = 255
            if paint[i, KIND] != F(SURFACE):
                continue
            for level in range(weights.shape[0]):
                step = 1 << level
                for k in range(9):
                    a, b = x + (k % 3 - 1) * step, y + (k // 3 - 1) * step
                    if k == 4 or a < 0 or b < 0 or a >= width or b >= height:
                        continue
                    j = b * width + a
                    if paint[j, KIND] != F(SURFACE):
                        continue
                    like = points[i, NORMAL] * points[j, NORMAL] + points[i, NORMAL + 1] * points[j, NORMAL + 1]
                    like += points[i, NORMAL + 2] * points[j, NORMAL + 2]
                    if like < F(0.9):
                        continue
                    ex, ey = points[j, PLACE] - points[i, PLACE], points[j, PLACE + 1] - points[i, PLACE + 1]
                    ez = points[j, PLACE + 2] - points[i, PLACE + 2]
                    apart = abs(ex * points[i, FACE] + ey * points[i, FACE + 1] + ez * points[i, FACE + 2])
                    far = math.sqrt(ex * ex + ey * ey + ez * ez) + F(1e-6)
                    unlike = F(0)
                    for g in range(guide.shape[1]):
                        e = guide[i, g] - guide[j, g]
                        unlike += e * e
                    w = math.exp(-F(8) * apart / far - unlike * sharp)
                    w *= F(0.5) if k % 2 == 1 else F(0.25)
                    weights[level, i, k] = np.uint8(w * F(255) + F(0.5))


@njit(**JIT)
def even_out(picture, weights, level, width, height, y0, y1, out):
    """One pass over rows y0..y1 of a picture (n, 3)."""
    step = 1 << level
    for y in range(y0, y1):
        for x in range(width):
            i = y * width + x
            r = g = b = total = F(0)
            for k in range(9):
                if weights[level, i, k] > 0:
                    w = F(weights[level, i, k])
                    j = i + (k // 3 - 1) * step * width + (k % 3 - 1) * step
                    total += w
                    r += w * picture[j, 0]
                    g += w * picture[j, 1]
                    b += w * picture[j, 2]
            inverse = F(1) / total
            out[i, 0], out[i, 1], out[i, 2] = r * inverse, g * inverse, b * inverse
