# SPDX-License-Identifier: Apache-2.0
"""A small film of the lamps only, beside a relight cache: their light does not depend on the sun.

A view (stage, camera, width, height) and its lights enter; the lamps' light goes to the `Relighting` of that view.
"""

from __future__ import annotations

from collections.abc import Callable

from gloamet.preview.relighting import Relighting, RelightView
from gloamet.preview.secondary_views import small_film
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment, lamps_only

LAMP_PIXELS = 40_000
LAMP_SAMPLES = (3, 7)  # of its pixels, with the first step of a cache and with the last


class LampFilm:
    """One small film, of one view."""

    def __init__(self, superseded: Callable[[], bool], relighting: Relighting) -> None:
        self._superseded, self._relighting = superseded, relighting
        self._film: tuple[RelightView, Film] | None = None

    def forget(self) -> None:
        """Release the film."""
        self._film = None

    def missing(self, view: RelightView) -> int:
        """Samples that the film of a view still lacks, by how far its cache is."""
        cache = self._relighting.cache
        if cache is None or len(view.compiled.lamps) == 0 or not self._relighting.ready(view):
            return 0
        has = self._film[1].samples_in(None) if self._film is not None and self._film[0] == view else 0
        return max(0, LAMP_SAMPLES[cache.full] - int(has))

    def update(self, renderer: Renderer, view: RelightView, lights: Environment, bounces: int) -> bool:
        """Trace missing samples; returns whether the lamps' light in the cache has improved."""
        wanted = self.missing(view)
        if wanted and (self._film is None or self._film[0] != view):
            self._film = (view, small_film((view.width, view.height), LAMP_PIXELS))
        if self._film is None or self._film[0] != view:
            return False
        film, dark = self._film[1], lamps_only(lights)
        if wanted and not renderer.accumulate(
            film, view.compiled, dark, view.camera, wanted, bounces, self._superseded
        ):
            return False
        # samples that a hand did not let be cleaned are cleaned now
        return self._relighting.keep_film_light(view, film, renderer.pool, self._superseded)
