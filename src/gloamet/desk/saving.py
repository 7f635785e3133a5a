"""Saving the final picture: a job on its own thread with progress and a stop that keeps what is done."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from gloamet.document.model import Document
from gloamet.errors import GloametError
from gloamet.stage.assembly import camera_of_view
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
            film = self._render()
            if film.samples == 0:
                self.ended.emit(f"{self.path.name} was not saved: stopped before the first pass.", False)
                return
            from gloamet.output.delivery import light_of, save_picture, with_ink

            light = light_of(self.document, film, self.document.output.denoise)
            light = with_ink(self.document, self.compiled, self.camera, light)
            save_picture(self.path, self.document, film, light)
            self.ended.emit(f"Saved {self.path.name}: {film.samples} paths per pixel.", True)
        except GloametError as error:
            self.ended.emit(str(error), False)
        except Exception as error:  # a failed save must reach the artist as a sentence
            self.ended.emit(f"{self.path.name} was not saved ({error}): try a smaller size.", False)

    def _render(self) -> Any:
        from gloamet.output.delivery import compile_stage, lights_of, sky_of
        from gloamet.output.final import render_film
        from gloamet.trace.quality import QUALITIES

        out = self.document.output
        self.compiled: Any = compile_stage(self.document, self.scene)
        self.camera = camera_of_view(self.document.stage.view)
        return render_film(
            self.compiled,
            lights_of(self.document, sky_of(self.document)),
            self.camera,
            out.width,
            out.height,
            out.samples,
            max_bounces=QUALITIES["final"].bounces,
            progress=self.progressed.emit,
            stopped=self._stop.is_set,
        )
