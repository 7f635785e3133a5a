# SPDX-License-Identifier: Apache-2.0
"""Triples of numbers inside kernels against NumPy."""

from __future__ import annotations

import numpy as np
import pytest
from numba import njit

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.trace.geometry import vec
from tests.conftest import called

F = np.float32
DICE = np.random.default_rng(7)
A, B, C = (DICE.normal(size=(40, 3)).astype(F) for _ in range(3))
S = DICE.normal(size=40).astype(F)


@njit
def _triples(a, b, c, s, out):  # type: ignore[no-untyped-def]
    for i in range(len(s)):
        p, q, r, t = vec.triple(a, i, 0), vec.triple(b, i, 0), vec.triple(c, i, 0), s[i]
        n = vec.normalize(q)
        first, second = vec.orthonormal_basis(n)
        found = (
            vec.add(p, q),
            vec.sub(p, q),
            vec.mul(p, q),
            vec.scale(p, t),
            vec.add_scaled(p, q, t),
            vec.add_product(p, q, r),
            vec.mix(p, q, t),
            vec.neg(p),
            vec.cross(p, q),
            n,
            vec.at_most_one(p),
            vec.mirror(p, n),
            first,
            second,
            vec.from_local(n, p[0], p[1], p[2]),
        )
        for k, value in enumerate(found):
            vec.put(out, i, 3 * k, value)
        out[i, 45], out[i, 46] = vec.dot(p, q), vec.total(p)
        out[i, 47], out[i, 48] = vec.largest(p), vec.luminance(p)


@pytest.fixture(scope="module")
def found() -> np.ndarray:
    out = np.zeros((len(S), 49), F)
    _triples(A, B, C, S, out)
    return out


def test_sums_products_and_shares_are_those_of_numpy(found: np.ndarray) -> None:
    s, n = S[:, None], B / np.linalg.norm(B, axis=1, keepdims=True)
    wanted = (
        *(A + B, A - B, A * B, A * s, A + s * B, A + B * C, A + s * (B - A), -A, np.cross(A, B), n),
        *(np.minimum(A, 1.0), A - 2.0 * (A * n).sum(1, keepdims=True) * n),
    )
    for k, values in enumerate(wanted):
        assert found[:, 3 * k : 3 * k + 3] == pytest.approx(values, abs=1e-5)
    assert found[:, 45] == pytest.approx((A * B).sum(1), abs=1e-5)
    assert found[:, 46:48] == pytest.approx(np.stack([A.sum(1), A.max(1)], 1), abs=1e-5)
    assert found[:, 48] == pytest.approx(A @ AP1_LUMINANCE, abs=1e-5)


def test_a_basis_is_of_unit_length_square_and_right_handed(found: np.ndarray) -> None:
    n, first, second = (found[:, 3 * k : 3 * k + 3].astype(float) for k in (9, 12, 13))
    frame = np.stack([first, second, n], 1)
    assert np.einsum("nij,nkj->nik", frame, frame) == pytest.approx(
        np.broadcast_to(np.eye(3), frame.shape), abs=1e-5
    )
    assert np.linalg.det(frame) == pytest.approx(np.ones(len(S)), abs=1e-5)
    assert found[:, 42:45] == pytest.approx(np.einsum("ni,nij->nj", A, frame), abs=1e-5)


@njit
def _accumulate(picture, value):  # type: ignore[no-untyped-def]
    vec.accumulate(picture, 1, 2, value)


def test_a_triple_is_added_to_its_own_pixel_alone() -> None:
    picture = np.ones((3, 4, 3), F)
    _accumulate(picture, (F(1), F(2), F(3)))
    assert picture[1, 2].tolist() == [2.0, 3.0, 4.0]
    assert picture.sum() == 36.0 + 6.0


def test_weights_of_two_ways_to_draw_a_sample_are_by_the_square_of_their_densities() -> None:
    weight = called(vec.power_heuristic)
    for p, q in ((1.0, 2.0), (0.3, 0.1), (5.0, 5.0)):
        assert weight(F(p), F(q)) == pytest.approx(p * p / (p * p + q * q), rel=1e-5)  # Veach 1997, beta = 2
