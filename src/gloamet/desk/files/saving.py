# SPDX-License-Identifier: Apache-2.0
"""Saving the final picture in a thread, with progress and a stop that keeps the samples."""

from __future__ import annotations

import threading
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.assembly import camera_from_view
from gloamet.stage.scene import Scene


class SaveJob(QObject):
    """One picture on its way to a file."""

    progressed = Signal(object)
    ended = Signal(str, bool)  # sentence, whether a file was written

    def __init__(self, document: Document, scene: Scene, path: Path) -> None:
        """scene is the placed one, all parts of it."""
        super().__init__()
        self.document, self.scene, self.path = document, scene, path
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="saving", daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """Stop rendering; the samples so far are saved."""
        self._stop.set()

    def wait(self) -> None:
        """Block until the job has ended."""
        self._thread.join()

    def _run(self) -> None:
        try:
            self.ended.emit(*self._work())
        except GloametError as error:
            self.ended.emit(str(error), False)
        except Exception as error:  # a failed save must reach the artist as a sentence
            self.ended.emit(f"{self.path.name} was not saved ({error}): try a smaller size.", False)

    def _work(self) -> tuple[str, bool]:
        """Render, save; the sentence to say, and whether a file was written."""
        from gloamet.output.checkpoint import ENDING, Checkpoint, digest_of
        from gloamet.trace.film import Film
        from gloamet.translation.final_render import plan_next_pass, render
        from gloamet.translation.finished_light import stop_criterion
        from gloamet.translation.finishing import RenderInputs, finished_picture
        from gloamet.translation.memory import check_memory, memory_needed
        from gloamet.translation.saved_picture import save_picture

        document, out = self.document, self.document.output
        inputs = RenderInputs.of(document, self.scene, camera_from_view(document.stage.view))
        check_memory(memory_needed(inputs.compiled, out.width, out.height, out.denoise))
        film, aim = Film(out.width, out.height), stop_criterion(document)
        path = self.path.with_name(self.path.name + ENDING)
        lit = inputs.compiled, inputs.lights, inputs.camera
        kept = Checkpoint(path, digest_of(*lit, film, aim.bounces))
        if kept.fits():
            kept.resume(film)
        render(film, *lit, aim, progress=self.progressed.emit, stopped=self._stop.is_set, keep=kept.save)
        if film.samples_in(None) == 0:
            return f"{self.path.name} was not saved: stopped before the first pass.", False
        light, planes = finished_picture(inputs, film, out.denoise, self._stop.is_set)
        save_picture(self.path, document, film, light, planes=planes)
        message = f"{film.mean_samples():.0f} samples per pixel"
        if self._stop.is_set() and not plan_next_pass(film, aim, 1.0).done:
            kept.save(film, 0.0)
            rest = kept.problem or "save again under this name to continue."
            return f"Saved {self.path.name} at {message}: {rest}", True
        kept.remove()
        return f"Saved {self.path.name}: {message}.", True
