# SPDX-License-Identifier: Apache-2.0
"""Actions on what is metered: spots of the picture, the shadow edge near them, and where the cards are."""

from __future__ import annotations

import math

import numpy as np

from gloamet.desk.actions.stage_actions import hit_at
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.document.fill import SpotState
from gloamet.sun.angles import penumbra_m

MOST = 12
NEAREST_M = 0.02
# how far over a surface the cards are: a fraction of the distance to the eye, but no more than so many metres
CARD_OVER_M, CARD_OVER = 0.05, 0.02


def add_spot(session: Session, x: float, y: float) -> None:
    """A new spot at fractions of the picture."""
    spots = session.document.fill.spots
    if len(spots) >= MOST:
        session.noticed.emit(f"There are {MOST} spots already: remove one first.", "note")
        return
    names = {spot.name for spot in spots}
    name = next(letter for letter in "ABCDEFGHIJKLMNOP" if letter not in names)
    spot = SpotState(name=name, x=min(1.0, max(0.0, x)), y=min(1.0, max(0.0, y)))
    session.change("fill", None, spots=(*spots, spot))


def remove_spot(session: Session, index: int) -> None:
    """Take a spot away."""
    spots = session.document.fill.spots
    session.change("fill", None, spots=spots[:index] + spots[index + 1 :])


def place_cards(session: Session, x: float, y: float) -> bool:
    """Place the meter's cards on the surface at fractions of the picture; False where there is only sky."""
    camera, out = camera_from_document(session.document), session.document.output
    aspect = out.width / out.height
    hit = hit_at(session, x, y, aspect)
    if hit is None:
        return False
    point = np.asarray(hit.point, float)
    normal = np.asarray(hit.normal, float) * (-1.0 if hit.from_behind else 1.0)
    over = min(CARD_OVER_M, CARD_OVER * float(np.linalg.norm(point - np.asarray(camera.eye))))
    position = point + over * normal
    session.change("fill", None, card_position=tuple(round(float(value), 4) for value in position))
    return True


def return_cards(session: Session) -> None:
    """Return the cards to the centre of the picture."""
    session.change("fill", None, card_position=None)


def spot_penumbra_m(session: Session, spot: SpotState) -> float | None:
    """Width of the edge of shade where a spot's shade is thrown, metres; None where no sun is kept off it.

    What stands at a distance d before a disc of angle a draws an edge of 2 d tan(a / 2) across the sun's rays, and
    wider by the cosine at which they fall.
    """
    from gloamet.trace.first_hits import probe
    from gloamet.translation.document_to_light import sun_from_document

    document, compiled = session.document, session.loaded.compiled
    azimuth, elevation = sun_from_document(document)
    if compiled is None or elevation <= 0.0:
        return None
    hit = hit_at(session, spot.x, spot.y, document.output.width / document.output.height)
    if hit is None:
        return None
    a, e = math.radians(azimuth), math.radians(elevation)
    sun = np.array([math.cos(e) * math.sin(a), math.cos(e) * math.cos(a), math.sin(e)])
    cosine = float(np.asarray(hit.normal) @ sun)
    if cosine <= 1e-3:
        return None
    start = np.asarray(hit.point) + 1e-3 * np.asarray(hit.normal)
    before = probe(compiled, start, sun)
    if before is None:
        return None
    far = float(np.linalg.norm(np.asarray(before.point) - start))
    if far < NEAREST_M:  # its own fibres
        return None
    return penumbra_m(document.sun.diameter_deg, far) / cosine


def penumbra_label(session: Session, spot: SpotState) -> str:
    """Text about the shadow edge at a spot, empty where there is none."""
    width = spot_penumbra_m(session, spot)
    if width is None:
        return ""
    return f"   penumbra {1000 * width:.0f} mm" if width < 1.0 else f"   penumbra {width:.1f} m"
