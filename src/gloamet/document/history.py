# SPDX-License-Identifier: Apache-2.0
"""Undo and redo: documents are immutable, so history is a list of them.

Changes of one drag share a key and make one step.
"""

from __future__ import annotations

from gloamet.document.model import Document

LIMIT = 500


class History:
    """The documents before and after the current one."""

    def __init__(self, document: Document) -> None:
        self._current = document
        self._before: list[Document] = []
        self._after: list[Document] = []
        self._key: str | None = None

    @property
    def current(self) -> Document:
        """The document that is worked on."""
        return self._current

    def amend(self, document: Document) -> None:
        """Make `document` current as part of the step before."""
        self._current = document

    def earlier(self, most: int) -> list[Document]:
        """The documents before the current one, oldest first, at most so many."""
        return self._before[-most:]

    def later(self, most: int) -> list[Document]:
        """The documents that redo would restore, nearest first, at most so many."""
        return self._after[-most:][::-1]

    @property
    def undone(self) -> Document | None:
        """What undo would go back to, None where there is nothing."""
        return self._before[-1] if self._before else None

    @property
    def redone(self) -> Document | None:
        """What redo would go on to, None where there is nothing."""
        return self._after[-1] if self._after else None

    @property
    def can_undo(self) -> bool:
        """Whether there is a step to take back."""
        return bool(self._before)

    @property
    def can_redo(self) -> bool:
        """Whether a step taken back can be done again."""
        return bool(self._after)

    def push(self, document: Document, key: str | None = None) -> None:
        """Make `document` current. Pushes with the same key in a row are one step."""
        if document == self.current:
            return
        if key is None or key != self._key:
            self._before.append(self.current)
            del self._before[:-LIMIT]
        self._key = key
        self._after.clear()
        self._current = document

    def end_undo_group(self) -> None:
        """End the running drag: the next push is a separate step."""
        self._key = None

    def undo(self) -> Document:
        """Step back; the current document when there is nothing to take back."""
        self._key = None
        if self._before:
            self._after.append(self.current)
            self._current = self._before.pop()
        return self.current

    def move(self, offset: int) -> Document:
        """Undo (below 0) or redo so many steps, as far as there are any."""
        for _ in range(abs(offset)):
            self.undo() if offset < 0 else self.redo()
        return self.current

    def redo(self) -> Document:
        """Step forward again."""
        self._key = None
        if self._after:
            self._before.append(self.current)
            self._current = self._after.pop()
        return self.current
