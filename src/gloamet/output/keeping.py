# SPDX-License-Identifier: Apache-2.0
"""Kept pictures: snapshots with all settings, in a folder beside the project.

A document with its developed pixels and its light enters; three files leave, NAME.png, NAME.exr (half-float light) and
NAME.json, the last of them last: what has a .json is whole. NAME.layers.exr, each light apart, follows where there is a
film. Reading gives `Kept` records, also of pictures whose other files are gone.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterable
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.file import (
    document_from_tree,
    document_tree,
    read_tree,
    write_json,
)
from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.output.images import CHROMATICITIES, write_picture
from gloamet.output.layers import StoredLayers, save_layers
from gloamet.thread_pool import shared_pool

FORMAT = 1
ENDING = ".kept"  # of the folder
LAYERS_ENDING = ".layers.exr"
WHITE_CD_M2 = 1000.0  # that 1.0 of the half-float light stands for
LARGEST_HALF = 65504.0
FAST, FROM_ABOVE = 1, 0x20  # compression of a .png, each row by the one above: keeping must not be waited for
MOST = 999


class Snapshot(NamedTuple):
    """What is kept: the document, its pixels (H, W, 4) and light (h, w, 3) in AP1 cd/m2, samples of a pixel, seconds of
    tracing, the EV of the exposure, and its lights apart where there is a film."""

    document: Document
    pixels: NDArray[np.uint8]
    light: NDArray[np.float32]
    samples: int
    seconds: float
    ev: float
    layers: StoredLayers | None = None


class Kept(NamedTuple):
    """A kept picture: its .json, name, when, samples, seconds, EV, star, note, whether its lights are kept apart, bytes
    on disk; missing names what of it is gone."""

    path: Path
    name: str
    when: datetime
    samples: int
    seconds: float
    ev: float
    star: bool
    note: str
    layered: bool
    size_bytes: int
    missing: tuple[str, ...]

    @property
    def samples_label(self) -> str:
        """How far it was traced."""
        return f"{self.samples} samples" if self.samples else "draft"

    @property
    def picture(self) -> Path:
        """Its developed picture."""
        return self.path.with_suffix(".png")

    @property
    def light(self) -> Path:
        """Its light."""
        return self.path.with_suffix(".exr")

    @property
    def layers(self) -> Path:
        """Its lights apart."""
        return self.path.with_suffix(LAYERS_ENDING)


def kept_folder(project: Path | None, title: str) -> Path:
    """Return the folder of kept pictures.

    Parameters
    ----------
    project : Path or None
        Project file, None before it is saved.
    title : str
        Title of the project.

    Returns
    -------
    Path
        A folder beside the project, or in the user's state.
    """
    if project is not None:
        return project.with_name(project.stem + ENDING)
    from platformdirs import user_state_path

    plain = "".join(c if c.isalnum() or c in " -_" else "_" for c in title).strip() or "untitled"
    return user_state_path("gloamet") / "kept" / (plain + ENDING)


def _free_path(folder: Path) -> Path:
    """The .json of the next picture; its .png is made now, so that another window on this project takes another
    name."""
    taken = {path.stem for path in folder.glob("*.*")}
    for number in range(1, MOST + 1):
        path = folder / f"{number:03d}.json"
        if path.stem not in taken:
            with contextlib.suppress(FileExistsError):
                path.with_suffix(".png").touch(exist_ok=False)
                return path
    raise GloametError(f"{folder.name} holds {MOST} pictures: remove some first.")


def keep(folder: Path, snapshot: Snapshot, when: datetime) -> Kept:
    """Write a snapshot as a kept picture.

    Parameters
    ----------
    folder : Path
        Folder of the kept pictures.
    snapshot : Snapshot
        Settings, pixels and light.
    when : datetime
        Time of keeping.

    Returns
    -------
    Kept
        The kept picture.

    Raises
    ------
    GloametError
        It cannot be written; nothing that reads as complete is left.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path = _free_path(folder)
    except OSError as error:
        raise GloametError(
            f"{folder.name} cannot be made ({error.strerror}): save the project elsewhere."
        ) from None
    _write_pictures(path, snapshot)
    write_json(
        path,
        {
            "kept": FORMAT,
            "when": when.isoformat(timespec="seconds"),
            "samples": snapshot.samples,
            "seconds": round(snapshot.seconds, 1),
            "ev": snapshot.ev,
            "star": False,
            "note": "",
            "layered": False,
            "document": document_tree(snapshot.document, folder),
        },
    )
    return _read(path)


def _write_pictures(path: Path, snapshot: Snapshot) -> None:
    """Write the developed picture and the light beside a .json, in parallel."""
    half = np.clip(snapshot.light / np.float32(WHITE_CD_M2), 0.0, LARGEST_HALF)
    of_light = {
        "compression": "zip",
        "chromaticities": CHROMATICITIES,
        "whiteLuminance": WHITE_CD_M2,
        "oiio:ColorSpace": "ACEScg",
    }
    of_screen = {"oiio:ColorSpace": "sRGB", "png:compressionLevel": FAST, "png:filter": FROM_ABOVE}
    rgb = ["R", "G", "B"]
    pool = shared_pool()
    jobs = (
        pool.submit(write_picture, path.with_suffix(".exr"), half, "half", of_light, rgb),
        pool.submit(
            write_picture, path.with_suffix(".png"), snapshot.pixels[..., :3], "uint8", of_screen, rgb
        ),
    )
    for job in jobs:
        job.result()


def _read(path: Path) -> Kept:
    tree = read_tree(path, "a kept picture")
    if tree.get("kept") != FORMAT:
        raise GloametError(f"{path.name} is not a kept picture of this version: update Gloamet.")
    files = [path, path.with_suffix(".png"), path.with_suffix(".exr")]
    files += [path.with_suffix(LAYERS_ENDING)] if tree.get("layered") else []
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
            bool(tree.get("layered", False)),
            size,
            missing,
        )
    except (KeyError, TypeError, ValueError):
        raise GloametError(f"{path.name} is damaged: it does not say what was kept.") from None


def kept_pictures(folder: Path) -> tuple[list[Kept], list[str]]:
    """List the kept pictures of a folder.

    Parameters
    ----------
    folder : Path
        The folder.

    Returns
    -------
    tuple of list of Kept and list of str
        Kept pictures, oldest first, and one message per picture that cannot be read.
    """
    found, messages = [], []
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else ():
        try:
            found.append(_read(path))
        except GloametError as error:
            messages.append(str(error))
    return sorted(found, key=lambda kept: (kept.when, kept.name)), messages


def kept_document(kept: Kept) -> Document:
    """Read the settings of a kept picture.

    Parameters
    ----------
    kept : Kept
        The kept picture.

    Returns
    -------
    Document
        The document.

    Raises
    ------
    GloametError
        The settings cannot be read.
    """
    tree = read_tree(kept.path, "a kept picture")
    return document_from_tree(tree.get("document", {}), kept.path)


def _changed(kept: Kept, **values: object) -> Kept:
    tree = read_tree(kept.path, "a kept picture") | values
    write_json(kept.path, tree)
    return _read(kept.path)


def mark(kept: Kept, star: bool | None = None, note: str | None = None) -> Kept:
    """Set the star or the note of a kept picture.

    Parameters
    ----------
    kept : Kept
        The kept picture.
    star : bool or None, optional
        Whether it has a star; None keeps it.
    note : str or None, optional
        Its note; None keeps it.

    Returns
    -------
    Kept
        The kept picture.
    """
    asked = {"star": star, "note": note}
    return _changed(kept, **{name: value for name, value in asked.items() if value is not None})


def add_layers(kept: Kept, layers: StoredLayers) -> Kept:
    """Add light layers to a kept picture on disk.

    Parameters
    ----------
    kept : Kept
        The kept picture.
    layers : StoredLayers
        The layers.

    Returns
    -------
    Kept
        The kept picture.

    Raises
    ------
    GloametError
        The layers cannot be written.
    """
    save_layers(kept.layers, layers)
    return _changed(kept, layered=True)


def replace_picture(kept: Kept, finer: Snapshot) -> Kept:
    """Replace pixels and light of a kept picture by refined ones.

    Parameters
    ----------
    kept : Kept
        The kept picture.
    finer : Snapshot
        The refined snapshot.

    Returns
    -------
    Kept
        The kept picture; star and note stay.

    Raises
    ------
    GloametError
        It cannot be written.
    """
    _write_pictures(kept.path, finer)
    return _changed(kept, samples=finer.samples, seconds=round(kept.seconds + finer.seconds, 1))


def discard(pictures: Iterable[Kept]) -> None:
    """Delete kept pictures from disk.

    Parameters
    ----------
    pictures : iterable of Kept
        The kept pictures.
    """
    for kept in pictures:
        for path in (kept.path, kept.picture, kept.light, kept.layers):
            try:
                os.unlink(path)
            except FileNotFoundError:
                continue
            except OSError as error:
                raise GloametError(f"{path.name} cannot be removed ({error.strerror}).") from None


def moved(folder: Path, to: Path) -> None:
    """Move kept pictures to another folder.

    Parameters
    ----------
    folder : Path
        Present folder.
    to : Path
        New folder.
    """
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
