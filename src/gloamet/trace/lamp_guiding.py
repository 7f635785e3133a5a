"""Halos of lamps: balls about the shades and ceilings close to them, small and bright, which paths meet only by chance.

A scene's lamps and its rays enter; halos (K, HALO_WORDS) float32 leave: CENTRE, RADIUS, and SUM, the share of light
of this one and those before. At each surface one halo is picked by its light and a direction into its ball is drawn.
Of these candidates a path keeps one, by what each could carry (a reservoir of one: Chao 1982; resampling: Talbot et
al. 2005), and when it has ended a second path follows that and gathers lamps alone. The path itself may find the
ball too: the two are weighted by the density of either (Veach 1997, power heuristic), so that nothing counts twice
and the light of sun and sky is left as it is.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import KERNEL_OPTIONS
from gloamet.trace.bsdf import eval_bsdf, orthonormal_basis
from gloamet.trace.embree import RayScene
from gloamet.trace.materials import LAMP_EDGE_U, LAMP_EDGE_V, LAMP_ORIGIN, LAMP_PDF
from gloamet.trace.sampler import GOLDEN, random_pair
from gloamet.trace.visibility import hit_distances

Floats = NDArray[np.float32]
F = np.float32
CENTRE, RADIUS, SUM, GUIDE_WORDS = 0, 3, 4, 5
MAX_GUIDES, RAYS = 64, 256
NEARBY_M = 0.6  # a lamp lights nothing else as brightly as what is so close
MIN_HIT_FRACTION = 0.1  # of its rays must end there, else it hangs free
RADIUS_SCALE = 1.12  # than what most rays meet: the lip of a shade, left outside, sent bright paths by chance
CONTINUE_PROBABILITY = F(
    0.3
)  # chance that the candidate is followed where sun and sky are asked for too, else it always is
NO_CONE = (F(0), F(0), F(1), F(2), F(0))
_MIN_SIN2 = F(1e-5)  # squared sine of a cone


def _spiral_directions() -> NDArray[np.float64]:
    """RAYS directions all round (spiral points)."""
    k = np.arange(RAYS) + 0.5
    z, turn = 1.0 - 2.0 * k / RAYS, 2.399963229728653 * k
    r = np.sqrt(1.0 - z * z)
    return np.stack([r * np.cos(turn), r * np.sin(turn), z], -1)


def _guiding_sphere(rows: Floats, rays: RayScene) -> Floats | None:
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


def find_guiding_spheres(lamps: list[Floats], rays: RayScene) -> Floats:
    """The halos of the MOST brightest lamps; each lamp is its rows of the lamp table."""
    brightest = sorted(lamps, key=lambda rows: -float(rows[:, LAMP_PDF].sum()))[:MAX_GUIDES]
    found = [halo for rows in brightest if (halo := _guiding_sphere(rows, rays)) is not None]
    if not found:
        return np.zeros((0, GUIDE_WORDS), np.float32)
    out = np.stack(found)
    out[:, SUM] = np.cumsum(out[:, SUM], dtype=np.float64) / out[:, SUM].sum(dtype=np.float64)
    out[-1, SUM] = 1.0
    return out


@njit(**KERNEL_OPTIONS)
def guiding_cone(halos, pick, x, y, z, nx, ny, nz):
    """The cone a point of that normal sees of one halo, by a uniform number.

    (axis 0-2, cosine 3, density in the cone 4); density 0 for none: inside of the halo, or when it lies behind the
    surface.
    """
    k = 0
    while k < len(halos) - 1 and halos[k, SUM] <= pick:
        k += 1
    ax, ay, az = halos[k, CENTRE] - x, halos[k, CENTRE + 1] - y, halos[k, CENTRE + 2] - z
    square = ax * ax + ay * ay + az * az
    s2 = halos[k, RADIUS] * halos[k, RADIUS] / max(square, F(1e-12))
    if s2 >= F(0.8) or s2 < _MIN_SIN2:
        return NO_CONE
    inverse = F(1) / math.sqrt(square)
    ax, ay, az = ax * inverse, ay * inverse, az * inverse
    if ax * nx + ay * ny + az * nz <= -math.sqrt(s2):
        return NO_CONE
    cosine = math.sqrt(F(1) - s2)
    # 1 - cos without the loss of digits
    return ax, ay, az, cosine, (F(1) + cosine) / (F(2 * math.pi) * s2)


@njit(inline="always", **KERNEL_OPTIONS)
def sample_cone_uniform(cone, u, v):
    """A direction of the cone, all alike."""
    ax, ay, az, cosine, _density = cone
    c = F(1) - u * (F(1) - cosine)
    s, phi = math.sqrt(max(F(0), F(1) - c * c)), F(2 * math.pi) * v
    x, y = s * math.cos(phi), s * math.sin(phi)
    a, b, d, e, g, h = orthonormal_basis(ax, ay, az)
    return a * x + e * y + ax * c, b * x + g * y + ay * c, d * x + h * y + az * c


@njit(inline="always", **KERNEL_OPTIONS)
def cone_pdf(cone, dx, dy, dz):
    """Density with which `sample_cone_uniform` picks a direction."""
    ax, ay, az, cosine, density = cone
    return density if ax * dx + ay * dy + az * dz >= cosine else F(0)


@njit(inline="always", **KERNEL_OPTIONS)
def sample_guided_direction(halos, state, surface, sent, ox, oy, oz, nx, ny, nz):
    """A way into a halo from a surface, that a second path may take, by numbers of `state`.

    Returns the state, the cone; aside, the density with which it would be sent along any of its directions; a
    uniform number to keep it by; the direction; what it carries per channel, 0 where there is none; and the density
    with which the surface itself sends paths there.
    """
    state += GOLDEN
    u, coin = random_pair(state)
    cone = guiding_cone(halos, u, ox, oy, oz, nx, ny, nz)
    aside = sent * cone[4]
    fx = fy = fz = r = g = b = p = F(0)
    if aside > F(0):
        state += GOLDEN
        u, v = random_pair(state)
        fx, fy, fz = sample_cone_uniform(cone, u, v)
        r, g, b, p = eval_bsdf(surface, fx, fy, fz)
        k = sent * aside / (aside * aside + p * p) if fx * nx + fy * ny + fz * nz > F(0) else F(0)
        r, g, b = r * k, g * k, b * k
    return state, cone, aside, coin, fx, fy, fz, r, g, b, p
