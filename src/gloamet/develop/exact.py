# SPDX-License-Identifier: Apache-2.0
"""Developing exactly: linear light in AP1 cd/m2 to display codes, link by link.

A picture, `DevelopSettings` and what its masks ask for enter; code values in 0..1 leave. With neutral links it needs no
kernel: files are developed by it, and the first picture of a program whose kernels are not compiled yet.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.colour.views import VIEWS
from gloamet.develop.chain import SCENE_LINKS
from gloamet.develop.colour_grade import grade_codes
from gloamet.develop.lens import finish, parts_that_act, vignette_gain
from gloamet.develop.local_contrast import local_gain
from gloamet.develop.masks import NO_PLANES, MaskPlanes
from gloamet.develop.settings import DevelopSettings
from gloamet.develop.tone import lifts_details, tone_picture

Floats = NDArray[np.float32]
LUMINANCE = AP1_LUMINANCE.astype(np.float32)
BRIGHTEST = 1e9  # what infinite light is taken for, cd/m2


def expose(picture: Floats, settings: DevelopSettings) -> Floats:
    """Light in reflectances under the metered light, white-balanced; not-a-number becomes black."""
    clean = np.nan_to_num(picture, nan=0.0, posinf=BRIGHTEST, neginf=0.0)
    return np.ascontiguousarray(clean @ settings.matrix().T, np.float32)


def brightness_gain(picture: Floats, settings: DevelopSettings, weights: Floats) -> Floats | None:
    """Factors (H, W) of dark corners and local contrast, None while both are neutral; weights (3,) are those of the
    picture's channels in the luminance of exposed light."""
    gain, lens = None, settings.lens
    if parts_that_act(lens).darkens:
        gain = vignette_gain((picture.shape[0], picture.shape[1]), lens.strength * lens.vignette)
    if lifts_details(settings.tone):
        details = local_gain(picture, settings.tone, weights)
        gain = details if gain is None else gain * details
    return gain


def develop_exact(picture: Floats, settings: DevelopSettings, planes: MaskPlanes = NO_PLANES) -> Floats:
    """Develop a picture by the exact transforms, for files.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    settings : DevelopSettings
        How to develop.
    planes : MaskPlanes, optional
        What the masks ask for: distances, sunlit fractions, parts, materials.

    Returns
    -------
    ndarray
        Display codes 0 to 1, (H, W, 3) float32.

    Raises
    ------
    GloametError
        A view transform or a look-up table cannot be used.
    """
    light = expose(picture, settings)
    for link in SCENE_LINKS:
        if link.acts(settings):
            light = link.apply(light, settings, planes)
    gain = brightness_gain(light, settings, LUMINANCE)
    if gain is not None:
        light = light * gain[..., None]
    light = tone_picture(light, settings.tone)
    codes = np.clip(VIEWS[settings.view].apply(np.ascontiguousarray(light)), 0.0, 1.0)
    codes = np.clip(grade_codes(codes, settings.colour), 0.0, 1.0)
    return finish(codes, settings.lens) if parts_that_act(settings.lens).finishes else codes


def exact_pixels(
    picture: Floats, settings: DevelopSettings, planes: MaskPlanes = NO_PLANES
) -> NDArray[np.uint8]:
    """Develop a picture as pixels by the exact transforms: small ones of the interface, and drafts.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    settings : DevelopSettings
        How to develop.
    planes : MaskPlanes, optional
        What the masks ask for.

    Returns
    -------
    ndarray
        RGBX, (H, W, 4).

    Raises
    ------
    GloametError
        A view transform or a look-up table cannot be used.
    """
    pixels = np.full((*picture.shape[:2], 4), 255, np.uint8)
    pixels[..., :3] = np.round(255.0 * develop_exact(picture, settings, planes))
    return pixels
