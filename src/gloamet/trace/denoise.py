# SPDX-License-Identifier: Apache-2.0
"""Denoising, guided by albedo and normals; never applied to the film's own sums.

Pictures (H, W, 3) and their film enter, clean pictures leave, or None when it was cancelled half-way. The
`pyoidn` package gives devices and filters; the progress call-back it lacks is reached through ctypes, so
that a hand never waits for a picture nobody will see.
"""

from __future__ import annotations

import ctypes
import threading
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from gloamet.errors import GloametError
from gloamet.trace.film import Film, Floats

BEST_MEMORY_MB = 600  # of the best cleaning, which works in tiles; without a limit 1080p took 1.6 GB
HIGHLIGHT_THRESHOLD = 3.0  # times the middle level: what is above is no part of what a few samples miss
LUMINANCE_BANDS = (HIGHLIGHT_THRESHOLD, 12.0, 48.0, np.inf)  # of brightness, times the middle level
MAX_BAND_GAIN = 2.0  # of a step above the dimmest: what few samples say of few bright pixels is chance
_MONITOR = ctypes.CFUNCTYPE(ctypes.c_bool, ctypes.c_void_p, ctypes.c_double)


def _never() -> bool:
    return False


class Denoiser:
    """One device with one filter per subject and quality; calls are serialised."""

    def __init__(self) -> None:
        import pyoidn

        self._oidn: Any = pyoidn
        self._lock = threading.Lock()
        self._device = pyoidn.Device()
        self._device.commit()
        self._filters: dict[tuple[tuple[str, ...], bool], Any] = {}
        found = sorted(Path(str(pyoidn.__file__)).parent.glob("oidn/lib/libOpenImageDenoise.so.*"))
        if not found:
            raise GloametError("The denoiser’s library is missing: install pyoidn again.")
        library = ctypes.CDLL(str(found[0]))
        self._watch = library.oidnSetFilterProgressMonitorFunction
        self._watch.argtypes, self._watch.restype = [ctypes.c_void_p, _MONITOR, ctypes.c_void_p], None

    def _filter(self, names: tuple[str, ...], best: bool) -> Any:
        key = (names, best)  # a filter keeps the guides it was given once
        if key not in self._filters:
            made = self._oidn.Filter(self._device, self._oidn.OIDN_FILTER_TYPE_RT)
            made.set_bool("hdr", names[0] == "color")
            if best:
                made.set_bool("cleanAux", True)
                made.set_int("maxMemoryMB", BEST_MEMORY_MB)
            made.set_quality(self._oidn.OIDN_QUALITY_HIGH if best else self._oidn.OIDN_QUALITY_FAST)
            self._filters[key] = made
        return self._filters[key]

    def run(
        self, images: dict[str, Floats], cancelled: Callable[[], bool] = _never, best: bool = False
    ) -> Floats | None:
        """Clean the first of some images, all contiguous (H, W, 3) float32: `color` by `albedo` and `normal`
        or without, or one of these two alone. `best` takes four times as long and believes its guides to be clean.
        """
        subject = next(iter(images))
        output = np.empty_like(images[subject])
        monitor = _MONITOR(lambda _user, _fraction: not cancelled())
        with self._lock:
            work = self._filter(tuple(images), best)
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
            raise GloametError(f"The picture could not be denoised ({problem}): save without denoising.")
        return output


_shared: list[Denoiser] = []
_making = threading.Lock()


def shared_denoiser() -> Denoiser:
    """Return the denoiser of the program.

    Returns
    -------
    Denoiser
        The denoiser, made at the first call.
    """
    with _making:
        if not _shared:
            _shared.append(Denoiser())
    return _shared[0]


def _sound(picture: Floats) -> Floats:
    return np.ascontiguousarray(np.nan_to_num(picture, nan=0.0, posinf=1e9, neginf=0.0), np.float32)


def _features(film: Film) -> dict[str, Floats]:
    return {
        "albedo": np.ascontiguousarray(np.clip(film.mean("albedo"), 0.0, 1.0)),
        "normal": np.ascontiguousarray(film.mean("normal")),
    }


def denoise(picture: Floats, film: Film, cancelled: Callable[[], bool] = _never) -> Floats | None:
    """Denoise a picture quickly, with albedo and normal features.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    film : Film
        Film that gives the features.
    cancelled : callable, optional
        Tells whether to stop.

    Returns
    -------
    ndarray or None
        The denoised picture; None when cancelled.
    """
    return shared_denoiser().run({"color": _sound(picture), **_features(film)}, cancelled)


def _middle(level: Floats) -> float:
    """Median of what is lit at all: much of a picture may be night sky."""
    lit = level[level > 1e-3 * level.mean(dtype=np.float64)]
    return float(np.median(lit)) if lit.size else 0.0


def split_highlights(clean: Floats) -> tuple[Floats, Floats]:
    """Split a picture into its body and its highlights.

    Parameters
    ----------
    clean : ndarray
        Light without noise, (H, W, 3).

    Returns
    -------
    tuple of ndarray
        The part up to HIGHLIGHT_THRESHOLD times the median luminance, and the rest.
    """
    level = clean.mean(2)
    bright = np.float32(HIGHLIGHT_THRESHOLD * _middle(level))
    low = clean * np.minimum(np.float32(1.0), bright / np.maximum(level, np.float32(1e-30)))[..., None]
    return low, clean - low


def match_mean_luminance(clean: Floats, noisy: Floats) -> Floats:
    """Restore the mean light that denoising lost.

    Rare bright samples are lost in denoising. The mean is restored per channel and per step of brightness with the
    shape of what is left.

    Parameters
    ----------
    clean : ndarray
        Denoised light, (H, W, 3).
    noisy : ndarray
        The same light with noise, (H, W, 3).

    Returns
    -------
    ndarray
        Denoised light with the mean of the noisy one.
    """
    flat, wanted = clean.reshape(-1, 3), noisy.reshape(-1, 3)
    level = flat @ np.full(3, 1.0 / 3.0, np.float32)
    middle = _middle(level)
    if middle <= 0.0:
        return clean
    kept, owed = np.zeros_like(flat), np.zeros(3)
    # where a step begins, and what a unit of brightness has got in those under it
    low, below = 0.0, np.zeros(3)
    most, highest = np.inf, float(level.max())  # a first sample can miss most of what is dim
    for high in (middle * step for step in LUMINANCE_BANDS):
        here = np.flatnonzero((level > low) & (level <= high))
        if not here.size:
            continue
        brightness = level[here]
        unit, ones = flat.take(here, 0) / brightness[:, None], np.ones_like(brightness)
        owed += ones @ wanted.take(here, 0) - below * (ones @ unit)
        over = brightness - np.float32(low)
        there = over @ unit
        gain = np.clip(owed / np.maximum(there, np.float32(1e-30)), 0.0, most)
        owed -= gain * there
        kept[here] = unit * (below + over[:, None] * gain).astype(np.float32)
        below += gain * (min(high, highest) - low)
        low, most = high, MAX_BAND_GAIN
    return kept.reshape(clean.shape)


def denoise_prefiltered(
    pictures: Sequence[Floats], film: Film, cancelled: Callable[[], bool] = _never
) -> list[Floats] | None:
    """Denoise pictures of one film in the best quality, with prefiltered features.

    Parameters
    ----------
    pictures : sequence of ndarray
        Lights, AP1 cd/m², (H, W, 3).
    film : Film
        Film that gives the features.
    cancelled : callable, optional
        Tells whether to stop.

    Returns
    -------
    list of ndarray or None
        The denoised pictures; None when cancelled.
    """
    cleaner, features, out = shared_denoiser(), _features(film), []
    for name, image in list(features.items()):
        clean = cleaner.run({name: image}, cancelled)
        if clean is None:
            return None
        features[name] = clean
    for picture in pictures:
        clean = cleaner.run({"color": _sound(picture), **features}, cancelled, best=True)
        if clean is None:
            return None
        out.append(clean)
    return out
