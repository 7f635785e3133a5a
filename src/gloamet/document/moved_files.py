# SPDX-License-Identifier: Apache-2.0
"""Missing files of a project, and the project with their new paths.

A document enters; paths that lead nowhere leave, or, once one of them was found, the document with all that moved
along.
"""

from __future__ import annotations

import os
from operator import attrgetter
from pathlib import Path

from gloamet.document.file import OTHER_FILES
from gloamet.document.model import Document


def _files(document: Document) -> list[tuple[str, str, Path]]:
    """Section, field and path of each file that is named."""
    named = [(section, name, attrgetter(f"{section}.{name}")(document)) for section, name in OTHER_FILES]
    return [(section, name, Path(file)) for section, name, file in named if file]


def missing_files(document: Document) -> tuple[Path, ...]:
    """List the files of a document that do not exist.

    Parameters
    ----------
    document : Document
        The document.

    Returns
    -------
    tuple of Path
        Their paths, the scene file first, each once.
    """
    return tuple(dict.fromkeys(file for _, _, file in _files(document) if not file.is_file()))


def with_found(document: Document, missing: Path, found: Path) -> Document:
    """Replace a missing file, and others that moved with it.

    Another missing file is looked for where it would be if the whole folder moved, then beside the one that was
    found.

    Parameters
    ----------
    document : Document
        The document.
    missing : Path
        Path in the document.
    found : Path
        Where the file is now.

    Returns
    -------
    Document
        The document with the new paths.
    """
    for section, name, file in _files(document):
        if file == missing:
            document = document.change(section, **{name: str(found)})
        elif not file.is_file():
            along = Path(os.path.normpath(found.parent / os.path.relpath(file, missing.parent)))
            file_path = next((path for path in (along, found.parent / file.name) if path.is_file()), None)
            if file_path is not None:
                document = document.change(section, **{name: str(file_path)})
    return document
