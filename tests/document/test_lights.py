"""The table of lights holds together: films, gains and the document's fields follow it."""

from __future__ import annotations

from gloamet.document.lights import LIGHT_LAYERS, LIGHTS, Gains
from gloamet.document.model import Document, FillState
from gloamet.output.document_to_picture import gains_from_document
from gloamet.trace.film import COMBINED_MOMENT_INDEX, SECOND_MOMENT_INDEX, Film


def test_every_light_has_a_gain_a_field_a_layer_and_a_moment() -> None:
    assert Gains._fields == LIGHT_LAYERS
    assert {light.gain_field for light in LIGHTS} == set(FillState.model_fields)
    film = Film(4, 2)
    assert set(LIGHT_LAYERS) <= set(film.layers)
    planes = [*SECOND_MOMENT_INDEX.values(), COMBINED_MOMENT_INDEX]
    assert sorted(planes) == list(range(film.layers["squares"].shape[-1]))
    # the integrator's own order: sun, sky, lamps, their sum, then the panorama
    assert [SECOND_MOMENT_INDEX[name] for name in LIGHT_LAYERS] == [0, 1, 2, 4] and COMBINED_MOMENT_INDEX == 3


def test_a_stop_doubles_the_light_it_belongs_to() -> None:
    for light in LIGHTS:
        gains = gains_from_document(Document().change("fill", **{light.gain_field: 1.0}))
        assert getattr(gains, light.name) == 2.0
        assert sum(gains) == len(LIGHTS) + 1.0
