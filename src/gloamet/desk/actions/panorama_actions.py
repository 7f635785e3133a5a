# SPDX-License-Identifier: Apache-2.0
"""Actions on the sun of a panorama: use it, match the physical sun, rotate, remove, compensate."""

from __future__ import annotations

import math

import numpy as np

from gloamet.desk.state.session import Session
from gloamet.document.metadata import field_range
from gloamet.preview.events import PanoramaSolved
from gloamet.sun.angles import azimuth_elevation


def _sun(session: Session) -> tuple[float, float]:
    """Azimuth and elevation of the sun in the scene, degrees."""
    from gloamet.translation.document_to_light import sun_from_document

    return sun_from_document(session.document)


def _solved(session: Session) -> PanoramaSolved | None:
    """The solved panorama; a notice where there is none."""
    solved = session.results.light.panorama if session.results.light is not None else None
    if solved is None or solved.sun_deg is None or solved.file_sun_deg is None:
        session.noticed.emit("The sun of the panorama is unknown: pick it in the picture first.", "note")
        return None
    return solved


def _place(solved: PanoramaSolved) -> dict[str, float | bool]:
    """Fields that keep the sun's place in its file."""
    assert solved.file_sun_deg is not None
    azimuth, elevation = solved.file_sun_deg
    return {"sun_found": True, "sun_azimuth_deg": azimuth % 360.0, "sun_elevation_deg": elevation}


def use_file(session: Session, name: str) -> None:
    """Light the scene by a file too, or by none; its own sun is another one then."""
    session.change("panorama", None, file=name, sun_found=False, locked_to_sun=False)


def confirm_sun(session: Session) -> None:
    """Keep the place where the sun was found."""
    if (solved := _solved(session)) is not None:
        session.change("panorama", None, **_place(solved))


def pick_sun(session: Session, towards: np.ndarray) -> None:
    """Set the panorama's sun to a direction of the scene, in the panorama's present orientation."""
    from gloamet.translation.document_to_panorama import light_options

    solved = session.results.light.panorama if session.results.light is not None else None
    if solved is None:
        return
    azimuth, elevation = azimuth_elevation(towards)
    placing = light_options(session.document.panorama).placing._replace(rotation_deg=solved.rotation_deg)
    of_file = placing.to_file(azimuth, elevation)
    low = field_range("panorama", "sun_elevation_deg").low
    if of_file[1] < low:
        session.noticed.emit("That is below the horizon of the panorama: click on its sun.", "note")
        return
    session.change(
        "panorama", None, sun_found=True, sun_azimuth_deg=of_file[0] % 360.0, sun_elevation_deg=of_file[1]
    )


def match_sun(session: Session) -> None:
    """Move the physical sun to the panorama's sun, as a manual sun."""
    if (solved := _solved(session)) is None:
        return
    assert solved.sun_deg is not None
    azimuth, elevation = solved.sun_deg
    north = session.document.sun.north_deg
    document = session.document.change("panorama", **_place(solved))
    session.commit(
        document.change(
            "sun", mode="manual", azimuth_deg=(azimuth - north) % 360.0, elevation_deg=max(-20.0, elevation)
        )
    )


def match_moment(session: Session) -> None:
    """Date and time of this year at which the real sun comes nearest to the panorama's."""
    from gloamet.sun.nearest import nearest_moments
    from gloamet.sun.site import resolve_zone

    if (solved := _solved(session)) is None:
        return
    assert solved.sun_deg is not None
    site, sun = session.document.site, session.document.sun
    azimuth, elevation = solved.sun_deg
    zone = resolve_zone(site.timezone)
    found = nearest_moments(
        (azimuth - sun.north_deg) % 360.0,
        elevation,
        sun.wall_time.year,
        site.latitude_deg,
        site.longitude_deg,
        zone,
        most=1,
    )
    if not found:
        session.noticed.emit("The real sun is never that low here: use Match sun instead.", "note")
        return
    best = found[0]
    document = session.document.change("panorama", **_place(solved))
    wall = best.when.replace(tzinfo=None)
    session.commit(document.change("sun", mode="almanac", wall_time=wall))
    session.noticed.emit(
        f"{wall:%d %B %H:%M}: the real sun is {best.error_deg:.1f}° from the sun of the panorama.", "note"
    )


def turn_to_sun(session: Session) -> None:
    """Turn the panorama until its sun has the physical one's azimuth."""
    if (solved := _solved(session)) is None:
        return
    assert solved.sun_deg is not None
    azimuth, _elevation = _sun(session)
    turn = session.document.panorama.rotation_deg + azimuth - solved.sun_deg[0]
    session.change("panorama", None, rotation_deg=_wrapped(turn), **_place(solved))


def turn_to(session: Session, rotation_deg: float, key: str | None) -> None:
    """Turn the panorama by hand; where sun and panorama are locked, the sun turns with it, free of the almanac."""
    document, p = session.document, session.document.panorama
    light = session.results.light
    if not (p.locked_to_sun and p.sun_found) or light is None or light.panorama is None:
        session.change("panorama", key, rotation_deg=rotation_deg)
        return
    moved = rotation_deg - p.rotation_deg
    azimuth, elevation = _sun(session)
    free = {
        "mode": "manual",
        "azimuth_deg": (azimuth - document.sun.north_deg + moved) % 360.0,
        "elevation_deg": max(-20.0, elevation),
    }
    session.commit(document.change("panorama", rotation_deg=rotation_deg).change("sun", **free), key)


def give_to_sun(session: Session) -> None:
    """The physical sun gets as much light as was lifted out of the panorama."""
    light = session.results.light
    solved = light.panorama if light is not None else None
    if light is None or solved is None or solved.removed_lx <= 0.0:
        return
    nature = light.natural.sun_horizontal_lx
    if nature <= 0.0:
        session.noticed.emit("The physical sun is below the horizon: match it first.", "note")
        return
    stops = math.log2(solved.removed_lx / nature)
    reach = field_range("fill", "sun_stops")
    if not reach.low <= stops <= reach.high:
        session.noticed.emit("That is beyond the range of the sun gain: set the gain manually.", "note")
        return
    session.change("fill", None, sun_stops=stops)


def _wrapped(rotation_deg: float) -> float:
    return (rotation_deg + 180.0) % 360.0 - 180.0
