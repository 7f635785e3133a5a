# SPDX-License-Identifier: Apache-2.0
"""The plain values of developing and metering have the names and neutral values of the document's fields."""

from __future__ import annotations

from dataclasses import fields

import pytest

from gloamet.develop import links
from gloamet.document import expose
from gloamet.document.model import Document
from gloamet.translation.document_to_picture import develop_settings, masks_from_document, metering_settings

PAIRS = (
    (expose.GlareState, links.Glare),
    (expose.ToneState, links.Tone),
    (expose.HueBand, links.HueBand),
    (expose.ColourState, links.ColourGrade),
    (expose.MaskState, links.Mask),
    (expose.LensState, links.Lens),
)


@pytest.mark.parametrize(("state", "link"), PAIRS, ids=lambda kind: kind.__name__)
def test_a_link_has_the_fields_and_neutral_values_of_the_document(state: type, link: type) -> None:
    plain, neutral = state(), link()
    assert [field.name for field in fields(link)] == list(state.model_fields)  # type: ignore[attr-defined]
    for name in state.model_fields:  # type: ignore[attr-defined]
        if name != "bands":
            assert getattr(neutral, name) == getattr(plain, name), name


def test_every_link_of_a_document_reaches_its_settings() -> None:
    document = (
        Document()
        .change("expose.glare", glow=7.0)
        .change("expose.tone", contrast=0.3)
        .change("expose.colour", vibrance=0.2)
        .change("expose.lens", grain=0.4)
        .change("expose", masks=(expose.MaskState(name="door", exposure=1.5),))
    )
    band = document.expose.colour.bands[0].model_copy(update={"hue": 12.0})
    document = document.change("expose.colour", bands=(band, *document.expose.colour.bands[1:]))
    settings = develop_settings(document, 11.0)
    assert (settings.glare.glow, settings.tone.contrast) == (7.0, 0.3)
    assert (settings.colour.vibrance, settings.colour.bands[0].hue, settings.lens.grain) == (0.2, 12.0, 0.4)
    assert [(mask.name, mask.exposure) for mask in settings.masks] == [("door", 1.5)]
    assert settings == develop_settings(document, 11.0) and masks_from_document(document) == settings.masks


def test_metering_takes_mode_spot_clipping_and_view() -> None:
    document = Document().change(
        "expose", metering="spot", ev=9.0, spot_x=0.2, spot_y=0.7, allowed_clipping=3.0
    )
    assert metering_settings(document.expose) == ("spot", 9.0, 0.2, 0.7, 3.0, document.expose.view)
