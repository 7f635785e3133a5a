# SPDX-License-Identifier: Apache-2.0
"""Light between surfaces against closed forms of the literature: view factors, furnaces, the disc over an edge."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gloamet.colour.spaces import AP1_LUMINANCE, REC709_TO_AP1
from gloamet.sky.dome import SUN_DIAMETER_DEG, uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Material
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import LIMB_DARKENING_EXPONENT, build_environment
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import box, level, make_scene, quad
from tests.trace.test_path_tracer import expose, matt, sphere, sun_only

GLOW = Material("glow", (1, 1, 1), emission=(100.0, 100.0, 100.0), emits_back=False)
WHITE = float(REC709_TO_AP1 @ np.full(3, 100.0) @ AP1_LUMINANCE)


def facing(x: float, y: float) -> float:
    """Howell, catalogue of configuration factors, C-11: identical, parallel, directly opposed rectangles."""
    p, q = math.sqrt(1 + x * x), math.sqrt(1 + y * y)
    total = 0.5 * math.log((p * q) ** 2 / (1 + x * x + y * y)) - x * math.atan(x) - y * math.atan(y)
    total += x * q * math.atan(x / q) + y * p * math.atan(y / p)
    return 2.0 / (math.pi * x * y) * total


def cornered(h: float, w: float) -> float:
    """Howell, C-14: two rectangles of one common edge at a right angle; from the one of width w."""
    s = h * h + w * w
    a = (1 + w * w) * (1 + h * h) / (1 + s)
    b = (w * w * (1 + s) / ((1 + w * w) * s)) ** (w * w)
    c = (h * h * (1 + s) / ((1 + h * h) * s)) ** (h * h)
    total = w * math.atan(1 / w) + h * math.atan(1 / h) - math.sqrt(s) * math.atan(1 / math.sqrt(s))
    return (total + 0.25 * math.log(a * b * c)) / (math.pi * w)


def received(tracer: Renderer, card: np.ndarray, glow: np.ndarray, camera: Camera) -> float:
    """Fraction of a glowing rectangle's radiance that a matt half-white card sends on, over its reflectance."""
    film = Film(160, 160)
    stage = build_render_scene(make_scene((card, matt(0.5)), (glow, GLOW)))
    assert tracer.accumulate(film, stage, build_environment(uniform_dome(0.0)), camera, 64, 1)
    # the glowing side faces away from the camera: all that is seen comes from the card, also at its rim, and
    # all else, white or empty, counts as of albedo 1
    shown = float((1.0 - film.mean("albedo")[..., 1]).sum()) / 0.5
    assert shown > 1000
    return float((film.mean("lamps") @ AP1_LUMINANCE).sum() / (0.5 * WHITE * shown))


@pytest.mark.proof(
    "View factor of parallel rectangles",
    source="Howell, Catalog of Radiation Heat Transfer Configuration Factors, C-11",
    kind="published",
)
@pytest.mark.parametrize(("wide", "deep", "apart"), [(1.0, 1.0, 1.0), (2.0, 1.0, 0.7), (1.0, 3.0, 2.0)])
def test_opposed_rectangles_exchange_light_as_howell_c11(
    tracer: Renderer, wide: float, deep: float, apart: float
) -> None:
    assert facing(1.0, 1.0) == pytest.approx(0.1998, abs=1e-4)  # tabulated
    floor = quad((0, 0, 0), (wide, 0, 0), (wide, deep, 0), (0, deep, 0))
    ceiling = quad((0, 0, apart), (0, deep, apart), (wide, deep, apart), (wide, 0, apart))
    middle = (wide / 2, deep / 2, 0.0)
    # from the side, low enough to look in under the ceiling
    camera = Camera((wide / 2 + 60.0, deep / 2, 60.0 * 0.3 * apart / wide), middle, parallel_m=1.2 * deep)
    assert received(tracer, floor, ceiling, camera) == pytest.approx(
        facing(wide / apart, deep / apart), rel=0.01
    )


@pytest.mark.proof("View factor of perpendicular rectangles", source="Howell, C-14", kind="published")
@pytest.mark.parametrize(("high", "wide"), [(1.0, 1.0), (0.5, 2.0)])
def test_rectangles_in_a_corner_exchange_light_as_howell_c14(
    tracer: Renderer, high: float, wide: float
) -> None:
    assert cornered(1.0, 1.0) == pytest.approx(0.2000, abs=1e-4)  # tabulated
    floor = quad((0, 0, 0), (wide, 0, 0), (wide, 1, 0), (0, 1, 0))
    wall = quad((0, 0, 0), (0, 1, 0), (0, 1, high), (0, 0, high))
    camera = Camera((wide / 2, 0.5, 30.0), (wide / 2, 0.5, 0.0), parallel_m=1.2 * max(1.0, wide))
    assert received(tracer, floor, wall, camera) == pytest.approx(cornered(high, wide), rel=0.012)


@pytest.mark.proof("Clear glass vanishes in a uniform sky", source="white furnace", kind="physics")
@pytest.mark.parametrize("thin", [True, False])
@pytest.mark.parametrize("body", ["slab", "ball"])
def test_clear_glass_vanishes_in_a_uniform_sky(tracer: Renderer, thin: bool, body: str) -> None:
    glass = Material("glass", (1.0, 1.0, 1.0), 0.0, 0.0, 1.0, 1.5, thin)
    shape = box((-1.5, -1.5, -0.1), (1.5, 1.5, 0.1)) if body == "slab" else sphere(1.0, (0.0, 0.0, 0.0))
    camera = Camera((1.0, -4.0, 2.5), (0.0, 0.0, 0.0), 40.0)
    film = expose(tracer, make_scene((shape, glass)), uniform_dome(50.0), camera, 48, 64, 32)
    sky = film.mean("sky")
    assert sky.mean() == pytest.approx(50.0, rel=0.003)
    assert sky.max() < 50.0 * 1.001  # no pixel gains


@pytest.mark.proof(
    "Profile of a penumbra", source="Hestroffer & Magnan 1998, limb darkening, from memory", kind="memory"
)
def test_the_penumbra_is_the_profile_of_a_limb_darkened_disc_over_an_edge(tracer: Renderer) -> None:
    # brightness (1 - r2)^(1/4) over the disc (Hestroffer & Magnan 1998, LIMB = 0.5): its strips at x shine as
    # (1 - x2)^(3/4), and an edge leaves free those up to s
    assert LIMB_DARKENING_EXPONENT == 0.5
    roof = quad((-20.0, -20.0, 4.0), (0.0, -20.0, 4.0), (0.0, 20.0, 4.0), (-20.0, 20.0, 4.0))
    stage = build_render_scene(make_scene((level(50.0), matt(0.5)), (roof, matt(0.5))))
    film, below = Film(120, 16), Camera((0.0, 0.0, 3.0), (0.0, 0.0, 0.0), parallel_m=0.008)
    assert tracer.accumulate(film, stage, build_environment(sun_only(90.0)), below, 512, 1)
    profile = film.mean("sun")[..., 1].mean(0) / (0.5 * 1000 / math.pi)
    x = ((np.arange(120) + 0.5) / 120 - 0.5) * 0.06
    s = np.clip(x / (4.0 * math.tan(math.radians(SUN_DIAMETER_DEG / 2))), -1.0, 1.0)
    strips = np.linspace(-1.0, 1.0, 4001)
    free = np.cumsum((1.0 - strips**2) ** 0.75)
    wanted = np.interp(s, strips, free / free[-1])
    assert np.abs(profile - wanted).max() < 0.008
    assert np.abs(profile - wanted).mean() < 0.002


def test_a_patch_under_half_the_sky_receives_half(tracer: Renderer) -> None:
    # beside an endless black wall: E = pi L / 2
    wall = quad((0, -4000, 0), (0, 4000, 0), (0, 4000, 4000), (0, -4000, 4000))
    scene = make_scene((level(0.5), matt(0.5)), (wall, Material("black", (0, 0, 0))))
    beside = Camera((0.1, 0.0, 10.0), (0.1, 0.0, 0.0), 0.2)
    film = expose(tracer, scene, uniform_dome(80.0), beside, 32, 128, 1)
    assert film.mean("sky").mean() == pytest.approx(0.5 * 80.0 * 0.5, rel=0.01)
