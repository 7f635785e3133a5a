# SPDX-License-Identifier: Apache-2.0
"""The light layers of a scene, one row each: films, gains, files and controls follow this table.

To add one: its row and its gain here, its fields in `FillState`, its planes in `trace.film.AccumulationArrays`, and
the lines of `trace.path_tracer` that add to it. Each light has two layers: all it gives, and the part of it that has
bounced off another surface before it reached the one that is seen.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

Colour = tuple[float, float, float]
LightName = Literal["sun", "sky", "lamps", "panorama"]
EVEN: Colour = (1.0, 1.0, 1.0)


class Gain(NamedTuple):
    """Factors of one light per AP1 channel: of its direct light, and of its indirect light."""

    direct: Colour = EVEN
    indirect: Colour = EVEN

    @property
    def even(self) -> bool:
        """Whether indirect light has the gain of direct light."""
        return self.direct == self.indirect


class Gains(NamedTuple):
    """A gain for each light, in the order of their layers."""

    sun: Gain = Gain()
    sky: Gain = Gain()
    lamps: Gain = Gain()
    panorama: Gain = Gain()


UNIT_GAINS = Gains()


def even_gain(factor: float) -> Gain:
    """Make a gain with one factor for all of a light.

    Parameters
    ----------
    factor : float
        The factor.

    Returns
    -------
    Gain
        The gain.
    """
    return Gain((factor, factor, factor), (factor, factor, factor))


def even_gains(sun: float = 1.0, sky: float = 1.0, lamps: float = 1.0, panorama: float = 1.0) -> Gains:
    """Make gains with one factor per light.

    Parameters
    ----------
    sun : float, optional
        Factor of the sun.
    sky : float, optional
        Factor of the sky.
    lamps : float, optional
        Factor of the lamps.
    panorama : float, optional
        Factor of the panorama.

    Returns
    -------
    Gains
        The gains.

    Examples
    --------
    >>> even_gains(lamps=0.0).lamps.direct
    (0.0, 0.0, 0.0)
    """
    return Gains(*(even_gain(factor) for factor in (sun, sky, lamps, panorama)))


class LightLayer(NamedTuple):
    """A light: its name in films and files, its title in the interface, and the hue of its controls.

    `own_paths`: it is traced by paths of its own, apart from those that the others share. `sparse`: few paths carry
    most of its light, and denoising has to keep their mean. `relit_from_film`: it depends on neither sun nor sky, so
    that a relit picture takes it from a film of its view.
    """

    name: LightName
    title: str
    hue: str
    own_paths: bool = False
    sparse: bool = False
    relit_from_film: bool = False

    @property
    def indirect(self) -> str:
        """Name of the layer of the indirect part."""
        return f"{self.name}_indirect"

    def field(self, what: str) -> str:
        """Name of a field of `FillState` for this light."""
        return f"{self.name}_{what}"


LIGHTS = (
    LightLayer("sun", "Sun", "#f0a45c"),
    LightLayer("sky", "Sky fill", "#7fa3c7"),
    LightLayer("lamps", "Lamps", "#d9c77a", sparse=True, relit_from_film=True),
    LightLayer("panorama", "Panorama", "#a58bc2", own_paths=True),
)
LIGHT_LAYERS = tuple(light.name for light in LIGHTS)
INDIRECT_LAYERS = tuple(light.indirect for light in LIGHTS)
SHARED_PATH_LAYERS = tuple(light.name for light in LIGHTS if not light.own_paths)
# planes of a film's second moments: of each light that shares paths, of those together, of lights with their own
TOGETHER = "together"
MOMENT_PLANES = (*SHARED_PATH_LAYERS, TOGETHER, *(light.name for light in LIGHTS if light.own_paths))
MOMENT_INDEX = {name: k for k, name in enumerate(MOMENT_PLANES)}
LIGHTS_RELIT_FROM_FILM = tuple(light for light in LIGHTS if light.relit_from_film)
HUES = {light.name: light.hue for light in LIGHTS}
