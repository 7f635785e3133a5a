# SPDX-License-Identifier: Apache-2.0
"""Reading of models: the reader is selected by the file's ending; a Scene in its own axes and units leaves."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from pathlib import Path

import numpy as np

from gloamet.errors import GloametError
from gloamet.stage.placing import Placement, to_world_scene
from gloamet.stage.readers.progress import ProgressToken
from gloamet.stage.scene import Origin, Scene, UpAxis

MAX_FILE_BYTES = 4 * 1024**3
Reader = Callable[[Path, ProgressToken, bool], Scene]
# a module of this package for each ending, with read_MODULE(path, watch, outside); imported when such a file is read
READERS = {
    ".glb": "gltf",
    ".gltf": "gltf",
    ".usd": "usd",
    ".usda": "usd",
    ".usdc": "usd",
    ".usdz": "usd",
    ".obj": "obj",
    ".ply": "ply",
    ".stl": "stl",
}
ENDINGS = tuple(READERS)


def _reader(ending: str) -> Reader:
    name = READERS[ending]
    reader: Reader = getattr(import_module(f"gloamet.stage.readers.{name}"), f"read_{name}")
    return reader


def _check(path: Path) -> None:
    try:
        size = path.stat().st_size
        if path.is_dir():
            raise GloametError(f"{path.name} is a folder: choose a model file ({', '.join(ENDINGS)}).")
    except OSError:
        raise GloametError(f"{path} is not there: check the path, or that the disk is mounted.") from None
    if size == 0:
        raise GloametError(f"{path.name} is empty: export it again.")
    if size > MAX_FILE_BYTES:
        raise GloametError(f"{path.name} is {size / 1024**3:.0f} GB: files over 4 GB are not opened.")
    if path.suffix.lower() not in ENDINGS:
        raise GloametError(f"{path.name} is not a model Gloamet reads: open {', '.join(ENDINGS)}.")


def read_file(path: Path | str, watch: ProgressToken | None = None, outside: bool = False) -> Scene:
    """Read a model file without placing it.

    Parameters
    ----------
    path : Path or str
        The file.
    watch : ProgressToken or None, optional
        Progress and cancelling; None for neither.
    outside : bool, optional
        Whether files outside the folder of the model may be read.

    Returns
    -------
    Scene
        The scene; `origin` has its units and up axis.

    Raises
    ------
    GloametError
        The file cannot be read.
    """
    path = Path(path)
    _check(path)
    try:
        with np.errstate(all="ignore"):  # what is not finite is refused by sentence, not warned of
            scene = _reader(path.suffix.lower())(path, watch or ProgressToken(), outside)
    except GloametError:
        raise
    except (OSError, MemoryError) as error:
        raise GloametError(f"{path.name} could not be read: {error}.") from None
    except (ArithmeticError, AttributeError, LookupError, RuntimeError, TypeError, ValueError) as error:
        # A reader met something its checks did not name: still a sentence, never a traceback.
        raise GloametError(
            f"{path.name} is damaged ({type(error).__name__}: {error}): export it again."
        ) from None
    if not scene.parts:
        raise GloametError(f"{path.name} holds no triangles: nothing to light.")
    return scene


def read_model(path: Path | str, units: str | None = None, up: UpAxis | None = None) -> Scene:
    """Read a model file into metres with Z up.

    units: m, cm, mm, in or ft; up: y or z; left out, what the file itself says, else m and y.
    """
    scene = read_file(path)
    declared = scene.origin if scene.origin.declared else Origin()
    return to_world_scene(scene, Placement(units or declared.units, up or declared.up))
