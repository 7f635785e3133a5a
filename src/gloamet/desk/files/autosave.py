# SPDX-License-Identifier: Apache-2.0
"""Autosave: unsaved edits are written every few seconds to the user's state folder.

Each window has a folder of its own there, locked as long as it lives. A folder nobody holds is of a program that ended
without a word: its document is offered at the next start.
"""

from __future__ import annotations

import shutil
import uuid
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple

from PySide6.QtCore import QObject, QTimer

from gloamet.desk.state.document_store import DocumentStore
from gloamet.desk.state.file_lock import locked
from gloamet.desk.state.session import Session
from gloamet.document.file import document_from_tree, document_tree, read_tree, write_json
from gloamet.document.model import Document
from gloamet.errors import GloametError

EVERY_MS = 20_000
WORK, ABOUT, LOCK = "work.gloamet", "about.json", "lock"


class Left(NamedTuple):
    """A document that was left behind: its folder, title, the file it belongs to, and when it was written."""

    folder: Path
    title: str
    project: Path | None
    when: datetime


def state_folder() -> Path:
    """Where the documents of open windows are."""
    from platformdirs import user_state_path

    return user_state_path("gloamet") / "open"


class Autosave(QObject):
    """Writes a session's document while it has edits that are not saved."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.folder = state_folder() / uuid.uuid4().hex
        self._lock: Any = None
        self._written: tuple[Document, str] | None = None
        self._timer = QTimer(self, interval=EVERY_MS)
        self._timer.timeout.connect(self.write)
        self._timer.start()

    def write(self) -> bool:
        """Write the document if it has edits that neither the project nor this folder has; whether it did."""
        session = self.session
        document = session.history.current
        if not session.dirty:
            self.forget()
            return False
        if self._written is not None and self._written[0] is document:
            return False
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            if self._lock is None:
                self._lock = locked(self.folder / LOCK)
            tree = document_tree(document, self.folder)
            about = {
                "title": session.title,
                "project": str(session.path) if session.path else "",
                "when": datetime.now().isoformat(timespec="seconds"),
            }
            write_json(self.folder / ABOUT, about)
            write_json(self.folder / WORK, tree)
        except (OSError, GloametError):
            return False  # a full disk must not stop the work; the next try comes in a moment
        self._written = (document, session.title)
        return True

    def forget(self) -> None:
        """Nothing is at stake: take the folder away."""
        self._written = None
        if self._lock is not None:
            self._lock.close()
            self._lock = None
        shutil.rmtree(self.folder, ignore_errors=True)

    def close(self) -> None:
        """The window closes in order."""
        self._timer.stop()
        self.forget()


def left_behind() -> list[Left]:
    """Documents of programs that ended without closing their windows, newest first."""
    found, root = [], state_folder()
    for folder in sorted(root.iterdir()) if root.is_dir() else ():
        lock = locked(folder / LOCK)
        if lock is None:
            continue  # another window has it
        lock.close()
        try:
            about = read_tree(folder / ABOUT, "what a window holds")
            read_tree(folder / WORK, "a project")
            project = Path(about["project"]) if about.get("project") else None
            found.append(Left(folder, str(about["title"]), project, datetime.fromisoformat(about["when"])))
        except (GloametError, KeyError, ValueError, TypeError):
            shutil.rmtree(folder, ignore_errors=True)  # nothing whole was written yet
    return sorted(found, key=lambda left: left.when, reverse=True)


def take_up(left: Left) -> DocumentStore:
    """The document of a window that was lost, with its edits unsaved. Raises GloametError when it cannot be read."""
    tree = read_tree(left.folder / WORK, "a project")
    document = document_from_tree(tree, left.folder / WORK)
    store = DocumentStore(Document(), left.title, left.project)
    store.history.push(document)
    return store


def drop(left: Left) -> None:
    """Let a lost document go."""
    shutil.rmtree(left.folder, ignore_errors=True)
