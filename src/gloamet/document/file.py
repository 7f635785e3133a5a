"""The .gloamet project file: versioned JSON, paths relative to it, written so that a failure loses nothing.

A document and a path enter, a file leaves, and back.
"""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable
from functools import reduce
from operator import attrgetter
from pathlib import Path
from typing import Any, BinaryIO

from pydantic import ValidationError

from gloamet.document.model import Document
from gloamet.document.versions import FORMAT_VERSION, of_present_version
from gloamet.errors import GloametError

ENDING = ".gloamet"
# fields that name a file beside the project
OTHER_FILES = (
    ("stage", "scene_file"),
    ("panorama", "file"),
    ("panorama", "background_file"),
    ("expose.colour", "table"),
)
MAX_BYTES = 64 * 1024**2


def write_atomically(path: Path, write: Callable[[BinaryIO], Any]) -> None:
    """Write beside the target and rename over it, so that an old file stays whole when writing fails."""
    temporary = None
    try:
        descriptor, temporary = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(descriptor, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644 if not path.exists() else path.stat().st_mode & 0o777)
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)
        reason = error.strerror or str(error)
        raise GloametError(
            f"{path.name} was not saved ({reason}): choose another folder or free some space."
        ) from None


def write_json(path: Path, tree: dict[str, Any]) -> None:
    """Write a tree as JSON, whole or not at all. Raises GloametError."""
    text = json.dumps(tree, indent=2, ensure_ascii=False) + "\n"
    write_atomically(path, lambda file: file.write(text.encode()))


def _relative(file: Path, folder: Path) -> str:
    try:
        return Path(os.path.relpath(file, folder)).as_posix()
    except ValueError:  # another drive
        return file.as_posix()


def document_tree(document: Document, folder: Path) -> dict[str, Any]:
    """A document as it is written; paths of its files are relative to the folder it goes to where that is possible."""
    tree = document.model_dump(mode="json")
    for section, name in OTHER_FILES:
        fields = reduce(dict.__getitem__, section.split("."), tree)
        if fields[name]:
            fields[name] = _relative(Path(fields[name]).resolve(), folder.resolve())
    return tree


def save_document(document: Document, path: Path) -> None:
    """Write a project. Paths of its files are stored relative to the project where that is possible."""
    write_json(path, document_tree(document, path.parent))


def read_tree(path: Path, what: str) -> dict[str, Any]:
    """The JSON of a file that is to be `what`. Raises GloametError with a sentence when it cannot be that."""
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
    """A document as it was written to a file; paths of its files come back absolute."""
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
    """Read a project; paths of its files come back absolute."""
    path = Path(path)
    return document_from_tree(read_tree(path, "a Gloamet project"), path)
