"""Cleaning grain from a picture, guided by albedo and normals; never applied to the film's own sums.

A picture (H, W, 3) and its film enter, a clean picture leaves, or None when it was cancelled half-way. The
`pyoidn` package gives devices and filters; the progress call-back it lacks is reached through ctypes, so
that a hand never waits for a picture nobody will see.
"""

from __future__ import annotations

import ctypes
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

import numpy as np

from gloamet.errors import GloametError
from gloamet.trace.film import Film, Floats

_MONITOR = ctypes.CFUNCTYPE(ctypes.c_bool, ctypes.c_void_p, ctypes.c_double)


class Denoiser:
    """One device with one filter per quality; calls are serialised."""

    def __init__(self) -> None:
        import pyoidn

        self._oidn: Any = pyoidn
        self._lock = threading.Lock()
        self._device = pyoidn.Device()
        self._device.commit()
        self._filters: dict[str, Any] = {}
        found = sorted(Path(str(pyoidn.__file__)).parent.glob("oidn/lib/libOpenImageDenoise.so.*"))
        if not found:
            raise GloametError("The grain cleaner's library is missing: install pyoidn again.")
        library = ctypes.CDLL(str(found[0]))
        self._watch = library.oidnSetFilterProgressMonitorFunction
        self._watch.argtypes, self._watch.restype = [ctypes.c_void_p, _MONITOR, ctypes.c_void_p], None

    def _filter(self, quality: str) -> Any:
        if quality not in self._filters:
            made = self._oidn.Filter(self._device, self._oidn.OIDN_FILTER_TYPE_RT)
            made.set_bool("hdr", True)
            high = quality == "high"
            made.set_quality(self._oidn.OIDN_QUALITY_HIGH if high else self._oidn.OIDN_QUALITY_FAST)
            self._filters[quality] = made
        return self._filters[quality]

    def run(self, images: dict[str, Floats], quality: str, cancelled: Callable[[], bool]) -> Floats | None:
        """Clean `color` by `albedo` and `normal`, all contiguous (H, W, 3) float32."""
        output = np.empty_like(images["color"])
        monitor = _MONITOR(lambda _user, _share: not cancelled())
        with self._lock:
            work = self._filter(quality)
            for name, image in {**images, "output": output}.items():
                work.set_image(name, image, self._oidn.OIDN_FORMAT_FLOAT3)
            address = int(self._oidn.capi.oidn_ffi.cast("uintptr_t", work._filter))
            self._watch(address, monitor, None)
            work.commit()
            work.execute()
            self._watch(address, _MONITOR(), None)
            problem = self._device.get_error()
        if cancelled():
            return None
        if problem:
            raise GloametError(f"The grain could not be cleaned ({problem}): save without cleaning.")
        return output


_shared: list[Denoiser] = []
_making = threading.Lock()


def shared_denoiser() -> Denoiser:
    """The one denoiser of the program, made at the first call."""
    with _making:
        if not _shared:
            _shared.append(Denoiser())
    return _shared[0]


def denoise(
    picture: Floats,
    film: Film,
    quality: Literal["fast", "high"] = "fast",
    cancelled: Callable[[], bool] = lambda: False,
) -> Floats | None:
    """The picture (H, W, 3) without grain; the film gives the guides. None when cancelled."""
    clean = np.nan_to_num(picture, nan=0.0, posinf=1e9, neginf=0.0)
    images = {
        "color": np.ascontiguousarray(clean, np.float32),
        "albedo": np.ascontiguousarray(np.clip(film.mean("albedo"), 0.0, 1.0)),
        "normal": np.ascontiguousarray(film.mean("normal")),
    }
    return shared_denoiser().run(images, quality, cancelled)
