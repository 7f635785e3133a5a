# SPDX-License-Identifier: Apache-2.0
"""Checkpoints of long renders: a stop, a crash or a power failure loses at most a minute.

A film and the mark of what it shows enter; a file of plain arrays leaves (NumPy's open .npz), and comes back
only for a picture with the same mark: same geometry, materials, light, camera, size, bounces and seed.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import time
import zipfile
from pathlib import Path

import numpy as np

from gloamet import __version__
from gloamet.errors import GloametError
from gloamet.stage.camera import Camera
from gloamet.trace.film import Film
from gloamet.trace.lights.environment import Environment
from gloamet.trace.render_scene import RenderScene

ENDING = ".unfinished"
SECONDS_BETWEEN = 60.0
_UNREADABLE = (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile)


def digest_of(compiled: RenderScene, lights: Environment, camera: Camera, film: Film, bounces: int) -> str:
    """Compute a digest of all that the samples of a film depend on.

    Parameters
    ----------
    compiled : RenderScene
        The render scene.
    lights : Environment
        Environment: sun, sky and panorama.
    camera : Camera
        The camera.
    film : Film
        The film.
    bounces : int
        Largest number of bounces.

    Returns
    -------
    str
        The digest; it includes the version of the program.
    """
    digest = hashlib.blake2b(__version__.encode(), digest_size=16)
    size = np.array([film.width, film.height, film.seed, bounces])
    matrices = np.array([part.matrix for part in compiled.scene.parts])
    panorama = lights.panorama.arrays() if lights.panorama is not None else ()
    scene = compiled.arrays()._replace(handle=0)  # where Embree keeps it says nothing of what it is
    for value in (
        *scene,
        *lights.arrays(),
        *panorama,
        camera.packed(film.width, film.height),
        size,
        matrices,
    ):
        _update(digest, value)
    return digest.hexdigest()


def _update(digest: hashlib.blake2b, value: object) -> None:
    """Add a number, an array or a tuple of such."""
    if isinstance(value, tuple):
        for part in value:
            _update(digest, part)
        return
    digest.update(np.ascontiguousarray(value).data)


class Checkpoint:
    """The checkpoint file of a long render: read at the start, written every minute, removed at the end."""

    def __init__(self, path: Path, mark: str) -> None:
        self.path, self.mark = path, mark
        self.problem = ""  # why the last writing failed: no reason to lose the picture itself
        self._tried = time.monotonic()

    def fits(self) -> bool:
        """Whether there is a readable file of this very picture."""
        try:
            with np.load(self.path, allow_pickle=False) as kept:
                return str(kept["mark"]) == self.mark
        except _UNREADABLE:
            return False

    def resume(self, film: Film) -> bool:
        """Fill an empty film with what the file holds; False when there is none.

        Raises GloametError when it cannot be read or belongs to another picture.
        """
        if not self.path.exists():
            return False
        try:
            with np.load(self.path, allow_pickle=False) as kept:
                if str(kept["mark"]) != self.mark:
                    raise GloametError(
                        f"{self.path.name} belongs to another picture: delete it, or choose another name."
                    )
                for name, layer in film.layers.items():
                    layer[...] = kept[name]
                film.rays, film.pending_samples = int(kept["rays"]), kept["owed"]
        except _UNREADABLE as error:
            raise GloametError(f"{self.path.name} is damaged: delete it to begin again.") from error
        return True

    def save(self, film: Film, seconds_between: float = SECONDS_BETWEEN) -> None:
        """Write the film when the last try is long enough ago; a failure leaves the older file whole."""
        now = time.monotonic()
        if now - self._tried < seconds_between:
            return
        spare = self.path.with_name(self.path.name + ".part")
        owed = (
            np.zeros((film.height, film.width), np.uint16)
            if film.pending_samples is None
            else film.pending_samples
        )
        arrays = {"mark": np.array(self.mark), "rays": np.array(film.rays), "owed": owed, **film.layers}
        try:
            with spare.open("wb") as out:
                np.savez(out, **arrays)  # type: ignore[arg-type]
            os.replace(spare, self.path)
            self.problem = ""
        except OSError as error:
            with contextlib.suppress(OSError):
                spare.unlink(missing_ok=True)
            self.problem = (
                f"{self.path.name} was not kept ({error.strerror}): choose another folder or free some space."
            )
        self._tried = time.monotonic()

    def remove(self) -> None:
        """The picture is whole: the file is no longer needed."""
        self.path.unlink(missing_ok=True)
