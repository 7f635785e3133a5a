"""The lights of a scene whose layers are kept apart, a row for each: films, gains, files and controls follow them.

To add one: its row and its gain here, the gain's field in `FillState`, its plane in `trace.film.FilmArrays`, and the
line of `trace.path_tracer` that adds to it.
"""

from __future__ import annotations

from typing import NamedTuple


class Gains(NamedTuple):
    """A factor for each light, in the order of their layers."""

    sun: float = 1.0
    sky: float = 1.0
    lamps: float = 1.0
    panorama: float = 1.0


class LightLayer(NamedTuple):
    """A light: its name in films and files, the artist's word, its field of `FillState` in stops, the hue of its
    controls, whether it is traced by paths of its own, apart from those that the others share, and whether few paths
    carry most of its light, so that denoising must not lose it."""

    name: str
    title: str
    gain_field: str
    hue: str
    own_paths: bool = False
    sparse: bool = False


LIGHTS = (
    LightLayer("sun", "Sun", "sun_stops", "#f0a45c"),
    LightLayer("sky", "Sky fill", "sky_stops", "#7fa3c7"),
    LightLayer("lamps", "Lamps", "lamps_stops", "#d9c77a", sparse=True),
    LightLayer("panorama", "Panorama", "panorama_stops", "#a58bc2", own_paths=True),
)
LIGHT_LAYERS = tuple(light.name for light in LIGHTS)
SHARED_PATH_LAYERS = tuple(light.name for light in LIGHTS if not light.own_paths)
# planes of a film's second moments: of each light that shares paths, of those together, of lights with their own
TOGETHER = "together"
MOMENT_PLANES = (*SHARED_PATH_LAYERS, TOGETHER, *(light.name for light in LIGHTS if light.own_paths))
MOMENT_INDEX = {name: k for k, name in enumerate(MOMENT_PLANES)}
HUES = {light.name: light.hue for light in LIGHTS}
