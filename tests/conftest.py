# SPDX-License-Identifier: Apache-2.0
"""Shared ground of the tests: an offscreen screen, a private home, small scenes with known answers."""

from __future__ import annotations

import os
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

import astropy.coordinates  # noqa: F401  before colour-science, whose stand-in for matplotlib astropy takes for real
import numpy as np
import pytest
from hypothesis import settings

import gloamet  # noqa: F401  before any test imports Numba: it says where kernels are kept

pytest_plugins = ["tests.desk_fixtures"]
# a busy machine is no failure; CI judges a change by the same examples each time, a run at the desk explores
settings.register_profile("ours", deadline=None, derandomize="CI" in os.environ)
settings.load_profile("ours")

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


@pytest.fixture(autouse=True)
def _private_home(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("XDG_CONFIG_HOME", str(home))


@pytest.fixture(scope="session")
def solver():  # type: ignore[no-untyped-def]
    """One sky solver for all tests: its tables are costly."""
    from gloamet.sky.sky_solver import SkySolver

    return SkySolver()


@pytest.fixture(scope="session")
def tracer():  # type: ignore[no-untyped-def]
    """One pool of ray threads."""
    from gloamet.trace.film import Renderer

    return Renderer()


@cache
def called(kernel: Any) -> Any:
    """A kernel that only other kernels call, to be called from a test."""
    from numba import njit

    return njit(lambda *words: kernel(*words))


def quad(
    a: tuple[float, ...], b: tuple[float, ...], c: tuple[float, ...], d: tuple[float, ...]
) -> np.ndarray:
    """Two triangles as (2, 3, 3) points."""
    p = np.array([a, b, c, d], float)
    return np.stack([p[[0, 1, 2]], p[[0, 2, 3]]])


def level(size: float, z: float = 0.0) -> np.ndarray:
    """A level square about the origin."""
    return quad((-size, -size, z), (size, -size, z), (size, size, z), (-size, size, z))


def box(low: tuple[float, ...], high: tuple[float, ...]) -> np.ndarray:
    """The twelve triangles of a box."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    return np.concatenate(
        [
            quad((x0, y0, z0), (x0, y1, z0), (x1, y1, z0), (x1, y0, z0)),
            quad((x0, y0, z1), (x1, y0, z1), (x1, y1, z1), (x0, y1, z1)),
            quad((x0, y0, z0), (x1, y0, z0), (x1, y0, z1), (x0, y0, z1)),
            quad((x1, y0, z0), (x1, y1, z0), (x1, y1, z1), (x1, y0, z1)),
            quad((x1, y1, z0), (x0, y1, z0), (x0, y1, z1), (x1, y1, z1)),
            quad((x0, y1, z0), (x0, y0, z0), (x0, y0, z1), (x0, y1, z1)),
        ]
    )


def make_scene(*parts: tuple[np.ndarray, object]):  # type: ignore[no-untyped-def]
    """A Scene from (triangles (T, 3, 3), Material) pairs."""
    from gloamet.stage.scene import Part, Scene, Shape

    built = [
        Part(
            f"part {k}",
            k,
            Shape(
                np.ascontiguousarray(points.reshape(-1, 3), np.float32),
                np.arange(3 * len(points), dtype=np.uint32).reshape(-1, 3),
            ),
        )
        for k, (points, _) in enumerate(parts)
    ]
    return Scene(None, tuple(built), tuple(m for _, m in parts))  # type: ignore[arg-type]


@pytest.fixture
def obj_file(tmp_path: Path) -> Iterator[Path]:
    """A white level square of 100 m as OBJ, Z up."""
    path = tmp_path / "plane.obj"
    (tmp_path / "plane.mtl").write_text("newmtl white\nKd 0.8 0.8 0.8\n")
    path.write_text(
        "mtllib plane.mtl\nusemtl white\nv -50 -50 0\nv 50 -50 0\nv 50 50 0\nv -50 50 0\nf 1 2 3 4\n"
    )
    yield path
