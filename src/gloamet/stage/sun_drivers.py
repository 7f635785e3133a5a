# SPDX-License-Identifier: Apache-2.0
"""Objects of a scene that can drive the sun: distant lights, cameras and empties, still or animated.

A placed scene, a name, an axis and a time enter; a unit vector towards the sun leaves. Objects look along their own
-Z, as cameras and lights do in open formats, with +Y up.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.scene import Motion, Scene

Axis = Literal["along", "opposite", "up"]
Array = NDArray[np.float64]


def sun_drivers(scene: Scene) -> dict[str, str]:
    """List the objects that can drive the sun.

    Parameters
    ----------
    scene : Scene
        The render scene.

    Returns
    -------
    dict of str to str
        Kind of each object by its name.
    """
    found = {lamp.name: "distant light" for lamp in scene.lamps if lamp.kind == "distant"}
    found |= dict.fromkeys(scene.views, "camera")
    found |= dict.fromkeys(scene.empties, "empty")
    return {name: f"moving {kind}" if name in scene.motions else kind for name, kind in found.items()}


def motion_span_s(scene: Scene, name: str) -> tuple[float, float]:
    """Return the time span of an object's animation.

    Parameters
    ----------
    scene : Scene
        The render scene.
    name : str
        Name of the object.

    Returns
    -------
    tuple of float
        First and last time, seconds; both 0 without animation.
    """
    motion = scene.motions.get(name)
    return (0.0, 0.0) if motion is None else (float(motion.times_s[0]), float(motion.times_s[-1]))


def _interpolate_motion(motion: Motion, time_s: float) -> tuple[Array, Array]:
    """Ahead and up between two keys."""
    times = motion.times_s
    k = int(np.clip(np.searchsorted(times, time_s, "right") - 1, 0, len(times) - 1))
    after = min(k + 1, len(times) - 1)
    gap = float(times[after] - times[k])
    fraction = 0.0 if gap <= 0.0 else min(max((time_s - float(times[k])) / gap, 0.0), 1.0)
    ahead, up = (
        (1.0 - fraction) * _unit(sign * motion.matrices[k][:3, n])
        + fraction * _unit(sign * motion.matrices[after][:3, n])
        for n, sign in ((2, -1.0), (1, 1.0))
    )
    return ahead, up


def _unit(vector: Array) -> Array:
    length = float(np.linalg.norm(vector))
    return np.asarray(vector / length if length > 1e-12 else vector, float)


def driven_direction(scene: Scene, name: str, axis: Axis, time_s: float = 0.0) -> Array:
    """Compute the sun direction that a driver sets.

    Parameters
    ----------
    scene : Scene
        The render scene.
    name : str
        Name of a light, camera or empty of the scene.
    axis : Axis
        "along": sunlight travels along its axis; "opposite": the sun stands where its axis points; "up": where
        its +Y points.
    time_s : float, optional
        Time in its animation, seconds.

    Returns
    -------
    ndarray
        Unit vector to the sun, (3,).

    Raises
    ------
    GloametError
        There is no such object, or it has no +Y axis.
    """
    ahead: Array | None = None
    up: Array | None = None
    if name in scene.motions:
        ahead, up = _interpolate_motion(scene.motions[name], time_s)
    elif name in scene.views:
        ahead, _right, up = scene.views[name].frame()
    elif name in scene.empties:
        ahead, up = -scene.empties[name][:3, 2], scene.empties[name][:3, 1]
    else:
        ahead = next((np.asarray(lamp.direction, float) for lamp in scene.lamps if lamp.name == name), None)
    if ahead is None:
        there = ", ".join(sun_drivers(scene)) or "none"
        raise GloametError(f"The model has no “{name}” to drive the sun: there are {there}.")
    if axis == "up":
        if up is None:
            raise GloametError(f"The light “{name}” has no up axis: choose Along its axis.")
        return _unit(np.asarray(up, float))
    return _unit(-ahead if axis == "along" else ahead)
