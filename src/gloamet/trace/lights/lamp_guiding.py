# SPDX-License-Identifier: Apache-2.0
"""Guide cones around lamps: bright surfaces close to them, such as shades, which BSDF sampling rarely finds.

A scene's lamps and its rays enter; guides (K, GUIDE_WORDS) float32 leave: CENTRE and RADIUS of a sphere about what
the lamp lights from close by, and SUM, the fraction of light of this one and those before. At each surface one guide is
picked by its light and a direction into its sphere is drawn. Of these candidates a path keeps one, by what each could
carry (a reservoir of one: Chao 1982; resampling: Talbot et al. 2005), and when it has ended a second path follows
that and gathers lamps alone. The path itself may find the sphere too: the two are weighted by their densities (Veach
1997, power heuristic), so that nothing counts twice and the light of sun and sky is left as it is.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, F
from gloamet.trace.geometry.embree import RayScene
from gloamet.trace.geometry.records import Cone, GuidedSample
from gloamet.trace.geometry.sampler import next_pair
from gloamet.trace.geometry.vec import BLACK, UP, dot, from_local, scale, sub, triple
from gloamet.trace.surfaces.bsdf import eval_bsdf
from gloamet.trace.surfaces.materials import LAMP_EDGE_U, LAMP_EDGE_V, LAMP_ORIGIN, LAMP_PDF
from gloamet.trace.surfaces.visibility import hit_distances

Floats = NDArray[np.float32]
CENTRE, RADIUS, SUM, GUIDE_WORDS = 0, 3, 4, 5
MAX_GUIDES, RAYS = 64, 256
NEARBY_M = 0.6  # a lamp lights nothing else as brightly as what is so close
MIN_HIT_FRACTION = 0.1  # of its rays must end there, else it hangs free
RADIUS_SCALE = 1.12  # than what most rays meet: the lip of a shade, left outside, sent bright paths by chance
CONTINUE_PROBABILITY = F(
    0.3
)  # of following the candidate where sun and sky are sampled too; else it always is
NO_CONE = Cone(UP, F(2), F(0))
_MIN_SIN2 = F(1e-5)  # squared sine of a cone


def _spiral_directions() -> NDArray[np.float64]:
    """RAYS directions all round (spiral points)."""
    k = np.arange(RAYS) + 0.5
    z, turn = 1.0 - 2.0 * k / RAYS, 2.399963229728653 * k
    r = np.sqrt(1.0 - z * z)
    return np.stack([r * np.cos(turn), r * np.sin(turn), z], -1)


def _guide_cone(rows: Floats, rays: RayScene) -> Floats | None:
    """The ball about what is near to one lamp, given as its rows of the lamp table."""
    weights = rows[:, LAMP_PDF] / rows[:, LAMP_PDF].sum()
    middles = rows[:, LAMP_ORIGIN : LAMP_ORIGIN + 3].astype(np.float64)
    if np.any(rows[:, LAMP_EDGE_V : LAMP_EDGE_V + 3]):
        middles = (
            middles + (rows[:, LAMP_EDGE_U : LAMP_EDGE_U + 3] + rows[:, LAMP_EDGE_V : LAMP_EDGE_V + 3]) / 3.0
        )
    centre = weights @ middles
    body = float(np.linalg.norm(middles - centre, axis=1).max())
    directions = _spiral_directions()
    starts = centre + (1.05 * body + 1e-3) * directions
    far = hit_distances(rays, starts, directions)
    ends = starts + directions * far[:, None]
    near = (far >= 0.0) & (np.linalg.norm(ends - centre, axis=1) < NEARBY_M + body)
    if near.mean() < MIN_HIT_FRACTION:
        return None
    radius = RADIUS_SCALE * float(np.quantile(np.linalg.norm(ends[near] - centre, axis=1), 0.95))
    return np.array([*centre, radius, rows[:, LAMP_PDF].sum()], np.float32)


def find_guide_cones(lamps: list[Floats], rays: RayScene) -> Floats:
    """The halos of the MOST brightest lamps; each lamp is its rows of the lamp table."""
    brightest = sorted(lamps, key=lambda rows: -float(rows[:, LAMP_PDF].sum()))[:MAX_GUIDES]
    found = [halo for rows in brightest if (halo := _guide_cone(rows, rays)) is not None]
    if not found:
        return np.zeros((0, GUIDE_WORDS), np.float32)
    out = np.stack(found)
    out[:, SUM] = np.cumsum(out[:, SUM], dtype=np.float64) / out[:, SUM].sum(dtype=np.float64)
    out[-1, SUM] = 1.0
    return out


@njit(**INNER_KERNEL_OPTIONS)
def guide_cone(guide_cones, pick, point, normal):
    """The `Cone` in which a point of that normal sees one guide, by a uniform number; none from inside it, or when it
    lies behind the surface."""
    k = 0
    while k < len(guide_cones) - 1 and guide_cones[k, SUM] <= pick:
        k += 1
    offset = sub(triple(guide_cones, k, CENTRE), point)
    square = dot(offset, offset)
    s2 = guide_cones[k, RADIUS] * guide_cones[k, RADIUS] / max(square, F(1e-12))
    if s2 >= F(0.8) or s2 < _MIN_SIN2:
        return NO_CONE
    axis = scale(offset, F(1) / math.sqrt(square))
    if dot(axis, normal) <= -math.sqrt(s2):
        return NO_CONE
    cosine = math.sqrt(F(1) - s2)
    # 1 - cos without the loss of digits
    return Cone(axis, cosine, (F(1) + cosine) / (F(2 * math.pi) * s2))


@njit(**INLINE_KERNEL_OPTIONS)
def sample_cone_uniform(cone, u, v):
    """A direction of the cone, all alike."""
    c = F(1) - u * (F(1) - cone.cosine)
    s, phi = math.sqrt(max(F(0), F(1) - c * c)), F(2 * math.pi) * v
    return from_local(cone.axis, s * math.cos(phi), s * math.sin(phi), c)


@njit(**INLINE_KERNEL_OPTIONS)
def cone_pdf(cone, direction):
    """Density with which `sample_cone_uniform` picks a direction."""
    return cone.pdf if dot(cone.axis, direction) >= cone.cosine else F(0)


@njit(**INLINE_KERNEL_OPTIONS)
def sample_guided_direction(guide_cones, state, bsdf, continue_probability, origin, normal):
    """A direction towards a guide, that a second path may take, by random numbers: (state, `GuidedSample`)."""
    state, pick, selection_sample = next_pair(state)
    cone = guide_cone(guide_cones, pick, origin, normal)
    pdf = continue_probability * cone.pdf
    direction, weight, bsdf_pdf = UP, BLACK, F(0)
    if pdf > F(0):
        state, u, v = next_pair(state)
        direction = sample_cone_uniform(cone, u, v)
        f = eval_bsdf(bsdf, direction)
        bsdf_pdf = f.pdf
        if dot(direction, normal) > F(0):
            weight = scale(f.value, continue_probability * pdf / (pdf * pdf + f.pdf * f.pdf))
    return state, GuidedSample(cone, pdf, direction, weight, bsdf_pdf, selection_sample)
