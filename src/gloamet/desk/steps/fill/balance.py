"""Balance: key to fill, and a row for every light."""

from __future__ import annotations

from gloamet.desk.session import Session
from gloamet.desk.steps.fill.ratio import RatioControl
from gloamet.desk.steps.fill.source import SourceRow, changed_fields
from gloamet.desk.widgets.basic import FormPanel, label, link, pair
from gloamet.document.lights import LIGHTS
from gloamet.document.model import Document
from gloamet.preview.events import SourcePictures


class BalancePage(FormPanel):
    """The ratio and the lights."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.group("Key to fill")
        self.ratio = RatioControl(session)
        self.add(self.ratio)
        self.group("Lights")
        self.rows = {light.name: SourceRow(session, light) for light in LIGHTS}
        for row in self.rows.values():
            self.add(row)
        self.reset = link("all as nature gives", "Every light back to what it is.", self._reset)
        self.add(pair(label(""), self.reset))
        self.finish()
        session.source_pictures.connect(self._on_source_pictures)
        session.scene_loaded.connect(lambda _: self._on_document_changed(session.document))
        session.document_changed.connect(self._on_document_changed)
        self._on_document_changed(session.document)
        if session.sources is not None:
            self._on_source_pictures(session.sources)

    def _on_source_pictures(self, pictures: SourcePictures) -> None:
        for row in self.rows.values():
            row.show_picture(pictures)

    def _changed(self, document: Document) -> dict[str, object]:
        fields: dict[str, object] = {} if not document.fill.solo else {"solo": ""}
        for light in LIGHTS:
            fields |= changed_fields(document.fill, light)
        return fields

    def _reset(self) -> None:
        self.session.change("fill", None, **self._changed(self.session.document))

    def _on_document_changed(self, document: Document) -> None:
        compiled = self.session.compiled
        self.rows["lamps"].setVisible(compiled is not None and len(compiled.lamps) > 0)
        self.rows["panorama"].setVisible(bool(document.panorama.file))
        self.reset.setVisible(bool(self._changed(document)))
