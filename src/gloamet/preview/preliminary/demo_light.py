# SPDX-License-Identifier: Apache-2.0
"""What a demo ships for its first pictures beside its layers: indirect light for some suns, and its own air.

Planes are small: irradiance by bounces of the sun per irradiance of a plane that faces it, and the sky's light relative
to that of the shipped layers. A direction of the sun enters; planes of the picture's size leave. The air of the demo's
own moment is two colours, by Koschmieder's law.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.demo import FOLDER

Floats = NDArray[np.float32]
LEAST_ALBEDO = 0.04  # to which irradiances of dark surfaces refer
NEAREST = 4  # suns that are mixed
WEIGHT_POWER = 2.0  # of the inverse angle
MOST_FACTOR = 2.0  # by which the sky's light is moved at most, either way


class DemoLight(NamedTuple):
    """suns (n, 3): directions; sun (n, h, w, 3): indirect irradiance as a fraction; sky (n, h, w, 3): light of the sky
    over that of the shipped layer, per horizontal illuminance. extinction_per_km (3,) of the air at the ground and
    airlight (3,), the horizon behind the view in AP1 cd/m2, are those of the demo's own moment."""

    suns: NDArray[np.float32]
    sun: NDArray[np.float16]
    sky: NDArray[np.float16]
    extinction_per_km: NDArray[np.float32]
    airlight: NDArray[np.float32]


def light_file(demo: str) -> Path:
    """The file of a demo's light."""
    return FOLDER / f"{demo}_light.npz"


@lru_cache(maxsize=1)
def demo_light(demo: str) -> DemoLight:
    """Read what a demo ships.

    Parameters
    ----------
    demo : str
        A key of `TITLES`.

    Returns
    -------
    DemoLight
        Its planes and its air.
    """
    with np.load(light_file(demo)) as stored:
        return DemoLight(*(stored[name] for name in DemoLight._fields))


def _weights(suns: Floats, direction: NDArray) -> Floats:
    """How much each shipped sun counts, (n,), of sum 1."""
    angle = np.arccos(np.clip(suns @ direction, -1.0, 1.0)) + 0.02
    weights = angle**-WEIGHT_POWER - np.sort(angle**-WEIGHT_POWER)[-NEAREST - 1]
    weights = np.maximum(weights, 0.0)
    return np.asarray(weights / weights.sum(), np.float32)


def _enlarged(plane: NDArray, shape: tuple[int, int]) -> Floats:
    """A plane (h, w, 3) at another size, bilinearly."""

    def along(values: NDArray, many: int) -> NDArray:
        """Interpolate along the first axis."""
        few = values.shape[0]
        position = np.clip((np.arange(many) + 0.5) * few / many - 0.5, 0.0, few - 1.0)
        low = np.minimum(position.astype(int), few - 2)
        part = (position - low).astype(np.float32)[:, None, None]
        return values[low] * (1 - part) + values[low + 1] * part

    return np.asarray(along(along(plane, shape[0]).swapaxes(0, 1), shape[1]).swapaxes(0, 1), np.float32)


def indirect_planes(shipped: DemoLight, direction: NDArray, shape: tuple[int, int]) -> tuple[Floats, Floats]:
    """Mix the shipped planes for a sun.

    Parameters
    ----------
    shipped : DemoLight
        Planes of some suns.
    direction : ndarray
        Unit vector towards the sun, (3,); one below the horizon counts as on it.
    shape : tuple of int
        Height and width of the picture.

    Returns
    -------
    tuple of ndarray
        Indirect irradiance by the sun as a fraction of its own, and the factor of the sky layer, (H, W, 3) each.
    """
    raised = np.array([direction[0], direction[1], max(float(direction[2]), 0.0)])
    weights = _weights(shipped.suns, raised / np.linalg.norm(raised))
    used = np.flatnonzero(weights)
    sun, sky = (
        np.einsum("n,nhwc->hwc", weights[used], planes[used].astype(np.float32))
        for planes in (shipped.sun, shipped.sky)
    )
    # a mirror, or leaves before the sky, would bleed into what is beside them
    return _enlarged(sun, shape), _enlarged(np.clip(sky, 1.0 / MOST_FACTOR, MOST_FACTOR), shape)


def through_own_air(picture: Floats, depth: Floats, light: DemoLight) -> Floats:
    """See a demo's own picture through the air of its own moment.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    depth : ndarray
        Distance of each pixel in metres, 0 for sky, (H, W).
    light : DemoLight
        What the demo ships.

    Returns
    -------
    ndarray
        Light, AP1 cd/m², (H, W, 3).
    """
    lost = 1.0 - np.exp(-light.extinction_per_km * (depth[..., None] / np.float32(1000.0)))
    return np.asarray(picture + (light.airlight - picture) * lost, np.float32)
