# SPDX-License-Identifier: Apache-2.0
"""Portals: panes with an enclosed side, through which the sky is sampled by area.

A scene and its ray structure enter; portals (P, PORTAL_WORDS) float32 leave, one rectangle each: CORNER,
EDGE_A and EDGE_B (3 each), INWARD the unit normal towards the room, AREA, and the room's box LOW and HIGH.
A point asks the portals whose room it is in. A rectangle larger than its pane costs samples, never truth.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from gloamet.jit import INLINE_KERNEL_OPTIONS, INNER_KERNEL_OPTIONS, F
from gloamet.stage.scene import Part, Scene
from gloamet.trace.geometry.embree import RayScene
from gloamet.trace.geometry.vec import add_scaled, dot, scale, sub, triple
from gloamet.trace.surfaces.materials import GLASS_FROM
from gloamet.trace.surfaces.visibility import hit_distances

Floats = NDArray[np.float32]
CORNER, EDGE_A, EDGE_B, INWARD, AREA, LOW, HIGH = 0, 3, 6, 9, 12, 13, 16
PORTAL_WORDS = 19
MOST, RAYS = 24, 256
FLATNESS = 0.12  # a pane's thickness over its lesser side, at most
SMALLEST_M2, NEAREST_M = 0.04, 0.15
CLOSED, OPENER = (
    0.35,
    0.15,
)  # fraction of upward rays that leave: a room lets fewer out, its outside this many more
PORTAL_SAMPLE_FRACTION = F(0.75)  # of the sky's samples that a point in a room sends through its portals


def _hemisphere(normal: NDArray[np.float64]) -> Floats:
    """RAYS even directions about a normal (spiral points)."""
    k = np.arange(RAYS) + 0.5
    z, turn = 1.0 - k / RAYS, 2.399963229728653 * k
    r = np.sqrt(1.0 - z * z)
    side = np.cross(normal, [0.0, 0.0, 1.0] if abs(normal[2]) < 0.9 else [1.0, 0.0, 0.0])
    side /= np.linalg.norm(side)
    other = np.cross(normal, side)
    d = np.outer(r * np.cos(turn), side) + np.outer(r * np.sin(turn), other) + np.outer(z, normal)
    return np.ascontiguousarray(d, np.float32)


def _rectangle(part: Part) -> tuple[NDArray[np.float64], ...] | None:
    """Corner, edges and normal of a flat pane's rectangle; None when it is no pane."""
    points = part.positions
    centre = points.mean(0)
    _, _, axes = np.linalg.svd(points - centre, full_matrices=False)
    normal = axes[-1]
    # upright panes have their sides level and plumb, level ones along x and y
    a = np.cross([0.0, 0.0, 1.0], normal) if abs(normal[2]) < 0.95 else np.array([1.0, 0.0, 0.0])
    a = a - normal * (a @ normal)
    a /= np.linalg.norm(a)
    b = np.cross(normal, a)
    spans = [(points - centre) @ axis for axis in (a, b, normal)]
    low, high = np.array([s.min() for s in spans]), np.array([s.max() for s in spans])
    wide, tall, thick = high - low
    if thick > FLATNESS * min(wide, tall) or wide * tall < SMALLEST_M2:
        return None
    corner = centre + low[0] * a + low[1] * b + 0.5 * (low[2] + high[2]) * normal
    return corner, wide * a, tall * b, normal * max(0.01, thick)


def _room(rays: RayScene, origins: NDArray[np.float64], normal: NDArray[np.float64]) -> tuple[float, NDArray]:
    """Fraction of upward rays that leave on one side of a pane, and where the others end."""
    directions = _hemisphere(normal)
    out = hit_distances(rays, origins, directions)
    up = directions[:, 2] > 0.05
    ends = (origins + directions * out[:, None])[out > NEAREST_M]
    return float((out[up] < 0).mean()) if up.any() else 1.0, ends


def _portal(part: Part, rays: RayScene) -> Floats | None:
    found = _rectangle(part)
    if found is None:
        return None
    corner, a, b, step = found
    normal = step / np.linalg.norm(step)
    # from all over the pane: its middle may lie behind a glazing bar
    k = np.arange(RAYS) + 0.5
    positions = corner + np.outer((k * 0.7548776662) % 1.0, a) + np.outer((k * 0.5698402910) % 1.0, b)
    sides = [_room(rays, positions + s * 1.01 * step, s * normal) for s in (1.0, -1.0)]
    inner = int(np.argmin([leaving for leaving, _ in sides]))
    leaving, ends = sides[inner]
    if leaving > CLOSED or sides[1 - inner][0] < leaving + OPENER or len(ends) < RAYS // 8:
        return None
    low, high = np.percentile(ends, 1.0, axis=0), np.percentile(ends, 99.0, axis=0)
    grow = 0.05 * (high - low) + 0.01
    inward = normal * (1.0 if inner == 0 else -1.0)
    area = np.linalg.norm(a) * np.linalg.norm(b)
    return np.concatenate([corner, a, b, inward, [area], low - grow, high + grow]).astype(np.float32)


def glass_parts(scene: Scene) -> tuple[bool, ...]:
    """Which materials light comes through."""
    return tuple(m.transmission > GLASS_FROM for m in scene.materials)


def find_portals(scene: Scene, rays: RayScene) -> Floats:
    """The largest panes that light rooms, at most MOST."""
    glass = glass_parts(scene)
    panes = [part for part in scene.parts if part.casts and glass[part.material]]
    panes.sort(key=lambda part: -float(np.prod(np.sort(part.bounds()[1] - part.bounds()[0])[1:])))
    rows = [_portal(part, rays) for part in panes[: 4 * MOST]]
    found = [row for row in rows if row is not None][:MOST]
    return np.stack(found) if found else np.zeros((0, PORTAL_WORDS), np.float32)


@njit(**INLINE_KERNEL_OPTIONS)
def portal_visible_from(portals, k, point):
    """Whether portal k lights a point."""
    for axis in range(3):
        x = point[0] if axis == 0 else (point[1] if axis == 1 else point[2])
        if x < portals[k, LOW + axis] or x > portals[k, HIGH + axis]:
            return False
    return dot(sub(point, triple(portals, k, CORNER)), triple(portals, k, INWARD)) > F(1e-3)


@njit(**INNER_KERNEL_OPTIONS)
def count_portals(portals, point):
    """How many portals light a point."""
    count = 0
    for k in range(len(portals)):
        if portal_visible_from(portals, k, point):
            count += 1
    return count


@njit(**INLINE_KERNEL_OPTIONS)
def portal_point(portals, k, a, b):
    """A point of a portal by two uniform numbers."""
    along = add_scaled(triple(portals, k, CORNER), triple(portals, k, EDGE_A), a)
    return add_scaled(along, triple(portals, k, EDGE_B), b)


@njit(**INLINE_KERNEL_OPTIONS)
def inside_portal(portals, k, offset):
    """Whether a point in a portal's plane, given from its corner, lies on it."""
    edge_a, edge_b = triple(portals, k, EDGE_A), triple(portals, k, EDGE_B)
    a, b = dot(offset, edge_a), dot(offset, edge_b)
    return F(0) <= a <= dot(edge_a, edge_a) and F(0) <= b <= dot(edge_b, edge_b)


@njit(**INNER_KERNEL_OPTIONS)
def sample_portal(portals, count, pick, a, b, point):
    """A direction from a point through one of its `count` portals, by three uniform numbers."""
    wanted, k = min(int(pick * F(count)), count - 1), 0
    for j in range(len(portals)):
        if portal_visible_from(portals, j, point):
            if wanted == 0:
                k = j
                break
            wanted -= 1
    towards = sub(portal_point(portals, k, a, b), point)
    return scale(towards, F(1) / math.sqrt(max(dot(towards, towards), F(1e-12))))


@njit(**INNER_KERNEL_OPTIONS)
def portal_pdf(portals, count, point, direction):
    """Probability per steradian with which `sample_portal` picks a direction."""
    found = F(0)
    for k in range(len(portals)):
        if not portal_visible_from(portals, k, point):
            continue
        inward, to_corner = triple(portals, k, INWARD), sub(triple(portals, k, CORNER), point)
        cosine = -dot(direction, inward)
        if cosine <= F(1e-5):
            continue
        t = -dot(to_corner, inward) / cosine
        if inside_portal(portals, k, sub(scale(direction, t), to_corner)):
            found += t * t / (cosine * portals[k, AREA])
    return found / F(count)
