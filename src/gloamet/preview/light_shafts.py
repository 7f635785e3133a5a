"""Shafts of light on the desk: few samples of a small picture under a moving hand, more and finer ones at rest.

A stage, a camera, lights and the document's dust enter; light (AP1 cd/m2) is seen through it in `over`.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.air import ShaftState
from gloamet.light_layers import Gains
from gloamet.preview.memo import Memo
from gloamet.preview.relighting import View
from gloamet.trace.film import Renderer
from gloamet.trace.light_shafts import Dust, ShaftFilm
from gloamet.trace.lights.environment import Environment
from gloamet.trace.upsample import resize_bilinear
from gloamet.translation.document_to_light_shafts import clean_shafts, dust_of

Floats = NDArray[np.float32]
MOVING_PIXELS, MOVING_SAMPLES = 9_000, 3
RESTING_SHRINK, RESTING_SAMPLES = 2, 4  # of the first picture at rest
MOST_SAMPLES = 64
MOST_A_PASS = 8


class ShaftsAsked(NamedTuple):
    """What shafts of light are drawn from: the document's dust, the view, the lights and what these are made of."""

    state: ShaftState
    view: View
    lights: Environment
    inputs: object


class ShaftPreview:
    """The dust of one view and its newest film."""

    def __init__(self) -> None:
        self._dust: Memo[Dust | None] = Memo(_find_dust, 2)
        self._film: ShaftFilm | None = None
        self._of: object = None  # what the film shows, None for one that a moving hand leaves
        self._clean: tuple[object, Floats] | None = None

    def forget(self) -> None:
        """Let go of everything."""
        self._dust.forget()
        self._film = self._of = self._clean = None

    def moving(self, asked: ShaftsAsked, renderer: Renderer) -> None:
        """A small picture, unless a better one of the same light is there."""
        dust, view = self._wanted(asked, renderer), asked.view
        if dust is None or self._of == (view, dust, asked.inputs):
            return
        shrink = max(1.0, (view.width * view.height / MOVING_PIXELS) ** 0.5)
        film = ShaftFilm(max(8, round(view.width / shrink)), max(8, round(view.height / shrink)))
        film.accumulate(renderer, view.compiled, asked.lights, view.camera, dust, MOVING_SAMPLES)
        self._film, self._of = film, None

    def resting(self, asked: ShaftsAsked, renderer: Renderer, cancelled: Callable[[], bool]) -> bool:
        """The first picture of a hand that rests; whether it is new."""
        dust, view = self._wanted(asked, renderer), asked.view
        if dust is None or self._of == (view, dust, asked.inputs):
            return False
        film = ShaftFilm(max(8, view.width // RESTING_SHRINK), max(8, view.height // RESTING_SHRINK))
        words = view.compiled, asked.lights, view.camera, dust
        if not film.accumulate(renderer, *words, RESTING_SAMPLES, cancelled):
            return False
        self._film, self._of = film, (view, dust, asked.inputs)
        return True

    def improve(
        self, asked: ShaftsAsked, renderer: Renderer, samples: float, cancelled: Callable[[], bool]
    ) -> bool:
        """Go on to so many samples at the picture's own size, a few at a time; whether there were any to add."""
        dust, view = self._wanted(asked, renderer), asked.view
        if dust is None:
            return False
        film, of = self._film, (view, dust, asked.inputs)
        if film is None or self._of != of or (film.width, film.height) != (view.width, view.height):
            film = ShaftFilm(view.width, view.height)
        wanted = int(min(MOST_SAMPLES, samples, film.samples + MOST_A_PASS)) - film.samples
        words = view.compiled, asked.lights, view.camera, dust
        if wanted <= 0 or not film.accumulate(renderer, *words, wanted, cancelled):
            return False
        self._film, self._of = film, of
        return True

    def _wanted(self, asked: ShaftsAsked, renderer: Renderer) -> Dust | None:
        dust = self._dust(asked.state, asked.view, renderer) if asked.state.on else None
        if dust is None:
            self._film = self._of = None
        return dust

    def over(self, picture: Floats, gains: Gains, cancelled: Callable[[], bool]) -> Floats:
        """Light (H, W, 3) seen through the dust."""
        film = self._film
        if film is None:
            return picture
        key = (film, film.samples, gains.sun.direct, gains.sky.direct)
        if self._clean is None or self._clean[0] != key:
            light = film.light(gains.sun.direct, gains.sky.direct)
            # a moving hand makes every picture stale before it is shown, and the small one is soon clean
            clean = clean_shafts(light) if self._of is None else clean_shafts(light, cancelled)
            if clean is None:
                return self._laid(picture, light, film)
            self._clean = (key, clean)
        return self._laid(picture, self._clean[1], film)

    @staticmethod
    def _laid(picture: Floats, light: Floats, film: ShaftFilm) -> Floats:
        whole = resize_bilinear(np.concatenate([light, film.through()[..., None]], 2), picture.shape[:2])
        return np.ascontiguousarray(picture * whole[..., 3:] + whole[..., :3])


def _find_dust(state: ShaftState, view: View, renderer: Renderer) -> Dust | None:
    return dust_of(state, view.compiled, view.camera, renderer)
