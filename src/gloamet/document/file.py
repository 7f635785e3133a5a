# SPDX-License-Identifier: Apache-2.0
"""The .gloamet project file: versioned JSON, paths relative to it, written so that a failure loses nothing.

A document and a path enter, a file leaves, and back.
"""

from __future__ import annotations

import json
import os
from functools import reduce
from operator import attrgetter
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from gloamet.document.model import Document
from gloamet.document.versions import FORMAT_VERSION, of_present_version
from gloamet.errors import GloametError
from gloamet.files import write_atomically

ENDING = ".gloamet"
# fields that name a file beside the project
OTHER_FILES = (
    ("stage", "scene_file"),
    ("panorama", "file"),
    ("panorama", "background_file"),
    ("expose.colour", "table"),
)
MAX_BYTES = 64 * 1024**2


def write_json(path: Path, tree: dict[str, Any]) -> None:
    """Write a tree as JSON, whole or not at all.

    Parameters
    ----------
    path : Path
        The file.
    tree : dict of str to Any
        Its contents.

    Raises
    ------
    GloametError
        The file cannot be written; the old one stays whole.
    """
    text = json.dumps(tree, indent=2, ensure_ascii=False) + "\n"
    write_atomically(path, lambda file: file.write(text.encode()))


def _relative(file: Path, folder: Path) -> str:
    try:
        return Path(os.path.relpath(file, folder)).as_posix()
    except ValueError:  # another drive
        return file.as_posix()


def document_tree(document: Document, folder: Path) -> dict[str, Any]:
    """Write a document as the tree of a project file.

    Parameters
    ----------
    document : Document
        The document.
    folder : Path
        Folder of the project; paths are made relative to it where possible.

    Returns
    -------
    dict of str to Any
        Contents of the file.
    """
    tree = document.model_dump(mode="json")
    for section, name in OTHER_FILES:
        fields = reduce(dict.__getitem__, section.split("."), tree)
        if fields[name]:
            fields[name] = _relative(Path(fields[name]).resolve(), folder.resolve())
    return tree


def save_document(document: Document, path: Path) -> None:
    """Write a project file.

    Parameters
    ----------
    document : Document
        The document.
    path : Path
        The file; paths are stored relative to its folder where possible.

    Raises
    ------
    GloametError
        The file cannot be written; the old one stays whole.
    """
    write_json(path, document_tree(document, path.parent))


def read_tree(path: Path, what: str) -> dict[str, Any]:
    """Read a JSON file.

    Parameters
    ----------
    path : Path
        The file.
    what : str
        What the file should be, for the message, like "a look".

    Returns
    -------
    dict of str to Any
        Its contents.

    Raises
    ------
    GloametError
        The file is missing, too large, damaged or not an object.
    """
    try:
        if path.stat().st_size > MAX_BYTES:
            raise GloametError(f"{path.name} is too large to be {what}.")
        tree = json.loads(path.read_text("utf-8"))
    except FileNotFoundError:
        raise GloametError(f"{path} is not there: check the path.") from None
    except OSError as error:
        raise GloametError(f"{path.name} cannot be read ({error.strerror}).") from None
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError):
        raise GloametError(
            f"{path.name} is damaged: it is not readable JSON. Open an earlier copy."
        ) from None
    if not isinstance(tree, dict):
        raise GloametError(f"{path.name} is not {what}.")
    return tree


def document_from_tree(tree: dict[str, Any], path: Path) -> Document:
    """Read a document from the tree of a project file.

    Parameters
    ----------
    tree : dict of str to Any
        Contents of the file.
    path : Path
        The file; paths in it are relative to its folder.

    Returns
    -------
    Document
        The document, with absolute paths.

    Raises
    ------
    GloametError
        The tree is no project, has a later version, or a field is not valid.
    """
    if "version" not in tree:
        raise GloametError(f"{path.name} is not a Gloamet project: it names no version.")
    if tree["version"] not in range(1, FORMAT_VERSION + 1):
        raise GloametError(
            f"{path.name} has version {tree['version']}, this Gloamet reads up to {FORMAT_VERSION}: update Gloamet."
        )
    try:
        document = Document.model_validate(of_present_version(tree))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise GloametError(
            f"{path.name}: “{where}” is not usable ({first['msg'].lower()}). Correct it or open an earlier copy."
        ) from None
    for section, name in OTHER_FILES:
        kept = attrgetter(f"{section}.{name}")(document)
        if kept:
            document = document.change(section, **{name: str((path.parent / kept).resolve())})
    return document


def load_document(path: Path) -> Document:
    """Read a project file.

    Parameters
    ----------
    path : Path
        The file.

    Returns
    -------
    Document
        The document, with absolute paths.

    Raises
    ------
    GloametError
        The file cannot be read or is not a project.
    """
    path = Path(path)
    return document_from_tree(read_tree(path, "a Gloamet project"), path)
