"""The quick shading of a relit pixel reflects the sun as the path tracer's own surface does."""

from __future__ import annotations

import numpy as np
import pytest
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.bsdf import eval_bsdf
from gloamet.trace.relight import composite as shade
from gloamet.trace.relight import gbuffer as screen
from gloamet.trace.relight.final_gather import (
    FACE_NORMAL,
    POINT_ALPHA,
    POINT_NORMAL,
    POINT_SPECULAR,
    POINT_TO_VIEWER,
    POINT_WORDS,
)

F = np.float32


@njit(**KERNEL_OPTIONS)
def _quick(points, paint, brief, gleam, sun, out):  # type: ignore[no-untyped-def]
    for i in range(len(points)):
        out[i, 0], out[i, 1], out[i, 2] = shade._sun_reflected(points, paint, brief, gleam, i, sun)


def _unit(vectors: np.ndarray) -> np.ndarray:
    return vectors / np.linalg.norm(vectors, axis=1, keepdims=True)


@pytest.mark.parametrize("gloss", [0.0, 0.4, 1.0])
def test_matt_and_glossy_pixels_reflect_the_sun_as_paths_do(gloss: float) -> None:
    n, rng = 200, np.random.default_rng(3)
    points, paint = np.zeros((n, POINT_WORDS), np.float32), np.zeros((n, screen.SHADING_WORDS), np.float32)
    points[:, POINT_NORMAL + 2] = points[:, FACE_NORMAL + 2] = 1.0
    points[:, POINT_TO_VIEWER : POINT_TO_VIEWER + 3] = _unit(
        np.abs(rng.normal(size=(n, 3))) + [0.0, 0.0, 0.1]
    )
    points[:, POINT_ALPHA], points[:, POINT_SPECULAR] = rng.uniform(0.1, 0.9, n), gloss
    colour = rng.uniform(0.1, 0.9, (n, 3)).astype(np.float32)
    paint[:, screen.PIXEL_KIND], paint[:, screen.PATH_WEIGHT : screen.PATH_WEIGHT + 3] = (
        screen.SURFACE_PIXEL,
        1.0,
    )
    paint[:, screen.ALBEDO : screen.ALBEDO + 3] = colour
    for i in range(n):
        nv, alpha = points[i, POINT_TO_VIEWER + 2], points[i, POINT_ALPHA]
        paint[i, screen.DIFFUSE_ALBEDO_SCALE] = F(1) - F(gloss) * shade.directional_albedo(1, nv, alpha)
    brief = np.zeros((n, shade.DIFFUSE_WORDS), np.float32)
    gleam = np.zeros((n, shade.SPECULAR_WORDS), np.float32)
    shade.pack_diffuse(points, paint, 0, n, brief)
    shade.pack_specular(points, paint, 0, n, gleam)
    sun = np.zeros(12, np.float32)
    sun[:3] = _unit(np.array([[0.3, 0.5, 0.6]]))[0]
    quick = np.empty((n, 3), np.float32)
    _quick(points, paint, brief, gleam, sun, quick)
    for i in range(n):
        viewer = (F(x) for x in points[i, POINT_TO_VIEWER : POINT_TO_VIEWER + 3])
        share = F(0.5) if gloss > 0.0 else F(0)
        surface = (F(0), F(0), F(1), *viewer, *colour[i], points[i, POINT_ALPHA], F(0), F(gloss), share)
        wanted = eval_bsdf(surface, sun[0], sun[1], sun[2])[:3]
        assert quick[i] == pytest.approx(np.float32(wanted), rel=2e-3, abs=1e-5)
