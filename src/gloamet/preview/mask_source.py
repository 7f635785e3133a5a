# SPDX-License-Identifier: Apache-2.0
"""Inputs of a document's masks from the film, or from the relight cache while there is no film.

Masks, a film or none, gains and a view enter; `MaskPlanes` leave, the same ones as long as nothing of them changes.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.develop.links import Mask
from gloamet.develop.masks import MaskPlanes
from gloamet.light_layers import Gains
from gloamet.memo import Memo
from gloamet.preview.relighting import Relighting, RelightView
from gloamet.thread_pool import shared_pool
from gloamet.trace.film import Film
from gloamet.translation.document_to_masks import kinds_asked, named_planes, sun_fraction_of_film


def _named(view: RelightView) -> MaskPlanes:
    pool = shared_pool()
    return named_planes(view.compiled, view.camera, (view.width, view.height), pool)


class MaskSource:
    """Planes for masks. Which pixels the sun lights is known of a film alone: a relit picture takes the last one's."""

    def __init__(self, relighting: Relighting) -> None:
        self._relighting = relighting
        self._named = Memo(_named)
        self._sun_fraction: NDArray[np.float32] | None = None
        self._film: Film | None = None  # of which, with how many samples and which gains
        self._at: tuple[int, Gains] | None = None

    def planes(
        self, masks: tuple[Mask, ...], film: Film | None, gains: Gains, view: RelightView | None
    ) -> MaskPlanes:
        """What the masks that act ask for."""
        asked, planes = kinds_asked(masks), MaskPlanes()
        if not asked or view is None:
            return planes
        if asked & {"part", "material"}:
            planes = self._named(view)
        if "distance" in asked:
            depth = self._relighting.depth() if film is None else film.mean("depth")
            planes = planes._replace(depth=depth)
        if asked & {"sunlit", "shaded"}:
            if film is not None and (film is not self._film or (film.samples, gains) != self._at):
                self._film, self._at = film, (film.samples, gains)
                self._sun_fraction = sun_fraction_of_film(film, gains)
            planes = planes._replace(sun_fraction=self._sun_fraction)
        return planes
