"""Saving the final picture: a job on its own thread with progress and a stop that keeps what is done."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
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
        """Stop rendering; what is done is saved."""
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
        from gloamet.output.document_to_air import light_through_air
        from gloamet.output.document_to_light import (
            build_stage,
            dome_from_document,
            environment_from_document,
            finished_light,
            panorama_from_document,
            save_picture,
            stop_criterion,
            with_contours,
        )
        from gloamet.output.document_to_masks import mask_planes
        from gloamet.output.document_to_picture import gains_from_document
        from gloamet.output.document_to_shafts import light_through_dust
        from gloamet.output.final import plan_next_pass, render
        from gloamet.output.memory import check_memory, memory_needed
        from gloamet.trace.film import Film

        document, out = self.document, self.document.output
        compiled = build_stage(document, self.scene)
        check_memory(memory_needed(compiled, out.width, out.height, out.denoise))
        camera, dome = camera_from_view(document.stage.view), dome_from_document(document)
        lights = environment_from_document(document, dome, panorama_from_document(document, dome))
        film, aim = Film(out.width, out.height), stop_criterion(document)
        path = self.path.with_name(self.path.name + ENDING)
        kept = Checkpoint(path, digest_of(compiled, lights, camera, film, aim.bounces))
        if kept.fits():
            kept.resume(film)
        render(
            film,
            compiled,
            lights,
            camera,
            aim,
            progress=self.progressed.emit,
            stopped=self._stop.is_set,
            keep=kept.save,
        )
        if film.samples_in(None) == 0:
            return f"{self.path.name} was not saved: stopped before the first pass.", False
        light = finished_light(document, film, out.denoise, lights)
        samples = film.mean_samples()
        lit = document, compiled, lights, camera
        light = light_through_dust(*lit, light, samples, out.denoise, self._stop.is_set)
        light = light_through_air(document, dome, camera, light, film)
        light = with_contours(document, compiled, camera, light)
        with ThreadPoolExecutor() as pool:
            gains = gains_from_document(document)
            planes = mask_planes(document.expose.masks, film, gains, (compiled, camera), pool)
        save_picture(self.path, document, film, light, planes=planes)
        said = f"{samples:.0f} samples per pixel"
        if self._stop.is_set() and not plan_next_pass(film, aim, 1.0).done:
            kept.save(film, 0.0)
            rest = kept.problem or "save it again under this name to go on."
            return f"Saved {self.path.name} at {said}: {rest}", True
        kept.remove()
        return f"Saved {self.path.name}: {said}.", True
