# SPDX-License-Identifier: Apache-2.0
"""Radiance of cells: the cells a view needs, their gathered samples, and their radiance under a sun and sky.

Lists of a cache's points enter at the start; the light table, ready to be read, leaves after every
`solve`. Bounces between cells start from the result of the picture before, so that a moving sun needs
one round a picture and a sun at rest a few more.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.camera import Camera
from gloamet.trace.geometry.rays import LANES, empty_packets
from gloamet.trace.lights.environment import Environment
from gloamet.trace.relight.cell_samples import stratified_subset
from gloamet.trace.relight.cell_sun_rays import trace_all_cells_sun
from gloamet.trace.relight.final_gather import (
    HIT_ALBEDO,
    HIT_ALPHA,
    HIT_NORMAL,
    HIT_ON_GROUND,
    HIT_POSITION,
    HIT_SPECULAR,
    HIT_TRANSLUCENCY,
    HIT_WORDS,
    CellArrays,
    gather,
    propagate,
    random_walk,
)
from gloamet.trace.relight.points import (
    FACE_NORMAL,
    POINT_ALPHA,
    POINT_NORMAL,
    POINT_POSITION,
    POINT_TRANSLUCENCY,
    POINT_WORDS,
    SourceGains,
)
from gloamet.trace.relight.radiance_cells import (
    FIRST_CELL,
    GROUND_ROW,
    CellLookup,
    empty_slots,
    insert_hits,
    resample_members,
    write_sky_rows,
)
from gloamet.trace.relight.relit_layer import GBuffer
from gloamet.trace.render_scene import RenderScene, SceneArrays
from gloamet.trace.surfaces.bsdf import AVERAGE_ALBEDO_LUT
from gloamet.trace.worker_pool import WorkerPool

F = np.float32
Floats = NDArray[np.float32]
MAX_CELLS = 60_000  # rows of the table are counted in 16 bits
SAMPLES_PER_CELL = LANES  # places kept of each cell: they send their rays together
CANDIDATES_PER_CELL = 24  # they are chosen from
FIRST_SAMPLES, SAMPLES = 4, 8  # of what each place sees: to begin with, and once there was time
FIRST_WALKS, MORE_WALKS, WALK_BOUNCES = 24_000, 48_000, 4
_FIRST, _FURTHER = 5, 11  # seeds of walks, apart by more than there are screens
REUSE_FILL_LIMIT = 0.7  # of the room for cells that other views may have taken
REUSE_DISTANCE = (
    0.3  # of the distance to its target that a camera may have moved and still find cells fine enough
)
UPDATE_INTERVAL = 4  # pictures until every cell has traced its rays to a sun that moves a little
JUMP_COSINE = math.cos(
    math.radians(12.0)
)  # after a longer jump of the sun all cells trace their rays at once
_OTHER_POINTS = 1 << 40  # numbers drawn for cells are not those drawn for pixels


class CellLight:
    """Cells of one scene round one anchor (the eye), and the table of light their surfaces are read from."""

    def __init__(self, scene: RenderScene, anchor: Floats, sharing: WorkerPool) -> None:
        self._scene, self._workers, self._anchor = scene, sharing, anchor
        self._arrays = scene.arrays()
        self._packets = empty_packets(sharing.threads)
        self._keys, self._rows = empty_slots(MAX_CELLS)
        self._places = np.zeros((0, SAMPLES_PER_CELL, HIT_WORDS), np.float32)
        self._albedo, self._gloss = np.zeros((0, 3), np.float32), np.zeros(0, np.float32)
        self._samples = FIRST_SAMPLES
        self._index = np.zeros((0, SAMPLES_PER_CELL * FIRST_SAMPLES), np.uint16)
        self._weight = np.zeros((0, SAMPLES_PER_CELL * FIRST_SAMPLES), np.float32)
        self._received = np.zeros((3, 0), np.float32)
        self._before = np.zeros(3, np.float32)  # light at first hand when that was received
        self.table = np.zeros((FIRST_CELL + MAX_CELLS, 3), np.float32)
        self.count, self.found = 0, False
        self._spare: Floats | None = None
        self._sun: Floats | None = None
        self._phase = 0

    def can_reuse(self, scene: RenderScene, camera: Camera) -> bool:
        """Whether another view can continue with these cells: the same stage, from about the same place."""
        if not self.found or scene is not self._scene or self.count > REUSE_FILL_LIMIT * MAX_CELLS:
            return False
        moved = math.dist(camera.eye, [float(x) for x in self._anchor])
        return moved < REUSE_DISTANCE * math.dist(camera.eye, camera.target)

    @property
    def looking(self) -> tuple[SceneArrays, CellLookup]:
        """What `gather` takes before its points."""
        return (self._arrays, CellLookup(self._anchor, self._keys, self._rows))

    def find(self, screens: list[GBuffer], cancelled: Callable[[], bool]) -> bool:
        """Make the cells that are missing of surfaces met on walks from what screens show; False when cancelled."""
        met = self._walk(screens, FIRST_WALKS, _FIRST, cancelled)
        if met is None:
            return False
        hits, materials = met
        room = MAX_CELLS - self.count
        # an interruption must not leave keys without a cell
        keys, rows = self._keys.copy(), self._rows.copy()
        members, filled = np.zeros((room, SAMPLES_PER_CELL), np.int32), np.zeros(room, np.int32)
        lookup = CellLookup(self._anchor, keys, rows)
        new = insert_hits(lookup, hits, materials, self.count, MAX_CELLS, members, filled) - self.count
        kept = np.maximum(np.minimum(filled[:new], SAMPLES_PER_CELL), 1)[:, None]
        chosen = np.take_along_axis(members[:new], np.arange(SAMPLES_PER_CELL)[None] % kept, 1)
        return self._append_cells(np.ascontiguousarray(hits[chosen]), keys, rows, cancelled)

    def _walk(
        self, screens: list[GBuffer], walks: int, seed: int, cancelled: Callable[[], bool]
    ) -> tuple[Floats, NDArray[np.int32]] | None:
        """Surfaces met on walks, (n, HIT_WORDS), and their materials (n,), -1 for none; None when cancelled."""
        hits, materials = [np.zeros((0, HIT_WORDS), np.float32)], [np.zeros(0, np.int32)]
        for k, screen in enumerate(screens):
            shown = np.flatnonzero(screen.surfaces).astype(np.int32)
            if not len(shown):
                continue
            chosen = np.random.default_rng(seed + k).choice(shown, min(walks, 2 * len(shown)))
            met = np.zeros((len(chosen), WALK_BOUNCES, HIT_WORDS), np.float32)
            of = np.full((len(chosen), WALK_BOUNCES), -1, np.int32)
            before = (self._arrays, screen.points, chosen)
            if not self._workers.run(
                random_walk, before, len(chosen), (WALK_BOUNCES, seed, met, of), cancelled, 16
            ):
                return None
            hits.append(met.reshape(-1, HIT_WORDS))
            materials.append(of.ravel())
        return np.concatenate(hits), np.concatenate(materials)

    def _append_cells(
        self,
        positions: Floats,
        keys: NDArray[np.int64],
        rows: NDArray[np.int32],
        cancelled: Callable[[], bool],
    ) -> bool:
        """Append new cells' members (cells, members, HIT_WORDS), and gather the samples of each."""
        new = len(positions)
        looking = (self._arrays, CellLookup(self._anchor, keys, rows))
        seen = self._gather_samples(looking, positions, 0, self._samples, cancelled)
        if seen is None:
            return False
        self._keys, self._rows = keys, rows
        self._places = np.concatenate([self._places, positions])
        self._paint()
        self._index = np.concatenate([self._index, seen[0].reshape(new, SAMPLES_PER_CELL * self._samples)])
        self._weight = np.concatenate([self._weight, seen[1].reshape(new, SAMPLES_PER_CELL * self._samples)])
        self._received = np.concatenate([self._received, np.zeros((3, new), np.float32)], 1)
        self.count, self.found, self._sun = len(self._places), True, None
        self._all = np.ones(self.count, np.uint8)
        self._lit = np.zeros((self.count, SAMPLES_PER_CELL, 4), np.float32)
        return True

    def _paint(self) -> None:
        """What cells throw back, from their places."""
        mean, grid = self._places.mean(1), np.linspace(0.0, 1.0, len(AVERAGE_ALBEDO_LUT))
        self._albedo = np.clip(mean[:, HIT_ALBEDO : HIT_ALBEDO + 3], 0.0, 1.0)
        returned = np.interp(np.sqrt(mean[:, HIT_ALPHA]), grid, AVERAGE_ALBEDO_LUT)
        self._gloss = (mean[:, HIT_SPECULAR] * returned).astype(np.float32)

    def recolour_ground(self, scene: RenderScene, colour: Floats) -> None:
        """Go on with a stage that differs by its ground's reflectance alone; colour (3,) is the ground's AP1 albedo."""
        on_ground = self._places[..., HIT_ON_GROUND] > 0.0
        self._places[on_ground, HIT_ALBEDO : HIT_ALBEDO + 3] = colour
        self._paint()
        self._scene, self._arrays, self._sun = scene, scene.arrays(), None

    def refine(self, screens: list[GBuffer], cancelled: Callable[[], bool]) -> bool:
        """Better places by further walks, and what is left of SAMPLES from there; False when cancelled."""
        met, done = self._walk(screens, MORE_WALKS, _FURTHER, cancelled), self._samples
        if met is None:
            return False
        positions = self._moved(*met)
        if done < SAMPLES:
            seen = self._gather_samples(self.looking, positions, done, SAMPLES, cancelled)
            if seen is None:
                return False
            index, weight = seen
            index[:, :done], weight[:, :done] = self._index.reshape(-1, done), self._weight.reshape(-1, done)
            self._index = index.reshape(self.count, SAMPLES_PER_CELL * SAMPLES)
            self._weight = weight.reshape(self.count, SAMPLES_PER_CELL * SAMPLES)
            self._samples = SAMPLES
        self._places, self._sun = positions, None
        self._paint()
        return True

    def _moved(self, hits: Floats, materials: NDArray[np.int32]) -> Floats:
        """The cells' places with further hits in them, spread over each cell where there are many."""
        members, filled = (
            np.zeros((self.count, CANDIDATES_PER_CELL), np.int32),
            np.zeros(self.count, np.int32),
        )
        resample_members(self.looking[1], hits, materials, members, filled)
        # the last places of a cell are repeated ones, if any are
        moved = np.arange(SAMPLES_PER_CELL)[::-1][None] < filled[:, None]
        positions = np.where(moved[..., None], hits[members[:, SAMPLES_PER_CELL - 1 :: -1]], self._places)
        rich = np.flatnonzero(filled > SAMPLES_PER_CELL)
        kept = stratified_subset(
            hits[members[rich], :3], np.minimum(filled[rich], CANDIDATES_PER_CELL), SAMPLES_PER_CELL
        )
        positions[rich] = hits[np.take_along_axis(members[rich], kept, 1)]
        return positions

    def _gather_samples(
        self,
        looking: tuple[object, ...],
        positions: Floats,
        begin: int,
        end: int,
        cancelled: Callable[[], bool],
    ) -> tuple[NDArray[np.uint16], Floats] | None:
        """Samples begin..end of what places see, index and weight (places, end); None when cancelled."""
        points = np.zeros((positions.shape[0] * SAMPLES_PER_CELL, POINT_WORDS), np.float32)
        flat = positions.reshape(-1, HIT_WORDS)
        points[:, POINT_POSITION : POINT_POSITION + 3] = flat[:, HIT_POSITION : HIT_POSITION + 3]
        for column in (POINT_NORMAL, FACE_NORMAL):
            points[:, column : column + 3] = flat[:, HIT_NORMAL : HIT_NORMAL + 3]
        points[:, POINT_ALPHA] = 1.0
        points[:, POINT_TRANSLUCENCY] = flat[:, HIT_TRANSLUCENCY]
        index = np.zeros((len(points), end), np.uint16)
        weight = np.zeros((len(points), end), np.float32)
        first = 0 if begin else self.count * SAMPLES_PER_CELL  # new ones are numbered on from those there
        after = (begin, end, _OTHER_POINTS + first, index, weight)
        if not self._workers.run(gather, (*looking, points), len(points), after, cancelled, 32):
            return None
        return index, weight

    def solve(self, lights: Environment, gains: SourceGains, rounds: int, even: bool) -> None:
        """Bring the table up to date for a light at rest; `even` puts a uniform sky in the sky's place."""
        self.schedule_sun_update(lights, True)
        env = lights.arrays()
        arguments = (np.zeros(2, np.int64), self._arrays, env.sun, self._places, self._packets, self._lit)
        self._workers.all_together(trace_all_cells_sun, arguments)
        write_sky_rows(env, gains, self.table)
        cells = self.arrays(lights, gains)
        if even:
            self.table[: GROUND_ROW + 1] = 1.0
            # what goes round of the day's light is thousands of times as bright
            cells = cells._replace(received=np.zeros_like(self._received), first_hand=np.zeros(3, np.float32))
        propagate(cells, rounds, -1)
        if even:
            self._sun = None  # the next picture must not start from this table

    def arrays(self, lights: Environment, gains: SourceGains) -> CellArrays:
        """What the kernels take, with the table they fill."""
        sun_light = np.asarray(lights.sun.irradiance, np.float32) * np.asarray(gains.sun_indirect, np.float32)
        return CellArrays(
            self._places,
            self._lit,
            self._received,
            self._albedo,
            self._gloss,
            self._all,
            self._index,
            self._weight,
            sun_light,
            self.table,
            np.zeros_like(self._received),
            self._before,
        )

    @contextmanager
    def bounces_kept(self) -> Iterator[None]:
        """Restore afterwards what cells have received: a picture in motion starts from that of the picture before."""
        received, first_hand = self._received.copy(), self._before.copy()
        try:
            yield
        finally:
            self._received[:], self._before[:] = received, first_hand

    def none(self) -> CellArrays:
        """No cells, and a separate table for the direct light of the sky. The cells' samples are kept."""
        if self._spare is None:
            self._spare = np.zeros_like(self.table)
        nothing = np.zeros(3, np.float32)
        return CellArrays(
            self._places[:0],
            self._lit[:0],
            np.zeros((3, 0), np.float32),
            self._albedo[:0],
            self._gloss[:0],
            self._all[:0],
            self._index[:0],
            self._weight[:0],
            nothing,
            self._spare,
            np.zeros((3, 0), np.float32),
            nothing.copy(),
        )

    def schedule_sun_update(self, lights: Environment, at_rest: bool) -> tuple[int, int]:
        """Which cells ask for the sun now: from `phase` on every `stride`-th, 0 for none.

        All after a jump and at rest, one in STEPS after a small step.
        """
        direction = np.asarray(lights.sun.direction, np.float32)
        before = self._sun if self._sun is not None else -direction
        stride = 1 if at_rest or float(direction @ before) < JUMP_COSINE else UPDATE_INTERVAL
        if stride > 1 and np.array_equal(direction, before) and self._phase == 0:
            return 0, 0
        self._phase = (self._phase + 1) % UPDATE_INTERVAL if stride > 1 else 0
        self._sun = direction
        return self._phase, stride
