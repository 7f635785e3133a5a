# SPDX-License-Identifier: Apache-2.0
"""Light shafts in the viewport: few samples at low resolution while dragging, more at rest.

A stage, a camera, lights and the document's dust enter; light (AP1 cd/m2) is seen through it in `over`.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.air import LightShaftState
from gloamet.light_layers import Gains
from gloamet.memo import Memo
from gloamet.preview.relighting import RelightView
from gloamet.trace.film import Renderer
from gloamet.trace.light_shafts import LightShaftFilm, ParticipatingMedium
from gloamet.trace.lights.environment import Environment
from gloamet.trace.upsample import resize_bilinear
from gloamet.translation.document_to_light_shafts import denoise_light_shafts, medium_from_document

Floats = NDArray[np.float32]
MOVING_PIXELS, MOVING_SAMPLES = 9_000, 3
RESTING_SHRINK, RESTING_SAMPLES = 2, 4  # of the first picture at rest
MOST_SAMPLES = 64
MOST_A_PASS = 8


class LightShaftRequest(NamedTuple):
    """What shafts of light are drawn from: the document's dust, the view, the lights and what these are made of."""

    state: LightShaftState
    view: RelightView
    lights: Environment
    inputs: object


class LightShaftPreview:
    """The dust of one view and its newest film."""

    def __init__(self) -> None:
        self._medium: Memo[ParticipatingMedium | None] = Memo(_medium_of_state, 2)
        self._film: LightShaftFilm | None = None
        self._of: object = None  # what the film shows, None for one that a moving hand leaves
        self._clean: tuple[object, Floats] | None = None

    def forget(self) -> None:
        """Release everything."""
        self._medium.forget()
        self._film = self._of = self._clean = None

    def moving(self, asked: LightShaftRequest, renderer: Renderer) -> None:
        """A small picture, unless a better one of the same light is there."""
        medium, view = self._wanted(asked, renderer), asked.view
        if medium is None or self._of == (view, medium, asked.inputs):
            return
        shrink = max(1.0, (view.width * view.height / MOVING_PIXELS) ** 0.5)
        film = LightShaftFilm(max(8, round(view.width / shrink)), max(8, round(view.height / shrink)))
        film.accumulate(renderer, view.compiled, asked.lights, view.camera, medium, MOVING_SAMPLES)
        self._film, self._of = film, None

    def resting(self, asked: LightShaftRequest, renderer: Renderer, cancelled: Callable[[], bool]) -> bool:
        """The first picture of rest after dragging; whether it is new."""
        medium, view = self._wanted(asked, renderer), asked.view
        if medium is None or self._of == (view, medium, asked.inputs):
            return False
        film = LightShaftFilm(max(8, view.width // RESTING_SHRINK), max(8, view.height // RESTING_SHRINK))
        arguments = view.compiled, asked.lights, view.camera, medium
        if not film.accumulate(renderer, *arguments, RESTING_SAMPLES, cancelled):
            return False
        self._film, self._of = film, (view, medium, asked.inputs)
        return True

    def improve(
        self, asked: LightShaftRequest, renderer: Renderer, samples: float, cancelled: Callable[[], bool]
    ) -> bool:
        """Go on to so many samples at the picture's own size, a few at a time; whether there were any to add."""
        medium, view = self._wanted(asked, renderer), asked.view
        if medium is None:
            return False
        film, of = self._film, (view, medium, asked.inputs)
        if film is None or self._of != of or (film.width, film.height) != (view.width, view.height):
            film = LightShaftFilm(view.width, view.height)
        wanted = int(min(MOST_SAMPLES, samples, film.samples + MOST_A_PASS)) - film.samples
        arguments = view.compiled, asked.lights, view.camera, medium
        if wanted <= 0 or not film.accumulate(renderer, *arguments, wanted, cancelled):
            return False
        self._film, self._of = film, of
        return True

    def _wanted(self, asked: LightShaftRequest, renderer: Renderer) -> ParticipatingMedium | None:
        medium = self._medium(asked.state, asked.view, renderer) if asked.state.on else None
        if medium is None:
            self._film = self._of = None
        return medium

    def over(self, picture: Floats, gains: Gains, cancelled: Callable[[], bool]) -> Floats:
        """Light (H, W, 3) seen through the dust."""
        film = self._film
        if film is None:
            return picture
        key = (film, film.samples, gains.sun.direct, gains.sky.direct)
        if self._clean is None or self._clean[0] != key:
            light = film.light(gains.sun.direct, gains.sky.direct)
            # a moving hand makes every picture stale before it is shown, and the small one is soon clean
            clean = (
                denoise_light_shafts(light) if self._of is None else denoise_light_shafts(light, cancelled)
            )
            if clean is None:
                return self._laid(picture, light, film)
            self._clean = (key, clean)
        return self._laid(picture, self._clean[1], film)

    @staticmethod
    def _laid(picture: Floats, light: Floats, film: LightShaftFilm) -> Floats:
        whole = resize_bilinear(np.concatenate([light, film.through()[..., None]], 2), picture.shape[:2])
        return np.ascontiguousarray(picture * whole[..., 3:] + whole[..., :3])


def _medium_of_state(
    state: LightShaftState, view: RelightView, renderer: Renderer
) -> ParticipatingMedium | None:
    return medium_from_document(state, view.compiled, view.camera, renderer)
