# SPDX-License-Identifier: Apache-2.0
"""The open document: its history, its saved state and path, and a document that is only displayed.

Plain state without signals: `session` tells the widgets. Only this module moves the history.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from gloamet.document.file import load_document, save_document
from gloamet.document.history import History
from gloamet.document.model import Document, FieldPath
from gloamet.document.moved_files import with_found


def _stamp(path: Path | None) -> tuple[int, int] | None:
    """Time stamp and size of a file, to detect that it was written again; None where there is none."""
    try:
        found = None if path is None else path.stat()
    except OSError:
        return None
    return None if found is None else (found.st_mtime_ns, found.st_size)


class DocumentStore:
    """One project: current document, undo steps, file and title."""

    def __init__(self, document: Document, title: str = "Untitled", path: Path | None = None) -> None:
        self.history = History(document)
        self.path, self._title = path, title
        self._stamp = _stamp(path)
        self._saved = document
        self._shown: Document | None = None  # a document that is only shown, not worked on

    @property
    def current(self) -> Document:
        """The document as it is shown."""
        return self._shown or self.history.current

    @property
    def dirty(self) -> bool:
        """Whether there is something to save."""
        return self.history.current != self._saved

    @property
    def showing_only(self) -> bool:
        """Whether the current document is shown and not worked on."""
        return self._shown is not None

    @property
    def title(self) -> str:
        """What the project is called: its file's name, or the name it was started with."""
        return self.path.stem if self.path else self._title

    def show_only(self, document: Document | None) -> None:
        """Show a document without making it a step; None goes back to the one that is worked on."""
        self._shown = document

    def _end_showing(self, document: Document) -> Document:
        """Apply an edit made during a temporary display to the open document, which keeps its sun."""
        shown, self._shown = self._shown, None
        if shown is None or document.sun != shown.sun:
            return document
        return document.model_copy(update={"sun": self.history.current.sun})

    def changed(self, section: str | FieldPath, **values: Any) -> Document:
        """The current document with fields of a section replaced. Raises ValidationError for values out of range."""
        return self.current.change(section, **values)

    def commit(self, document: Document, key: str | None, finish: Callable[[Document], Document]) -> None:
        """Make a document current as one step, after a last touch; `key` joins the changes of one drag."""
        self.history.push(finish(self._end_showing(document)), key)

    def amend(self, document: Document) -> None:
        """Replace the document as part of the last step; a saved document stays saved."""
        if self._shown is not None:
            self._shown = document
            return
        was_saved = not self.dirty
        self.history.amend(document)
        if was_saved:
            self._saved = document

    def move_in_history(self, offset: int) -> None:
        """Undo (below 0) or redo so many steps."""
        self._end_showing(self.current)
        self.history.move(offset)

    def save(self, path: Path) -> None:
        """Write the project. Raises GloametError, and then changes nothing."""
        document = self.history.current
        save_document(document, path)
        self._saved, self.path = document, path.resolve()
        self._stamp = _stamp(self.path)

    def changed_outside(self) -> bool:
        """Whether the project's file is another one than was read or written last."""
        return self.path is not None and self._stamp is not None and _stamp(self.path) != self._stamp

    @property
    def saved(self) -> Document:
        """The document as its file has it, or as it was begun."""
        return self._saved

    def mark_saved(self) -> None:
        """Take the current document as saved."""
        self._saved = self.history.current


def open_store(path: Path, moved: tuple[Path, Path] | None = None) -> DocumentStore:
    """The store of a project file; moved names a file of it that is missing and where it was found, an edit to be
    saved. Raises GloametError when it cannot be read."""
    store = DocumentStore(load_document(path), path=path.resolve())
    if moved is not None:
        store.history.push(with_found(store.current, *moved))
    return store
