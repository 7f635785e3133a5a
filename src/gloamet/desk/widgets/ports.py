# SPDX-License-Identifier: Apache-2.0
"""Protocols of what widgets and instruments need: values, changes, and signals.

The session fulfils both; a test may use anything that has these members.
"""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Any, Protocol

if TYPE_CHECKING:
    from gloamet.document.metadata import Section
    from gloamet.document.model import Document
    from gloamet.light_layers import Gains
    from gloamet.preview.events import Frame, LightSolved, MeterRead
    from gloamet.sky.sky_palette import SkyPalette
    from gloamet.stage.scene import Scene
    from gloamet.sun.moment import Moment


class DocumentPort(Protocol):
    """A document that can be read, changed and listened to; signals carry what their names say."""

    @property
    def document(self) -> Document:
        """The current document."""

    @property
    def document_changed(self) -> Any:
        """Signal: the document."""

    @property
    def noticed(self) -> Any:
        """Signal: a sentence, and its kind, "warning" or "note"."""

    def change(self, section: Section, key: str | None = None, **values: Any) -> bool:
        """Replace fields of a section; `key` joins the changes of one drag into one undo step."""

    def end_undo_group(self) -> None:
        """A drag has ended."""


class ResultsPort(Protocol):
    """What was computed of the light, None before there is one; every signal carries its event."""

    light: LightSolved | None
    frame: Frame | None
    read: MeterRead | None
    colours: SkyPalette | None

    @property
    def light_solved(self) -> Any:
        """Signal: the light on open ground."""

    @property
    def frame_ready(self) -> Any:
        """Signal: a picture."""

    @property
    def meter_read(self) -> Any:
        """Signal: cards in the scene."""

    @property
    def disc_painted(self) -> Any:
        """Signal: the sky disc."""

    @property
    def colours_solved(self) -> Any:
        """Signal: the sky's colours through the day."""


class ScenePort(Protocol):
    """The scene of the model, and the scene as rays see it."""

    scene: Scene | None
    compiled: Any


class LightPort(DocumentPort, Protocol):
    """A document together with its model and what was computed of its light."""

    @property
    def results(self) -> ResultsPort:
        """What was computed of the light."""

    @property
    def loaded(self) -> ScenePort:
        """The model."""

    @property
    def shown_document(self) -> Document:
        """The document whose light is shown: that of a preview, else the current one."""

    def gains(self) -> Gains:
        """What the fill makes of every light now."""

    def moment(self) -> Moment:
        """The sun by the almanac at the document's clock time."""

    def go_to(self, instant: datetime, key: str | None = None) -> None:
        """Set the clock to an instant; the sun follows the almanac again."""
