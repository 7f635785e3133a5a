# SPDX-License-Identifier: Apache-2.0
"""The sun's direction for a pin: a shadow that ends at a point, the sun at a pixel, a glint on a surface.

Points are world metres, directions unit vectors towards the sun in the scene (north not turned back); each answer
names what stands in the way.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError
from gloamet.stage.camera import Camera
from gloamet.sun.angles import azimuth_of, elevation_of
from gloamet.sun.nearest import angle_deg

if TYPE_CHECKING:
    from gloamet.trace.first_hits import SurfacePoint
    from gloamet.trace.render_scene import RenderScene

Array = NDArray[np.float64]
SHORTEST_M = 1e-3
CLEAR_SHARE = 1e-3  # of a pin's length that is left free at both of its ends
CASTER_SHARE, CASTER_M = 0.04, 0.02  # what is hit so near the casting point is the thing that casts


@dataclass(frozen=True)
class Pin:
    """A caster, and the receiver that its shadow is to reach."""

    caster: tuple[float, float, float]
    receiver: tuple[float, float, float]

    @property
    def line(self) -> Array:
        """From the receiver to the caster."""
        return np.subtract(self.caster, self.receiver).astype(float)


@dataclass(frozen=True)
class AimedSun:
    """A direction to the sun, its azimuth and height, how far each pin misses, and remarks in sentences."""

    towards: Array
    misses_deg: tuple[float, ...] = ()
    remarks: tuple[str, ...] = ()

    @property
    def azimuth_deg(self) -> float:
        """Clockwise from the scene's +Y, in [0, 360)."""
        return azimuth_of(self.towards)

    @property
    def elevation_deg(self) -> float:
        """Above the horizon."""
        return elevation_of(self.towards)


def _unit(vector: Array) -> Array:
    return np.asarray(vector / np.linalg.norm(vector))


def aim_shadows(pins: Sequence[Pin], scene: RenderScene | None = None) -> AimedSun:
    """Compute the sun direction that brings the shadow of every pin to its place.

    Several pins are solved by least squares of their misses in metres.

    Parameters
    ----------
    pins : sequence of Pin
        Shadow pins: caster and receiver.
    scene : RenderScene or None, optional
        Scene to test for parts that block the sun; None skips the test.

    Returns
    -------
    AimedSun
        The direction, the miss of each pin in degrees, and remarks.

    Raises
    ------
    GloametError
        There is no pin, a pin has no length, or pins require opposite directions.

    Examples
    --------
    >>> aimed = aim_shadows([Pin((0, 0, 2), (0, -2, 0))])
    >>> round(aimed.azimuth_deg), round(aimed.elevation_deg)
    (0, 45)
    """
    lines = [pin.line for pin in pins]
    if not lines:
        raise GloametError("There is no shadow pin: drag from a caster to where its shadow should fall.")
    if min(float(np.linalg.norm(line)) for line in lines) < SHORTEST_M:
        raise GloametError("Both ends of a shadow pin are at the same point: drag one of them away.")
    # a miss in metres is the pin's length times the sine of the angle: least for the mean of lines by their length
    total = np.sum([float(np.linalg.norm(line)) * line for line in lines], axis=0)
    if float(np.linalg.norm(total)) < 1e-9 * sum(float(line @ line) for line in lines):
        raise GloametError("The shadow pins require opposite directions: no sun fits all of them.")
    towards = _unit(total)
    misses = tuple(float(angle_deg(_unit(line), towards)) for line in lines)
    remarks = below_horizon(towards)
    if scene is not None:
        for pin in pins:
            remarks += blocking_parts(scene, pin)
    return AimedSun(towards, misses, tuple(dict.fromkeys(remarks)))


def below_horizon(towards: Array) -> tuple[str, ...]:
    """The sentence for a sun below the horizon."""
    return ("The sun would have to be below the horizon.",) if towards[2] < 0.0 else ()


def _probe(scene: RenderScene, origin: Array, towards: Array) -> SurfacePoint | None:
    """What a ray meets first; the rays are loaded only where they are needed."""
    from gloamet.trace.first_hits import probe

    return probe(scene, origin, towards)


def part_name(scene: RenderScene, hit: SurfacePoint) -> str:
    """The name of the part that was hit."""
    from gloamet.trace.first_hits import GROUND

    return "the ground" if hit.part == GROUND else f"“{scene.scene.parts[hit.part].name}”"


def blocking_parts(scene: RenderScene, pin: Pin) -> tuple[str, ...]:
    """What keeps the sun's ray from passing the caster to the receiver, in sentences."""
    length = float(np.linalg.norm(pin.line))
    towards = pin.line / length
    free = max(SHORTEST_M, CLEAR_SHARE * length)
    out: tuple[str, ...] = ()
    between = _probe(scene, np.asarray(pin.receiver) + free * towards, towards)
    if between is not None and between.distance < length - free - CASTER_M - CASTER_SHARE * length:
        out += (f"{_first_up(part_name(scene, between))} is between the two points.",)
    beyond = _probe(scene, np.asarray(pin.caster) + free * towards, towards)
    if beyond is not None and beyond.distance > 3.0 * free:
        out += (f"The caster is itself in the shadow of {part_name(scene, beyond)}.",)
    return out


def _first_up(text: str) -> str:
    return text[:1].upper() + text[1:]


def aim_frame(
    camera: Camera, x: float, y: float, aspect: float, scene: RenderScene | None = None
) -> AimedSun:
    """Compute the sun direction that puts the sun at a point of the picture.

    Parameters
    ----------
    camera : Camera
        The camera.
    x : float
        Horizontal position, fraction of the width from the left.
    y : float
        Vertical position, fraction of the height from the top.
    aspect : float
        Width over height of the picture.
    scene : RenderScene or None, optional
        Scene to test for parts that hide the disc; None skips the test.

    Returns
    -------
    AimedSun
        The direction, and remarks on what hides the disc.
    """
    towards = _unit(np.asarray(camera.ray(x, y, aspect), float))
    remarks = below_horizon(towards)
    hit = None if scene is None else _probe(scene, camera.origin(x, y, aspect), towards)
    if scene is not None and hit is not None:
        remarks += (f"The sun disc is hidden by {part_name(scene, hit)}; its glow is visible at the edge.",)
    return AimedSun(towards, (), remarks)


def aim_glint(camera: Camera, x: float, y: float, aspect: float, scene: RenderScene) -> AimedSun:
    """Compute the sun direction whose mirror image on a surface reaches the camera.

    Parameters
    ----------
    camera : Camera
        The camera.
    x : float
        Horizontal position of the surface, fraction of the width from the left.
    y : float
        Vertical position of the surface, fraction of the height from the top.
    aspect : float
        Width over height of the picture.
    scene : RenderScene
        The render scene.

    Returns
    -------
    AimedSun
        The direction of the sun.

    Raises
    ------
    GloametError
        There is no surface at that point.
    """
    origin, ray = camera.origin(x, y, aspect), _unit(np.asarray(camera.ray(x, y, aspect), float))
    hit = _probe(scene, origin, ray)
    if hit is None:
        raise GloametError("There is only sky at that point: pick the surface that should glint.")
    return mirror_direction(ray, hit.point, hit.normal, scene)


def mirror_direction(ray: Array, point: Array, normal: Array, scene: RenderScene | None = None) -> AimedSun:
    """The sun that a plane through point with this normal reflects along a ray of sight (towards the plane)."""
    n = _unit(np.asarray(normal, float))
    towards = _unit(ray - 2.0 * float(ray @ n) * n)
    remarks = below_horizon(towards)
    facing = n if float(ray @ n) < 0.0 else -n
    beyond = None if scene is None else _probe(scene, np.asarray(point) + 2e-3 * facing, towards)
    if scene is not None and beyond is not None:
        remarks += (f"{_first_up(part_name(scene, beyond))} blocks the sun from that surface.",)
    return AimedSun(towards, (), remarks)
