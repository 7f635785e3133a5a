# SPDX-License-Identifier: Apache-2.0
"""Parts of a document that can be restored separately: sun, air, fill, exposure, view, materials.

Two documents and the names of parts enter; a document leaves in which these parts alone are the other's.
"""

from __future__ import annotations

from collections.abc import Iterable

from gloamet.document.model import Document

PARTS: dict[str, tuple[tuple[str, ...], ...]] = {
    "sun": (("site",), ("sun",)),
    "air": (("air",), ("sky",), ("light_shafts",)),
    "fill": (("fill",), ("panorama",)),
    "expose": (("expose",),),
    "view": (("stage", "view"),),
    "materials": (("stage", "materials"), ("stage", "lamps"), ("stage", "plaster")),
}


def with_parts(document: Document, source: Document, parts: Iterable[str]) -> Document:
    """Replace parts of a document by those of another.

    Parameters
    ----------
    document : Document
        The document.
    source : Document
        The other document.
    parts : iterable of str
        Names of parts.

    Returns
    -------
    Document
        The document with these parts replaced.

    Raises
    ------
    KeyError
        There is no such part.
    """
    for name in parts:
        for path in PARTS[name]:
            if len(path) == 1:
                document = document.model_copy(update={path[0]: getattr(source, path[0])})
            else:
                value = getattr(source.stage, path[1])
                stage = document.stage.model_copy(update={path[1]: value})
                document = document.model_copy(update={"stage": stage})
    return document


def part_of(path: tuple[str | int, ...]) -> str:
    """Return the part of a document that a field belongs to.

    Parameters
    ----------
    path : tuple of str | int
        Path of the field.

    Returns
    -------
    str
        Name of the part, "" for none.
    """
    for name, prefixes in PARTS.items():
        if any(tuple(path[: len(prefix)]) == prefix for prefix in prefixes):
            return name
    return ""
