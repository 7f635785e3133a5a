"""The table of lights holds together: films, gains and the document's fields follow it."""

from __future__ import annotations

from gloamet.document.lights import LIGHT_LAYERS, LIGHTS, MOMENT_PLANES, TOGETHER, Gains
from gloamet.document.model import Document, FillState
from gloamet.output.document_to_picture import gains_from_document
from gloamet.trace.film import Film


def test_every_light_has_a_gain_a_field_a_layer_and_a_moment() -> None:
    assert Gains._fields == LIGHT_LAYERS
    assert {light.gain_field for light in LIGHTS} == set(FillState.model_fields)
    film = Film(4, 2)
    assert set(LIGHT_LAYERS) <= set(film.layers)
    assert set(MOMENT_PLANES) == {*LIGHT_LAYERS, TOGETHER}
    assert len(MOMENT_PLANES) == film.layers["squares"].shape[-1]


def test_a_stop_doubles_the_light_it_belongs_to() -> None:
    for light in LIGHTS:
        gains = gains_from_document(Document().change("fill", **{light.gain_field: 1.0}))
        assert getattr(gains, light.name) == 2.0
        assert sum(gains) == len(LIGHTS) + 1.0
