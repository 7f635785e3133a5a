# SPDX-License-Identifier: Apache-2.0
"""The quick shading of a relit pixel reflects the sun as the path tracer's own surface does."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pytest
from numba import njit

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.geometry.records import Bsdf
from gloamet.trace.relight import composite
from gloamet.trace.relight import points as p
from gloamet.trace.relight.relit_layer import GBuffer
from gloamet.trace.surfaces.bsdf import directional_albedo, eval_bsdf
from tests.conftest import called

F = np.float32


class Display(NamedTuple):
    """What the kernel reads of a `layer.DisplayArrays`."""

    points: np.ndarray
    shading: np.ndarray
    diffuse: np.ndarray
    specular: np.ndarray


@njit(**KERNEL_OPTIONS)
def _quick(display, sun, out):  # type: ignore[no-untyped-def]
    for i in range(len(display.points)):
        out[i, 0], out[i, 1], out[i, 2] = composite._sun_reflected(display, i, sun)


def _unit(vectors: np.ndarray) -> np.ndarray:
    return vectors / np.linalg.norm(vectors, axis=1, keepdims=True)


@pytest.mark.parametrize("gloss", [0.0, 0.4, 1.0])
def test_matt_and_glossy_pixels_reflect_the_sun_as_paths_do(gloss: float) -> None:
    n, rng = 200, np.random.default_rng(3)
    points, paint = np.zeros((n, p.POINT_WORDS), np.float32), np.zeros((n, p.SHADING_WORDS), np.float32)
    points[:, p.POINT_NORMAL + 2] = points[:, p.FACE_NORMAL + 2] = 1.0
    points[:, p.POINT_TO_VIEWER : p.POINT_TO_VIEWER + 3] = _unit(
        np.abs(rng.normal(size=(n, 3))) + [0.0, 0.0, 0.1]
    )
    points[:, p.POINT_ALPHA], points[:, p.POINT_SPECULAR] = rng.uniform(0.1, 0.9, n), gloss
    colour = rng.uniform(0.1, 0.9, (n, 3)).astype(np.float32)
    paint[:, p.PIXEL_KIND], paint[:, p.PATH_WEIGHT : p.PATH_WEIGHT + 3] = (
        p.SURFACE_PIXEL,
        1.0,
    )
    paint[:, p.ALBEDO : p.ALBEDO + 3] = colour
    for i in range(n):
        nv, alpha = points[i, p.POINT_TO_VIEWER + 2], points[i, p.POINT_ALPHA]
        paint[i, p.DIFFUSE_ALBEDO_SCALE] = F(1) - F(gloss) * called(directional_albedo)(1, nv, alpha)
    brief = np.zeros((n, composite.DIFFUSE_WORDS), np.float32)
    gleam = np.zeros((n, composite.SPECULAR_WORDS), np.float32)
    composite.pack_diffuse(points, paint, 0, n, brief)
    composite.pack_specular(points, paint, 0, n, gleam)
    sun = tuple(np.float32(_unit(np.array([[0.3, 0.5, 0.6]]))[0]))
    quick = np.empty((n, 3), np.float32)
    _quick(Display(points, paint, brief, gleam), sun, quick)
    for i in range(n):
        viewer = tuple(points[i, p.POINT_TO_VIEWER : p.POINT_TO_VIEWER + 3])
        fraction = F(0.5) if gloss > 0.0 else F(0)
        bsdf = Bsdf(
            (F(0), F(0), F(1)), viewer, tuple(colour[i]), points[i, p.POINT_ALPHA], F(0), F(gloss), fraction
        )
        wanted = called(eval_bsdf)(bsdf, sun).value
        assert quick[i] == pytest.approx(np.float32(wanted), rel=2e-3, abs=1e-5)


@pytest.mark.parametrize(
    ("specular", "metalness", "glossy"), [(0.0, 0.0, False), (0.5, 0.0, True), (0.0, 1.0, True)]
)
def test_a_layer_is_glossy_by_its_surfaces_coat_or_metal(
    specular: float, metalness: float, glossy: bool
) -> None:
    buffer = GBuffer(3, 2)
    buffer.points[1, p.POINT_SPECULAR], buffer.points[1, p.POINT_METALNESS] = specular, metalness
    assert not buffer.glossy  # no surface is seen there
    buffer.shading[1, p.PIXEL_KIND] = p.SURFACE_PIXEL
    assert buffer.glossy is glossy
