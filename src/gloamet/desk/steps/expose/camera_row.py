# SPDX-License-Identifier: Apache-2.0
"""One of aperture, shutter and ISO: fixed, or computed from the exposure; in thirds of a stop."""

from __future__ import annotations

import math
from dataclasses import dataclass

from gloamet.desk.state.session import Session
from gloamet.desk.widgets.document_fields import NumberField
from gloamet.desk.widgets.follow import follow
from gloamet.desk.widgets.number import NumberRow
from gloamet.document.metadata import field_range
from gloamet.document.model import Document
from gloamet.document.parsing import read_number
from gloamet.errors import GloametError
from gloamet.meter.camera_settings import CameraSettings, Which, following, in_thirds, thirds_away, written

TITLES = {"f_number": "Aperture", "shutter_s": "Shutter", "iso": "ISO"}


def camera_of(document: Document, ev: float) -> CameraSettings:
    """Aperture, shutter and ISO of a document at an EV100, the one that follows with it."""
    e = document.expose
    camera = CameraSettings(e.f_number, e.shutter_s, e.iso)
    return camera._replace(**{e.dependent_setting: following(camera, e.dependent_setting, ev)})


def read_setting(text: str, which: Which) -> float:
    """A setting as it is written on a camera: "f/8", "1/125", "ISO 400", "2 s". Raises GloametError."""
    bare = text.strip().lower().removeprefix("f/").removeprefix("iso").removesuffix("s").strip()
    if which == "shutter_s" and "/" in bare:
        over, _, under = bare.partition("/")
        below = read_number(under, "")
        if below <= 0.0:
            raise GloametError(f"{text.strip()} is not a shutter time: write it like 1/125 or 2.")
        return read_number(over, "") / below
    return read_number(bare, "")


@dataclass(frozen=True)
class CameraField(NumberField):
    """A setting shown as on a camera; the one that follows is computed from the exposure of the picture."""

    which: Which = "f_number"
    session: Session | None = None

    def value(self, document: Document) -> float:
        """The setting, held or following."""
        frame = self.session.results.frame if self.session is not None else None
        ev = frame.ev if frame is not None else document.expose.ev
        return float(getattr(camera_of(document, ev), self.which))

    def text(self, value: float, unit: bool = True) -> str:
        """As it is written on a camera."""
        return written(value, self.which)

    def parse(self, text: str) -> float:
        """What was typed."""
        return read_setting(text, self.which)


class CameraRow(NumberRow):
    """The row of one setting."""

    def __init__(self, session: Session, which: Which) -> None:
        field = CameraField("expose", which, *field_range("expose", which), which=which, session=session)
        self.which, self.picture = which, session
        super().__init__(
            session, "expose", which, TITLES[which], logarithmic=True, field=field, write=self._take
        )
        follow(self, session.results.frame_ready, lambda _: self._on_document_changed(session.document))

    def _take(self, value: float, key: str | None) -> None:
        """A setting that is held moves the one that follows; that one sets the exposure itself."""
        document = self.session.document
        now = self.field.value(document)
        near = in_thirds(value, self.which)
        if math.isclose(near, in_thirds(now, self.which), rel_tol=1e-6) and value != now:
            near = thirds_away(now, self.which, 1 if value > now else -1)
        held = min(max(near, self.field.low), self.field.high)
        if self.which != document.expose.dependent_setting:
            self.session.change("expose", key, **{self.which: held})
            return
        frame = self.picture.results.frame
        camera = camera_of(document, frame.ev if frame is not None else document.expose.ev)
        ev = round(camera._replace(**{self.which: held}).ev, 2)
        self.session.change("expose", key, metering="manual", ev=min(max(ev, -8.0), 22.0))
