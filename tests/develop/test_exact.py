# SPDX-License-Identifier: Apache-2.0
"""Developing exactly: which way exposure and white balance work."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import XYZ_TO_AP1, xy_to_xyz
from gloamet.colour.temperature import white_xy
from gloamet.develop.exact import develop_exact
from gloamet.develop.settings import DevelopSettings

# EV at which an incident meter calls light of pi lx on a white card, 1 cd/m2, right (ISO 2720: E = 2.5 * 2**EV)
EV_OF_UNITY = float(np.log2(np.pi / 2.5))
GREY = np.full((1, 1, 3), 0.18, np.float32)


def codes(picture: np.ndarray, **settings: float) -> np.ndarray:
    ev = settings.pop("ev", EV_OF_UNITY)
    return develop_exact(picture, DevelopSettings(ev, view="plain sRGB", **settings))[0, 0]  # type: ignore[arg-type]


@pytest.mark.proof("18 % grey is sRGB code 118", source="IEC 61966-2-1; ISO 2720", kind="published")
def test_a_grey_card_in_metered_light_is_code_118() -> None:
    # sRGB (IEC 61966-2-1) of 0.18 is 117.6 of 255
    grey = (XYZ_TO_AP1 @ xy_to_xyz(white_xy(6500.0, 0.0)) * 0.18).astype(np.float32).reshape(1, 1, 3)
    assert codes(grey, kelvin=6500.0) * 255.0 == pytest.approx([117.6] * 3, abs=1.0)


def test_a_higher_exposure_value_darkens() -> None:
    one, two = codes(GREY, ev=EV_OF_UNITY), codes(GREY, ev=EV_OF_UNITY + 1.0)
    # linear light is halved: IEC 61966-2-1 decoded
    linear = [((c + 0.055) / 1.055) ** 2.4 for c in (one[1], two[1])]
    assert linear[1] == pytest.approx(0.5 * linear[0], rel=0.01)


def test_positive_tint_takes_green_out() -> None:
    neutral, positive, negative = (codes(GREY, tint=tint) for tint in (0.0, 20.0, -20.0))
    excess = [c[1] - 0.5 * (c[0] + c[2]) for c in (negative, neutral, positive)]
    assert excess[0] > excess[1] > excess[2]


def test_a_balance_on_warmer_light_makes_the_picture_cooler() -> None:
    warm, cool = codes(GREY, kelvin=3000.0), codes(GREY, kelvin=9000.0)
    assert warm[2] - warm[0] > 0.05 > -0.05 > cool[2] - cool[0]
