# SPDX-License-Identifier: Apache-2.0
"""The table of lights holds together: films, gains and the document's fields follow it."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.document.fill import FillState
from gloamet.document.model import Document
from gloamet.light_layers import (
    INDIRECT_LAYERS,
    LIGHT_LAYERS,
    LIGHTS,
    MOMENT_PLANES,
    TOGETHER,
    Gains,
    LightLayer,
)
from gloamet.trace.film import Film
from gloamet.translation.document_to_picture import gains_from_document

OF_EACH = ("stops", "indirect_stops", "tint", "tint_strength", "mired", "on")


def test_every_light_has_gains_fields_layers_and_a_moment() -> None:
    assert Gains._fields == LIGHT_LAYERS
    assert {light.field(what) for light in LIGHTS for what in OF_EACH} <= set(FillState.model_fields)
    film = Film(4, 2)
    assert {*LIGHT_LAYERS, *INDIRECT_LAYERS} <= set(film.layers)
    assert set(MOMENT_PLANES) == {*LIGHT_LAYERS, TOGETHER}
    assert len(MOMENT_PLANES) == film.layers["squares"].shape[-1]


@pytest.mark.parametrize("light", LIGHTS, ids=lambda light: light.name)
def test_a_stop_doubles_the_light_it_belongs_to_and_its_bounces(light: LightLayer) -> None:
    gains = gains_from_document(Document().change("fill", **{light.field("stops"): 1.0}))
    for other in LIGHTS:
        wanted = 2.0 if other is light else 1.0
        assert getattr(gains, other.name).direct == pytest.approx((wanted,) * 3)
        assert getattr(gains, other.name).indirect == pytest.approx((wanted,) * 3)


def test_bounces_have_a_gain_of_their_own_on_top() -> None:
    gains = gains_from_document(Document().change("fill", sky_stops=-1.0, sky_indirect_stops=2.0))
    assert gains.sky.direct == pytest.approx((0.5,) * 3) and gains.sky.indirect == pytest.approx((2.0,) * 3)


def test_what_is_off_or_not_the_one_alone_is_dark() -> None:
    off = gains_from_document(Document().change("fill", sun_on=False))
    assert off.sun.direct == (0.0, 0.0, 0.0) and off.sky.direct == (1.0, 1.0, 1.0)
    solo = gains_from_document(Document().change("fill", solo="lamps"))
    assert [any(gain.direct) for gain in solo] == [light.name == "lamps" for light in LIGHTS]


def test_tint_warmth_and_saturation_keep_the_luminance_of_the_light_they_are_for() -> None:
    from gloamet.colour.spaces import AP1_LUMINANCE

    blue = np.array([0.6, 1.0, 1.9])
    changed = Document().change(
        "fill", sun_mired=60.0, lamps_tint=(1.0, 0.2, 0.1), lamps_tint_strength=0.7, sky_saturation=0.0
    )
    gains = gains_from_document(changed, (0.6, 1.0, 1.9))
    for white in (gains.sun.direct, gains.lamps.direct):
        assert AP1_LUMINANCE @ np.array(white) == pytest.approx(
            1.0, abs=0.005
        )  # D65 is not quite white in AP1
    assert gains.sun.direct[0] > 1.05 > 0.95 > gains.sun.direct[2]  # warmer: redder
    grey = blue * np.array(gains.sky.direct)
    assert np.ptp(grey) < 1e-9 and grey[0] == pytest.approx(AP1_LUMINANCE @ blue)
    more = (
        blue
        * gains_from_document(Document().change("fill", sky_saturation=2.0), tuple(blue.tolist())).sky.direct
    )
    assert more[2] / more[1] > 1.9 and AP1_LUMINANCE @ more == pytest.approx(AP1_LUMINANCE @ blue)
