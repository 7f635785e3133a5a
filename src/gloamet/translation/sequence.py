# SPDX-License-Identifier: Apache-2.0
"""A sequence as documents: between two moments, or along the animation of the sun's driver.

A document, and for a motion its placed scene, enter; one document for each picture leaves, in order.
"""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.scene import Scene
from gloamet.stage.sun_drivers import driven_direction, motion_span_s
from gloamet.sun.angles import azimuth_of, elevation_of
from gloamet.sun.site import read_clock, resolve_zone


def easing_curve(count: int, easing: str) -> NDArray[np.float64]:
    """Shares 0..1 of the way, one for each of `count` pictures.

    >>> easing_curve(3, "gentle").tolist()
    [0.0, 0.5, 1.0]
    """
    t = np.linspace(0.0, 1.0, count)
    return t * t * (3.0 - 2.0 * t) if easing == "gentle" else t


def drive_sun(document: Document, scene: Scene) -> Document:
    """Set the sun of a document by its driver.

    Parameters
    ----------
    document : Document
        The document.
    scene : Scene
        The render scene.

    Returns
    -------
    Document
        The document; unchanged without a driver.
    """
    sun = document.sun
    if sun.mode != "driver" or not sun.driver:
        return document
    towards = driven_direction(scene, sun.driver, sun.driver_axis, sun.driver_time_s)
    azimuth, elevation = (azimuth_of(towards) - sun.north_deg) % 360.0, max(elevation_of(towards), -20.0)
    return document.change("sun", azimuth_deg=azimuth, elevation_deg=elevation)


def sequence_documents(document: Document, scene: Scene | None = None) -> tuple[Document, ...]:
    """Make the documents of a sequence.

    Parameters
    ----------
    document : Document
        The document.
    scene : Scene or None, optional
        The scene, for an animated driver.

    Returns
    -------
    tuple of Document
        One document per frame.

    Raises
    ------
    GloametError
        An end is missing, both ends are equal, or nothing moves.
    """
    sequence = document.sequence
    fractions = easing_curve(sequence.frames, sequence.easing)
    if sequence.along == "motion":
        if scene is None or not document.sun.driver:
            raise GloametError("A sequence along an animation needs a driver: choose one under Manual.")
        first, last = motion_span_s(scene, document.sun.driver)
        if last <= first:
            raise GloametError(f"“{document.sun.driver}” is not animated: use clock time instead.")
        times = first + fractions * (last - first)
        return tuple(
            drive_sun(_with_sun(document, mode="driver", driver_time_s=float(t)), scene) for t in times
        )
    if sequence.start is None or sequence.end is None:
        raise GloametError("The sequence needs a start and an end: set both.")
    zone = resolve_zone(document.site.timezone)
    a, b = (read_clock(end, zone).instant.timestamp() for end in (sequence.start, sequence.end))
    if a == b:
        raise GloametError("Start and end of the sequence are the same moment: move one of them.")
    instants = [datetime.fromtimestamp(round(a + s * (b - a)), UTC).astimezone(zone) for s in fractions]
    return tuple(
        _with_sun(document, mode="almanac", wall_time=instant.replace(tzinfo=None)) for instant in instants
    )


def _with_sun(document: Document, **values: object) -> Document:
    """The document with another sun; thousands are made at once, of values that need no check."""
    return document.model_copy(update={"sun": document.sun.model_copy(update=values)})
