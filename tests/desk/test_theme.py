# SPDX-License-Identifier: Apache-2.0
"""Contrast of the interface's colours."""

from __future__ import annotations

import colour
import numpy as np
import pytest

from gloamet.desk.widgets import theme

# text and the grounds it is drawn on; text of disabled controls has no limit
PAIRS = [
    *(
        (theme.INK, ground)
        for ground in (theme.GROUND, theme.WELL, theme.ACTION, theme.POINTED, theme.RAISED)
    ),
    *((theme.DIM, ground) for ground in (theme.GROUND, theme.WELL, theme.ACTION, theme.SURROUND)),
    *((theme.QUIET, ground) for ground in (theme.GROUND, theme.WELL)),
    (theme.MAIN_INK, theme.MAIN),
    (theme.MAIN_INK, theme.MAIN_POINTED),
]


@pytest.mark.parametrize(("ink", "ground"), PAIRS)
def test_text_stands_out_from_its_ground_by_4_5_to_1(ink: str, ground: str) -> None:
    # WCAG 2.2, success criterion 1.4.3; relative luminance by colour-science
    y = [
        float(colour.sRGB_to_XYZ(np.array([int(code[k : k + 2], 16) for k in (1, 3, 5)]) / 255.0)[1])
        for code in (ink, ground)
    ]
    assert (max(y) + 0.05) / (min(y) + 0.05) >= 4.5
