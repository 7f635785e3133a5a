# SPDX-License-Identifier: Apache-2.0
"""The order of the developing chain, for files and for the screen: links on scene light first, then tone to lens.

Exposed light enters the links of `SCENE_LINKS` one after the other. Behind them stand dark corners and local contrast,
tone, the view transform, colour, and sharpness and grain: one kernel for the screen, `develop.exact` for files.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.develop import glare
from gloamet.develop.lens import bend, parts_that_act
from gloamet.develop.links import Mask
from gloamet.develop.masks import MaskPlanes, changes, light_masks
from gloamet.develop.settings import DevelopSettings

Floats = NDArray[np.float32]
# the order as an artist reads it
CHAIN_TITLES = (
    "white balance",
    "lens glare",
    "lens distortion",
    "masks",
    "tone",
    "view transform",
    "colour",
    "lens and film",
)


class SceneLink(NamedTuple):
    """A link on exposed light (H, W, 3): whether it acts, the inputs that its result depends on beside the light, and
    its function of light, settings and mask planes."""

    name: str
    acts: Callable[[DevelopSettings], bool]
    inputs: Callable[[DevelopSettings, MaskPlanes], tuple[object, ...]]
    apply: Callable[[Floats, DevelopSettings, MaskPlanes], Floats]


def _acting(settings: DevelopSettings) -> tuple[Mask, ...]:
    return tuple(mask for mask in settings.masks if changes(mask))


SCENE_LINKS = (
    SceneLink(
        "glare",
        lambda s: glare.acts(s.glare),
        lambda s, _planes: (s.glare,),
        lambda light, s, _planes: glare.glare_picture(light, s.glare),
    ),
    SceneLink(
        "distortion",
        lambda s: parts_that_act(s.lens).bends,
        lambda s, _planes: (s.lens.strength, s.lens.distortion, s.lens.fringe),
        lambda light, s, _planes: bend(light, s.lens),
    ),
    SceneLink(
        "masks",
        lambda s: bool(_acting(s)),
        lambda s, planes: (_acting(s), *planes),
        lambda light, s, planes: light_masks(light, _acting(s), planes),
    ),
)
