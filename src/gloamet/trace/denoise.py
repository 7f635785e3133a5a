"""Cleaning grain from a picture, guided by albedo and normals; never applied to the film's own sums."""

from __future__ import annotations

from typing import Literal

import numpy as np

from gloamet.trace.film import Film, Floats


def denoise(picture: Floats, film: Film, quality: Literal["fast", "high"] = "fast") -> Floats:
    """The picture (H, W, 3) without grain; the film gives the guides. OIDN on the CPU."""
    import pyoidn

    clean = np.nan_to_num(picture, nan=0.0, posinf=1e9, neginf=0.0)
    return np.asarray(
        pyoidn.denoise(
            np.ascontiguousarray(clean, np.float32),
            albedo=np.clip(film.mean("albedo"), 0.0, 1.0),
            normal=film.mean("normal"),
            hdr=True,
            quality=quality,
        )
    )
