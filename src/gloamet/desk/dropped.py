# SPDX-License-Identifier: Apache-2.0
"""A file dropped on the window goes where it belongs, by its ending; a saved one is shown in the desktop."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PIL import Image
from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices

from gloamet.desk.actions.expose_actions import use_table
from gloamet.desk.actions.panorama_actions import use_file
from gloamet.desk.actions.sun_actions import site_fields
from gloamet.document.file import ENDING
from gloamet.document.looks import ENDING as LOOK_ENDING
from gloamet.document.looks import apply_look, read_look
from gloamet.errors import GloametError
from gloamet.stage.readers import ENDINGS
from gloamet.sun.site import check_coordinates, zone_name_at

if TYPE_CHECKING:
    from gloamet.desk.state.session import Session

TABLE_ENDING = ".cube"
PANORAMA_ENDINGS = (".exr", ".hdr")
PHOTO_ENDINGS = (".jpg", ".jpeg", ".png", ".tif", ".tiff")
# tags of Exif 2.32 (CIPA DC-008)
_EXIF, _GPS, _TAKEN, _LATITUDE_REF, _LONGITUDE_REF = 0x8769, 0x8825, 0x9003, 1, 3


def _degrees(gps: dict[int, Any], reference: int) -> float:
    """An angle of a photo: the letter of its side, and degrees, minutes and seconds in the tag after it."""
    d, m, s = (float(value) for value in gps[reference + 1])
    return (d + m / 60.0 + s / 3600.0) * (-1.0 if str(gps[reference]) in "SW" else 1.0)


def photo_facts(path: Path) -> tuple[datetime | None, tuple[float, float] | None]:
    """Clock time and coordinates that a photo was taken at, None where it does not say. Raises GloametError for a file
    that is no picture."""
    try:
        with Image.open(path) as picture:
            exif = picture.getexif()
            taken, gps = exif.get_ifd(_EXIF).get(_TAKEN), exif.get_ifd(_GPS)
    except OSError as error:
        raise GloametError(f"{path.name} could not be read as a picture ({error}).") from None
    try:
        when = datetime.strptime(str(taken), "%Y:%m:%d %H:%M:%S") if taken else None
        site = check_coordinates(_degrees(gps, _LATITUDE_REF), _degrees(gps, _LONGITUDE_REF)) if gps else None
    except (KeyError, ValueError, TypeError, ZeroDivisionError, GloametError):
        raise GloametError(f"{path.name} holds a time or a position that cannot be read.") from None
    return when, site


def _take_photo(session: Session, path: Path) -> None:
    """Move clock and site to those of a photo."""
    try:
        when, site = photo_facts(path)
        zone = zone_name_at(*site) if site is not None else ""
    except GloametError as error:
        session.noticed.emit(str(error), "warning")
        return
    if when is None and site is None:
        session.noticed.emit(
            f"{path.name} says neither when nor where it was taken: nothing has changed.", "note"
        )
        return
    document, taken = session.document, []
    if site is not None:
        document = document.change("site", **site_fields(*site, zone))
        taken.append("site")
    if when is not None:
        document = document.change("sun", wall_time=when, mode="almanac")
        taken.append("clock")
    session.commit(document)
    session.noticed.emit(f"Took {' and '.join(taken)} from {path.name}.", "note")


def take_file(session: Session, path: Path, open_file: Callable[[Path], None]) -> None:
    """Open a project or model, light with a panorama, apply a look or a colour table, take a photo's time and site;
    `open_file` opens the first two."""
    ending = path.suffix.lower()
    if path.name.lower().endswith(LOOK_ENDING):
        try:
            session.commit(apply_look(session.document, read_look(path)))
        except GloametError as error:
            session.noticed.emit(str(error), "warning")
            return
        session.noticed.emit(f"Applied the look {path.name.removesuffix(LOOK_ENDING)}.", "note")
    elif ending in PANORAMA_ENDINGS:
        use_file(session, str(path))
        session.noticed.emit(f"{path.name} lights the scene: its settings are in Fill, Panorama.", "note")
    elif ending in PHOTO_ENDINGS:
        _take_photo(session, path)
    elif ending == TABLE_ENDING:
        if use_table(session, str(path)):
            session.noticed.emit(f"{path.name} is applied to the finished colours: Expose, Colour.", "note")
    elif ending == ENDING or ending in ENDINGS:
        open_file(path)
    else:
        session.noticed.emit(
            f"{path.name} has no use here: drop a project ({ENDING}), a model ({', '.join(ENDINGS)}), "
            f"a panorama ({', '.join(PANORAMA_ENDINGS)}), a look ({LOOK_ENDING}), a colour table ({TABLE_ENDING}) "
            f"or a photo ({', '.join(PHOTO_ENDINGS)}).",
            "warning",
        )


def show_file(path: Path) -> None:
    """Open a file or a folder with the desktop's own program."""
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
