"""Kept pictures: each a moment of the work with all its settings, in a folder beside the project.

A document with its developed pixels and its light enters; three files leave, NAME.png, NAME.exr (half-float light) and
NAME.json, the last of them last: what has a .json is whole. Reading gives `Kept` records, also of pictures whose other
files are gone.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.file import (
    document_from_tree,
    document_tree,
    read_tree,
    write_atomically,
)
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.output.images import CHROMATICITIES, write_picture

FORMAT = 1
ENDING = ".kept"  # of the folder
WHITE_CD_M2 = 1000.0  # that 1.0 of the half-float light stands for
LARGEST_HALF = 65504.0
FAST = 1  # of compression: keeping must not be waited for
MOST = 999


class Moment(NamedTuple):
    """What is kept: the document, its pixels (H, W, 4) and light (h, w, 3) in AP1 cd/m2, samples of a pixel, seconds of
    tracing, and the EV of the exposure."""

    document: Document
    pixels: NDArray[np.uint8]
    light: NDArray[np.float32]
    samples: int
    seconds: float
    ev: float


class Kept(NamedTuple):
    """A kept picture: its .json, name, when, samples, seconds, EV, star, note, bytes on disk; missing names what of it
    is gone."""

    path: Path
    name: str
    when: datetime
    samples: int
    seconds: float
    ev: float
    star: bool
    note: str
    size_bytes: int
    missing: tuple[str, ...]

    @property
    def picture(self) -> Path:
        """Its developed picture."""
        return self.path.with_suffix(".png")

    @property
    def light(self) -> Path:
        """Its light."""
        return self.path.with_suffix(".exr")


def kept_folder(project: Path | None, title: str) -> Path:
    """Where pictures of a project are kept: beside it, or with the user's state while it has no file."""
    if project is not None:
        return project.with_name(project.stem + ENDING)
    from platformdirs import user_state_path

    plain = "".join(c if c.isalnum() or c in " -_" else "_" for c in title).strip() or "untitled"
    return user_state_path("gloamet") / "kept" / (plain + ENDING)


def _next_name(folder: Path) -> str:
    taken = {path.stem for path in folder.glob("*.*")}
    for number in range(1, MOST + 1):
        if f"{number:03d}" not in taken:
            return f"{number:03d}"
    raise GloametError(f"{folder.name} holds {MOST} pictures: take some away first.")


def _write_json(path: Path, tree: dict[str, Any]) -> None:
    text = json.dumps(tree, indent=1, ensure_ascii=False) + "\n"
    write_atomically(path, lambda file: file.write(text.encode()))


def keep(folder: Path, moment: Moment, when: datetime) -> Kept:
    """Write a moment. Raises GloametError when it cannot be written; then nothing that reads as whole is left."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise GloametError(
            f"{folder.name} cannot be made ({error.strerror}): save the project elsewhere."
        ) from None
    path = folder / f"{_next_name(folder)}.json"
    _write_pictures(path, moment)
    _write_json(
        path,
        {
            "kept": FORMAT,
            "when": when.isoformat(timespec="seconds"),
            "samples": moment.samples,
            "seconds": round(moment.seconds, 1),
            "ev": moment.ev,
            "star": False,
            "note": "",
            "document": document_tree(moment.document, folder),
        },
    )
    return _read(path)


def _write_pictures(path: Path, moment: Moment) -> None:
    """The developed picture and the light beside a .json, both at once."""
    half = np.clip(moment.light / np.float32(WHITE_CD_M2), 0.0, LARGEST_HALF)
    of_light = {
        "compression": "piz",
        "chromaticities": CHROMATICITIES,
        "whiteLuminance": WHITE_CD_M2,
        "oiio:ColorSpace": "ACEScg",
    }
    of_screen = {"oiio:ColorSpace": "sRGB", "png:compressionLevel": FAST}
    rgb = ["R", "G", "B"]
    with ThreadPoolExecutor(2) as pool:
        jobs = (
            pool.submit(write_picture, path.with_suffix(".exr"), half, "half", of_light, rgb),
            pool.submit(
                write_picture, path.with_suffix(".png"), moment.pixels[..., :3], "uint8", of_screen, rgb
            ),
        )
        for job in jobs:
            job.result()


def _read(path: Path) -> Kept:
    tree = read_tree(path, "a kept picture")
    if tree.get("kept") != FORMAT:
        raise GloametError(f"{path.name} is not a kept picture of this version: update Gloamet.")
    files = (path, path.with_suffix(".png"), path.with_suffix(".exr"))
    missing = tuple(file.name for file in files if not file.is_file())
    size = sum(file.stat().st_size for file in files if file.is_file())
    try:
        return Kept(
            path,
            path.stem,
            datetime.fromisoformat(tree["when"]),
            int(tree["samples"]),
            float(tree["seconds"]),
            float(tree["ev"]),
            bool(tree["star"]),
            str(tree["note"]),
            size,
            missing,
        )
    except (KeyError, TypeError, ValueError):
        raise GloametError(f"{path.name} is damaged: it does not say what was kept.") from None


def kept_pictures(folder: Path) -> tuple[list[Kept], list[str]]:
    """The pictures of a folder, oldest first, and a sentence for each that cannot be read."""
    found, said = [], []
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else ():
        try:
            found.append(_read(path))
        except GloametError as error:
            said.append(str(error))
    return sorted(found, key=lambda kept: (kept.when, kept.name)), said


def kept_document(kept: Kept) -> Document:
    """The settings of a kept picture. Raises GloametError when they cannot be read."""
    tree = read_tree(kept.path, "a kept picture")
    return document_from_tree(tree.get("document", {}), kept.path)


def mark(kept: Kept, star: bool | None = None, note: str | None = None) -> Kept:
    """The picture with a star or a note, on disk too."""
    tree = read_tree(kept.path, "a kept picture")
    tree["star"] = tree["star"] if star is None else star
    tree["note"] = tree["note"] if note is None else note
    _write_json(kept.path, tree)
    return _read(kept.path)


def discard(pictures: Iterable[Kept]) -> None:
    """Take pictures off the disk: first what says that they are whole."""
    for kept in pictures:
        for path in (kept.path, kept.picture, kept.light):
            try:
                os.unlink(path)
            except FileNotFoundError:
                continue
            except OSError as error:
                raise GloametError(f"{path.name} cannot be taken away ({error.strerror}).") from None


def moved(folder: Path, to: Path) -> None:
    """Bring the pictures kept before a project had a file to the folder beside it."""
    if folder == to or not folder.is_dir() or to.exists():
        return
    try:
        import shutil

        shutil.copytree(folder, to)
        shutil.rmtree(folder, ignore_errors=True)
    except OSError as error:
        raise GloametError(
            f"{to.name} cannot be made ({error.strerror}): kept pictures stay where they were."
        ) from None
