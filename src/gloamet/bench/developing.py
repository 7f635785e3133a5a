# SPDX-License-Identifier: Apache-2.0
"""Speed of developing: a picture for the screen, the whole chain under a slider, its last links, and glare."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace
from itertools import count

import numpy as np
from numpy.typing import NDArray

from gloamet.bench.core import best
from gloamet.develop.display import ScreenDeveloper, develop_screen
from gloamet.develop.links import ColourGrade, Glare, Lens, Mask, Tone
from gloamet.develop.settings import DevelopSettings

Result = dict[str, float]
FULL_HD = (1080, 1920)
RUNS = 7


def _picture(height: int, width: int) -> NDArray[np.float32]:
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    return np.stack([100 + x, 300 + y, 200 + 0.5 * (x + y)], -1)


def plain() -> Result:
    """Milliseconds to develop 1280 x 800 with neutral links."""
    picture = _picture(800, 1280)
    return {"develop_1280x800_ms": 1e3 * best(lambda: develop_screen(picture, DevelopSettings(10.0)))}


def _fresh() -> Iterator[float]:
    """Different values of a slider, so that no cached result is reused."""
    return (0.001 * k for k in count(1))


def chain() -> Result:
    """Milliseconds for 1920 x 1080 with every link but glare acting, while a slider moves: of tone, colour, a mask, the
    lens's lines; of the last link alone; and of glare, with the rest neutral."""
    picture, values = _picture(*FULL_HD), _fresh()
    base = DevelopSettings(
        10.0,
        5600.0,
        masks=(Mask(),),
        tone=Tone(contrast=0.2, shadows=0.4, curve=((0.0, 0.0), (0.4, 0.45), (1.0, 1.0))),
        colour=ColourGrade(saturation=1.1, vibrance=0.2),
        lens=Lens(vignette=0.5, grain=0.1),
    )
    developer = ScreenDeveloper()

    def moved(settings: DevelopSettings) -> float:
        developer.develop(picture, base)
        begin = time.perf_counter()
        developer.develop(picture, settings)
        return time.perf_counter() - begin

    def slider(make: object) -> float:
        return 1e3 * min(moved(make(next(values))) for _ in range(RUNS))  # type: ignore[operator]

    tone, colour, mask, lens = base.tone, base.colour, base.masks[0], base.lens
    neutral = DevelopSettings(10.0, 5600.0)
    return {
        "develop_tone_ms": slider(lambda v: replace(base, tone=replace(tone, contrast=v))),
        "develop_colour_ms": slider(lambda v: replace(base, colour=replace(colour, vibrance=v))),
        "develop_mask_ms": slider(lambda v: replace(base, masks=(replace(mask, exposure=v),))),
        "develop_bend_ms": slider(lambda v: replace(base, lens=replace(lens, distortion=v))),
        "develop_last_ms": slider(lambda v: replace(base, lens=replace(lens, grain=v))),
        "glare_ms": slider(
            lambda v: replace(neutral, glare=Glare(veiling_glare=2.0 + v, glow=10.0, starburst=1.0))
        ),
    }
