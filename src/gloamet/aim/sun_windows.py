# SPDX-License-Identifier: Apache-2.0
"""Dates and times at which sunlight reaches a surface: a scan of the year, its spans, and the opening it passes
through.

A compiled scene and a target (points with normals) enter; the sunlit fraction of every moment of a `YearGrid` leaves,
and spans of days with the clock times at which the sun is there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from gloamet.aim.moments import AlmanacSite
from gloamet.aim.pins import part_name
from gloamet.errors import GloametError
from gloamet.sun.nearest import ALL_YEAR, TimeWindow
from gloamet.sun.position import direction
from gloamet.sun.year import YearGrid, year_grid
from gloamet.trace.first_hits import GLASSY, SOLID, probe
from gloamet.trace.render_scene import RenderScene
from gloamet.trace.sun_exposure import sunlit_fractions

POINTS, MINUTES = 96, 10
SIDE_COS = 0.94  # faces within 20 degrees of the picked one belong to the picked surface
SAME_PLANE_M = 0.05
GAP_STEP_DEG, GAP_MOST_DEG = 0.5, 40.0
FEWEST_SHARE = 0.02  # less sun than that is not counted as reaching it
Array = NDArray[np.float64]


@dataclass(frozen=True)
class SunTarget:
    """Points (P, 3) on a surface and their normals; both_sides for a whole part."""

    name: str
    points: NDArray[np.float32]
    normals: NDArray[np.float32]
    both_sides: bool


@dataclass(frozen=True)
class YearScan:
    """The sunlit share (days, steps) of every moment of a year's grid, 0 outside the window."""

    target: SunTarget
    grid: YearGrid
    fraction: NDArray[np.float32]


@dataclass(frozen=True)
class SunlitSpan:
    """Days in a row on which the sun comes at about the same time: clock times are those of the middle day."""

    first: date
    last: date
    begins: datetime
    ends: datetime
    fraction: float

    def sentence(self, name: str) -> str:
        """The span as a sentence; over weeks the sun comes earlier or later, so a clock time has its day."""
        times = f"{self.begins:%-H:%M}–{self.ends:%-H:%M}"
        up_to = f"up to {100 * self.fraction:.0f} % of it"
        if self.first == self.last:
            return f"The sun reaches {name} on {_day(self.first)} {times}, {up_to}"
        days = f"from {_day(self.first)} to {_day(self.last)}"
        return f"The sun reaches {name} {days}, {times} on {_day(self.begins.date())}, {up_to}"


def _day(day: date) -> str:
    return f"{day.day} {day:%B}"


def target_from_part(
    scene: RenderScene, part_name: str, side: Array | None = None, near: Array | None = None
) -> SunTarget:
    """Spread sample points evenly over a part, or over some of its faces.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    part_name : str
        Name of the part.
    side : ndarray or None, optional
        Outward direction of the faces to use, (3,); None uses all faces.
    near : ndarray or None, optional
        A point on the plane of those faces, (3,) metres; None uses all planes.

    Returns
    -------
    SunTarget
        The sample points.

    Raises
    ------
    GloametError
        There is no such part, or it has no such face.
    """
    part = next((p for p in scene.scene.parts if p.name == part_name), None)
    if part is None:
        raise GloametError(f"There is no part “{part_name}”: gloamet inspect lists them.")
    corners = part.positions[part.triangles.astype(np.int64)]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    if np.linalg.det(part.matrix[:3, :3]) < 0.0:
        across = -across
    area = np.linalg.norm(across, axis=1)
    normals = across / np.maximum(area, 1e-30)[:, None]
    if side is not None:
        facing = normals @ np.asarray(side, float)
        keep = np.ones(len(facing), bool)
        if near is not None:
            keep = np.abs(((corners.mean(1) - near) * np.asarray(side, float)).sum(1)) < SAME_PLANE_M
        if not (keep & (facing > SIDE_COS)).any():  # a sheet that is wound the other way
            normals, facing = -normals, -facing
        keep &= facing > SIDE_COS
        corners, normals, area = corners[keep], normals[keep], area[keep]
    if not len(area) or area.sum() <= 0.0:
        raise GloametError(f"“{part_name}” has no face on that side: pick another point.")
    k = np.arange(POINTS)
    chosen = np.searchsorted(np.cumsum(area) / area.sum(), (k + 0.5) / POINTS).clip(0, len(area) - 1)
    # Roberts' R2 sequence, folded into the triangle
    u, v = (0.5 + k * 0.7548776662466927) % 1.0, (0.5 + k * 0.5698402909980532) % 1.0
    fold = u + v > 1.0
    u, v = np.where(fold, 1.0 - u, u), np.where(fold, 1.0 - v, v)
    a, b, c = (corners[chosen, n] for n in range(3))
    points = a + u[:, None] * (b - a) + v[:, None] * (c - a)
    return SunTarget(part_name, points.astype(np.float32), normals[chosen].astype(np.float32), side is None)


def scan_year(
    scene: RenderScene,
    target: SunTarget,
    site: AlmanacSite,
    window: TimeWindow = ALL_YEAR,
    minutes: int = MINUTES,
    cancelled: Callable[[], bool] | None = None,
) -> YearScan:
    """Compute the sunlit fraction of a target through the year.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    target : SunTarget
        Points on a surface.
    site : AlmanacSite
        Site and year.
    window : TimeWindow, optional
        Hours and season to scan.
    minutes : int, optional
        Step between instants, minutes; divides 1440.
    cancelled : callable or None, optional
        Tells whether to stop; None never stops.

    Returns
    -------
    YearScan
        Fractions 0 to 1 on a grid of days and clock times.
    """
    grid = year_grid(site.year, site.latitude_deg, site.longitude_deg, site.tz, minutes)
    hours = np.arange(grid.times_s.shape[1]) * grid.minutes / 60.0
    days = np.array([window.holds_day(grid.day(k)) for k in range(len(grid.times_s))])
    counts = (grid.elevation_deg > 0.0) & days[:, None] & window.holds_hour(hours)[None]
    suns = direction(grid.azimuth_deg[counts] + site.north_deg, grid.elevation_deg[counts])
    fraction = np.zeros(grid.times_s.shape, np.float32)
    fraction[counts] = sunlit_fractions(
        scene, target.points, target.normals, target.both_sides, suns, cancelled
    )
    return YearScan(target, grid, fraction)


def sunlit_spans(scan: YearScan, site: AlmanacSite, least: float = FEWEST_SHARE) -> list[SunlitSpan]:
    """Group the sunlit moments of a scan into spans of days and clock times.

    Gaps of half an hour and of up to two days are closed; a span across the new year is one span.

    Parameters
    ----------
    scan : YearScan
        Sunlit fractions through the year.
    site : AlmanacSite
        Site and year.
    least : float, optional
        Smallest sunlit fraction that counts, 0 to 1.

    Returns
    -------
    list of SunlitSpan
        Spans, longest sunshine first.
    """
    from scipy import ndimage

    lit = scan.fraction >= least
    if not lit.any():
        return []
    # what is added at the ends comes from the other end, so that nothing is lost or closed at New Year
    ring = np.concatenate([lit[-3:], lit, lit[:3]])
    ring = ndimage.binary_closing(ring, np.ones((1, 4), bool)) | ndimage.binary_closing(
        ring, np.ones((3, 1), bool)
    )
    labels, count = ndimage.label((ring | np.concatenate([lit[-3:], lit, lit[:3]]))[3:-3])
    bands: dict[int, list[tuple[int, int]]] = {k: [] for k in range(1, count + 1)}
    for d, k in np.argwhere(labels > 0):
        bands[int(labels[d, k])].append((int(d), int(k)))
    for a, b in {(int(a), int(b)) for a, b in zip(labels[0], labels[-1], strict=True) if a and b and a != b}:
        if a in bands and b in bands:
            bands[a] += [(d - len(lit), k) for d, k in bands.pop(b)]
    found = [cells for cells in bands.values() if any(lit[d, k] for d, k in cells)]
    found.sort(key=lambda cells: (-len(cells), min(cells)))
    return [_span(scan, site, cells) for cells in found]


def _span(scan: YearScan, site: AlmanacSite, cells: list[tuple[int, int]]) -> SunlitSpan:
    grid, days = scan.grid, sorted({d for d, _ in cells})
    middle = days[len(days) // 2]
    rows = [k for d, k in cells if d == middle]
    step = timedelta(minutes=grid.minutes)

    def clock(row: int) -> datetime:
        return datetime.fromtimestamp(float(grid.times_s[middle % len(grid.times_s), row]), site.tz)

    fraction = max(float(scan.fraction[d, k]) for d, k in cells)
    last = len(grid.times_s)
    return SunlitSpan(
        grid.day(days[0] % last),
        grid.day(days[-1] % last),
        clock(min(rows)),
        clock(max(rows)) + step,
        fraction,
    )


def best_moment(scan: YearScan, site: AlmanacSite) -> datetime | None:
    """Find the moment with the largest sunlit fraction of a scan.

    Parameters
    ----------
    scan : YearScan
        Sunlit fractions through the year.
    site : AlmanacSite
        Site and year.

    Returns
    -------
    datetime or None
        The moment, in the middle of equal ones; None when the target is never sunlit.
    """
    top = float(scan.fraction.max())
    if top <= 0.0:
        return None
    d, k = np.unravel_index(np.flatnonzero(scan.fraction.ravel() >= 0.999 * top), scan.fraction.shape)
    middle = len(d) // 2
    return datetime.fromtimestamp(float(scan.grid.times_s[d[middle], k[middle]]), site.tz)


def gap_in_front(scene: RenderScene, target: SunTarget, towards: Array) -> str:
    """Describe the opening through which the sun reaches a target.

    Parameters
    ----------
    scene : RenderScene
        The render scene.
    target : SunTarget
        Points on a surface.
    towards : ndarray
        Unit vector to the sun, (3,).

    Returns
    -------
    str
        The pane that the sun passes, or the parts on both sides of its path.
    """
    for point, normal in zip(target.points.astype(float), target.normals.astype(float), strict=True):
        side = 1.0 if float(normal @ towards) > 0.0 else -1.0
        if side < 0.0 and not target.both_sides:
            continue
        start = point + 4e-3 * side * normal
        if probe(scene, start, towards, SOLID) is not None:
            continue
        pane = probe(scene, start, towards, GLASSY)
        if pane is not None:
            return f"through {part_name(scene, pane)}"
        found = [_nearest_blocker(scene, start, towards, sign) for sign in (-1.0, 1.0)]
        names = [name for name in dict.fromkeys(found) if name]
        if len(names) == 2:
            return f"between {names[0]} and {names[1]}"
        return f"past {names[0]}" if names else "from the open sky"
    return ""


def _nearest_blocker(scene: RenderScene, start: Array, towards: Array, sign: float) -> str:
    """What first blocks the way when it is turned aside by and by."""
    x, y, z = (float(v) for v in towards)
    for k in range(1, int(GAP_MOST_DEG / GAP_STEP_DEG) + 1):
        angle = np.radians(sign * k * GAP_STEP_DEG)
        c, s = float(np.cos(angle)), float(np.sin(angle))
        hit = probe(scene, start, np.array([c * x + s * y, c * y - s * x, z]), SOLID)
        if hit is not None:
            return part_name(scene, hit)
    return ""
