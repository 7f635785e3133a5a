# SPDX-License-Identifier: Apache-2.0
"""Opening a project whose model, panorama or look-up table has moved: asks for the file.

A path of a project enters; the session opens it, at once or when the artist has shown where its files are.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from gloamet.desk.state.session import Session
from gloamet.desk.widgets.notice import Notice
from gloamet.document.file import load_document
from gloamet.document.moved_files import missing_files, with_found
from gloamet.errors import GloametError


class MovedFiles:
    """Asks through the notice and a file dialog over the window."""

    def __init__(self, session: Session, notice: Notice, window: QWidget) -> None:
        self.session, self.notice, self.window = session, notice, window

    def open_project(self, path: Path) -> None:
        """Open a project; without its model it waits until the file is found, and the open project stays."""
        try:
            document = load_document(path)
        except GloametError as error:
            self.session.noticed.emit(str(error), "warning")
            return
        missing = missing_files(document)
        if missing and str(missing[0]) == document.stage.scene_file:
            self._offer(path.name, missing[0], partial(self._open_with, path, missing[0]))
        elif self.session.open_project(path):
            self.offer_others()

    def offer_others(self) -> None:
        """Ask for a missing panorama or look-up table of the open project."""
        missing = missing_files(self.session.document)
        if missing:
            self._offer(self.session.title, missing[0], partial(self._take, missing[0]))

    def _offer(self, title: str, missing: Path, act: partial[None]) -> None:
        message = f"{title} needs {missing.name}, which is no longer in {missing.parent}."
        self.notice.offer(message, "Find …", act, missing.name)

    def _asked(self, missing: Path) -> Path | None:
        start = next((str(p) for p in missing.parents if p.is_dir()), "")
        kind = f"{missing.name} (*{missing.suffix});;All files (*)"
        name, _ = QFileDialog.getOpenFileName(self.window, f"Where is {missing.name}?", start, kind)
        return Path(name).resolve() if name else None

    def _open_with(self, path: Path, missing: Path) -> None:
        found = self._asked(missing)
        if found is not None and self.session.open_project(path, (missing, found)):
            self.offer_others()

    def _take(self, missing: Path) -> None:
        found = self._asked(missing)
        if found is not None:
            self.session.commit(with_found(self.session.document, missing, found))
            self.offer_others()
