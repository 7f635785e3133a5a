"""Reading models: the format is chosen by the file's first bytes and its ending."""

from __future__ import annotations

from pathlib import Path

from gloamet.errors import GloametError
from gloamet.stage.scene import Scene, UpAxis

ENDINGS = (".glb", ".gltf", ".obj")
MAX_FILE_BYTES = 4 * 1024**3


def read_model(path: Path | str, units: str | None = None, up: UpAxis | None = None) -> Scene:
    """Read a model file into metres with Z up.

    units: m, cm, mm, in or ft (default m); up: y or z (default y). Raises GloametError with one sentence
    for anything that cannot be read.
    """
    path = Path(path)
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
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise GloametError(f"{path.name} is not a model Gloamet reads: open {', '.join(ENDINGS)}.")
    try:
        if ending == ".obj":
            from gloamet.stage.readers.obj import read_obj

            scene = read_obj(path, units or "m", up or "y")
        else:
            from gloamet.stage.readers.gltf import read_gltf

            scene = read_gltf(path, units or "m", up or "y")
    except GloametError:
        raise
    except (OSError, MemoryError) as error:
        raise GloametError(f"{path.name} could not be read: {error}.") from None
    except (
        KeyError,
        IndexError,
        TypeError,
        ValueError,
        AttributeError,
        OverflowError,
        RecursionError,
    ) as error:
        # A reader met something its checks did not name: still a sentence, never a traceback.
        raise GloametError(
            f"{path.name} is damaged ({type(error).__name__}: {error}): export it again."
        ) from None
    if not scene.parts:
        raise GloametError(f"{path.name} holds no triangles: nothing to light.")
    return scene
