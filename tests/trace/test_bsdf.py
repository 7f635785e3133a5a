# SPDX-License-Identifier: Apache-2.0
"""Surfaces by themselves: Fresnel, panes, pictures, and a reflection model that is a proper distribution."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numba import njit

from gloamet.colour.spaces import REC709_TO_AP1, srgb_to_linear
from gloamet.stage.scene import Material, Part, Scene, Shape, Texture
from gloamet.trace.geometry.records import Bsdf
from gloamet.trace.geometry.vec import orthonormal_basis
from gloamet.trace.render_scene import build_render_scene
from gloamet.trace.surfaces.bsdf import (
    directional_albedo,
    eval_bsdf,
    fresnel,
    sample_cosine_hemisphere,
    sample_ggx_vndf,
    thin_glass_fresnel,
)
from gloamet.trace.surfaces.materials import KIND, MATT
from gloamet.trace.surfaces.texturing import eval_textures, sample_texture
from tests.conftest import called

F = np.float32
UP = (F(0), F(0), F(1))


def triple(values: np.ndarray | tuple[float, ...]) -> tuple[np.float32, ...]:
    return tuple(F(v) for v in values)


def surface(view: np.ndarray, rough: float, metal: float, colour: float = 1.0, fraction: float = 0.5) -> Bsdf:
    return Bsdf(UP, triple(view), (F(colour),) * 3, F(rough**2), F(metal), F(1.0), F(fraction))


@njit
def _evaluate(bsdf, directions, out):  # type: ignore[no-untyped-def]
    for i in range(len(directions)):
        f = eval_bsdf(bsdf, (directions[i, 0], directions[i, 1], directions[i, 2]))
        out[i, 0], out[i, 1] = f.value[0], f.pdf


def evaluated(bsdf: Bsdf, directions: np.ndarray) -> np.ndarray:
    """Value of red and density (N, 2) for directions (N, 3) of the light."""
    out = np.empty((len(directions), 2), np.float32)
    _evaluate(bsdf, np.float32(directions), out)
    return out.astype(float)


def hemisphere(rings: int = 160, turns: int = 320) -> tuple[np.ndarray, np.ndarray]:
    """Directions and their solid angles over the upper hemisphere."""
    z = (np.arange(rings) + 0.5) / rings
    phi = (np.arange(turns) + 0.5) / turns * 2 * np.pi
    zz, pp = np.meshgrid(z, phi, indexing="ij")
    r = np.sqrt(1 - zz * zz)
    d = np.stack([r * np.cos(pp), r * np.sin(pp), zz], -1).reshape(-1, 3)
    return d, np.full(len(d), 2 * np.pi / len(d))


def direction(zenith_deg: float, rotation_deg: float = 0.0) -> np.ndarray:
    t, p = math.radians(zenith_deg), math.radians(rotation_deg)
    return np.array([math.sin(t) * math.cos(p), math.sin(t) * math.sin(p), math.cos(t)])


@pytest.mark.proof("Reflectance of glass against angle", source="Fresnel's equations", kind="physics")
def test_fresnel_of_glass() -> None:
    # n = 1.5: 4 % at normal incidence, everything at grazing; Brewster's angle still reflects half the s part
    assert called(fresnel)(F(1), F(1.5)) == pytest.approx(0.04, abs=1e-4)
    assert called(fresnel)(F(0), F(1.5)) == pytest.approx(1.0, abs=1e-4)
    brewster = math.cos(math.atan(1.5))
    s = ((1.5**2 - 1) / (1.5**2 + 1)) ** 2
    assert called(fresnel)(F(brewster), F(1.5)) == pytest.approx(s / 2, abs=1e-4)


@pytest.mark.parametrize("thin", [True, False])
def test_a_clear_pane_loses_nothing(thin: bool) -> None:
    scene = Scene(None, (_triangle(),), (Material("clear", (1, 1, 1), 0, 0, 1.0, 1.5, thin),))
    materials = build_render_scene(scene).materials
    for cosine in (1.0, 0.7, 0.2):
        mirrored, (r, g, b) = called(thin_glass_fresnel)(materials, 0, F(cosine))
        assert mirrored + r == pytest.approx(1.0, abs=1e-5)
        assert r == g == b


def test_two_faces_of_a_solid_body_tint_as_much_as_one_thin_sheet() -> None:
    for colour in (0.9, 0.5, 0.1):
        made = [
            build_render_scene(
                Scene(None, (_triangle(),), (Material("tinted", (colour,) * 3, 0, 0, 1.0, 1.0001, thin),))
            ).materials
            for thin in (True, False)
        ]
        thin_sheet, face = (called(thin_glass_fresnel)(m, 0, F(1))[1][0] for m in made)
        assert face**2 == pytest.approx(thin_sheet, rel=1e-3)


def _triangle(uvs: np.ndarray | None = None) -> Part:
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)
    return Part("t", 0, Shape(points, np.array([[0, 1, 2]], np.uint32), None, uvs))


@pytest.mark.parametrize(
    ("rough", "metal"), [(0.15, 0.0), (0.3, 0.0), (0.6, 0.0), (0.3, 1.0), (0.7, 1.0), (1.0, 1.0)]
)
@pytest.mark.parametrize("zenith", [0.0, 45.0, 75.0])
def test_the_density_of_sampling_is_a_distribution(rough: float, metal: float, zenith: float) -> None:
    d, solid = hemisphere()
    s = surface(direction(zenith), rough, metal, fraction=1.0 if metal else 0.5)
    total = float(evaluated(s, d)[:, 1] @ solid)
    # directions that a visible normal mirrors below the surface are the missing part
    assert (0.45 if rough > 0.9 else 0.75) < total < 1.01


@pytest.mark.parametrize(("rough", "metal"), [(0.3, 0.0), (0.6, 0.0), (0.4, 1.0), (0.9, 1.0)])
def test_white_surfaces_return_all_light_and_never_more(rough: float, metal: float) -> None:
    d, solid = hemisphere()
    for zenith in (0.0, 40.0, 70.0):
        s = surface(direction(zenith), rough, metal)
        albedo = float(evaluated(s, d)[:, 0] @ solid)
        assert albedo == pytest.approx(1.0, abs=0.025)


@pytest.mark.proof("BSDFs are reciprocal", source="Helmholtz reciprocity", kind="physics")
@given(st.floats(0, 80), st.floats(0, 80), st.floats(0, 180), st.floats(0.2, 1.0))
@settings(max_examples=60)
def test_dielectrics_are_reciprocal(a: float, b: float, turn: float, rough: float) -> None:
    v, light = direction(a), direction(b, turn)
    one = evaluated(surface(v, rough, 0.0, 0.6), light[None])[0, 0] / light[2]
    other = evaluated(surface(light, rough, 0.0, 0.6), v[None])[0, 0] / v[2]
    assert float(one) == pytest.approx(float(other), rel=2e-3, abs=1e-5)


def test_light_from_below_or_seen_from_below_is_nothing() -> None:
    s = surface(direction(30.0), 0.4, 0.0)
    assert not evaluated(s, np.array([[0.6, 0.0, -0.8]])).any()


@njit
def _sample(view, alpha, numbers, out):  # type: ignore[no-untyped-def]
    for i in range(len(numbers)):
        d = sample_ggx_vndf(UP, view, alpha, numbers[i, 0], numbers[i, 1])
        out[i, 0], out[i, 1], out[i, 2] = d


@pytest.mark.parametrize("rough", [0.2, 0.3, 0.5, 0.8])
@pytest.mark.parametrize("zenith", [20.0, 35.0, 65.0])
def test_sampled_gloss_falls_where_its_density_says(rough: float, zenith: float) -> None:
    view, bins, total = direction(zenith, 130.0), 12, 40_000
    found = np.empty((total, 3), np.float32)
    numbers = np.random.default_rng(3).uniform(0, 1, (total, 2)).astype(np.float32)
    _sample(triple(view), F(rough**2), numbers, found)
    np.testing.assert_allclose(np.linalg.norm(found, axis=1), 1.0, atol=1e-4)

    def parts(d: np.ndarray, weight: np.ndarray) -> np.ndarray:
        edges = [np.linspace(0.0, 1.0, bins + 1), np.linspace(-math.pi, math.pi, bins + 1)]
        return np.histogram2d(d[:, 2], np.arctan2(d[:, 1], d[:, 0]), edges, weights=weight)[0].ravel()

    d, solid = hemisphere(20 * bins, 40 * bins)
    expected = total * parts(d, evaluated(surface(view, rough, 1.0, fraction=1.0), d)[:, 1] * solid)
    many = expected > 20.0
    chi_square = (parts(found, np.ones(total)) - expected)[many] ** 2 / expected[many]
    # five standard deviations of a chi-square distribution with as many degrees of freedom
    assert chi_square.sum() < many.sum() + 5.0 * math.sqrt(2.0 * many.sum())
    # and a white metal gives back what it gets
    above = found[found[:, 2] > 0.0]
    value, density = evaluated(surface(view, rough, 1.0, fraction=1.0), above).T
    assert (value / density).sum() / total == pytest.approx(1.0, abs=0.04)


def test_a_mirror_mirrors() -> None:
    v = direction(50.0, 20.0)
    d = called(sample_ggx_vndf)(UP, triple(v), F(0.0), F(0.3), F(0.7))
    assert d == pytest.approx((-v[0], -v[1], v[2]), abs=1e-6)


@given(st.floats(-1, 1), st.floats(0, 360))
def test_tangents_are_orthonormal(z: float, turn: float) -> None:
    r, p = math.sqrt(max(0.0, 1 - z * z)), math.radians(turn)
    n = np.array([r * math.cos(p), r * math.sin(p), z])
    tangent, bitangent = called(orthonormal_basis)(triple(n))
    m = np.array([tangent, bitangent, n])
    assert m @ m.T == pytest.approx(np.eye(3), abs=2e-3)


def test_cosine_sampling_has_its_mean() -> None:
    rng = np.random.default_rng(1)
    z = np.mean(
        [called(sample_cosine_hemisphere)(UP, F(u), F(v))[2] for u, v in rng.uniform(0, 1, (4000, 2))]
    )
    assert z == pytest.approx(2 / 3, abs=0.01)


def test_pictures_are_filtered_repeated_and_decoded() -> None:
    pixels = np.zeros((2, 2, 4), np.uint8)
    pixels[0, 0] = (255, 128, 0, 255)
    uvs = np.array([[0, 0], [1, 0], [0, 1]], np.float32)
    material = Material("m", (0.5, 1.0, 1.0), base_texture=0)
    scene = build_render_scene(Scene(None, (_triangle(uvs),), (material,), (Texture("t", pixels),))).arrays()
    sample = called(sample_texture)
    for offset in (0.0, 3.0, -2.0):
        (r, g, b), _raw, _alpha = sample(
            scene.texels, scene.textures, 0, (F(0.25 + offset), F(0.25 - offset))
        )
        assert (r, g, b) == pytest.approx((1.0, float(srgb_to_linear(128 / 255)), 0.0), abs=1e-3)
    middle = sample(scene.texels, scene.textures, 0, (F(0.5), F(0.5)))
    assert middle[0][0] == pytest.approx(0.25, abs=1e-3)
    colour = called(eval_textures)(scene, 0, (F(0.25), F(0.25)))[0]
    wanted = REC709_TO_AP1 @ [0.5, float(srgb_to_linear(128 / 255)), 0.0]
    assert colour == pytest.approx(wanted, abs=2e-3)


def test_full_roughness_is_matt_and_gloss_appears_steadily() -> None:
    rows = [
        build_render_scene(Scene(None, (_triangle(),), (Material("m", roughness=r),))).materials[0]
        for r in (1.0, 0.95, 0.8, 0.5)
    ]
    assert rows[0][KIND] == MATT
    assert all(row[KIND] != MATT for row in rows[1:])


def test_the_table_of_returned_light_has_its_limits() -> None:
    albedo = called(directional_albedo)
    assert albedo(0, F(0.9), F(0.0)) == pytest.approx(1.0, abs=0.01)
    assert albedo(1, F(1.0), F(0.01)) == pytest.approx(0.04, abs=0.003)
    rough = [float(albedo(0, F(0.5), F(a))) for a in (0.05, 0.3, 0.6, 1.0)]
    assert rough == sorted(rough, reverse=True)
