"""The light on cells: which cells a view needs, what they see, and how bright they are under a sun and sky.

Lists of a record's points enter at the start; the light table, ready to be read, leaves after every
`brighten`. Bounces between cells go on from where they stood one picture earlier, so that a moving sun needs
one round a picture and a sun at rest a few more.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.stage.camera import Camera
from gloamet.trace.compiled import Compiled
from gloamet.trace.lights import Lights
from gloamet.trace.rays import LANES, empty_packets
from gloamet.trace.relight.cellrays import sun_on_all_cells
from gloamet.trace.relight.cells import (
    FIRST_CELL,
    GROUND,
    empty_slots,
    enter,
    fill_sky,
    revisit,
)
from gloamet.trace.relight.gather import (
    ALPHA,
    FACE,
    HIT_WORDS,
    NORMAL,
    PLACE,
    POINT_WORDS,
    TRANSLUCENT,
    bounce,
    gather,
    wander,
)
from gloamet.trace.relight.layer import Screen
from gloamet.trace.relight.places import spread
from gloamet.trace.relight.sharing import Sharing
from gloamet.trace.surface import MEAN_RETURNED

F = np.float32
Floats = NDArray[np.float32]
MOST_CELLS = 60_000  # rows of the table are counted in 16 bits
MEMBERS = LANES  # places kept of each cell: they send their rays together
CANDIDATES = 24  # they are chosen from
FIRST_SAMPLES, SAMPLES = 4, 8  # of what each place sees: to begin with, and once there was time
WALKS, FURTHER_WALKS, WALK_BOUNCES = 24_000, 48_000, 4
_FIRST, _FURTHER = 5, 11  # seeds of walks, apart by more than there are screens
FULL_SHARE = 0.7  # of the room for cells that other views may have taken
NEAR_SHARE = (
    0.3  # of the distance to its target that a camera may have moved and still find cells fine enough
)
STEPS = 4  # pictures until every cell has been asked for a sun that moves a little
FAR_TURN = math.cos(math.radians(12.0))  # a sun that jumped further has all of them asked again
_OTHER_POINTS = 1 << 40  # numbers drawn for cells are not those drawn for pixels


class CellLight:
    """Cells of one scene round one anchor (the eye), and the table of light their surfaces are read from."""

    def __init__(self, scene: Compiled, anchor: Floats, sharing: Sharing) -> None:
        self._scene, self._share, self._anchor = scene, sharing, anchor
        self._handle, self._arrays = scene.rays.handle, scene.arrays()
        self._packets = empty_packets(sharing.threads)
        self._keys, self._rows = empty_slots(MOST_CELLS)
        self._places = np.zeros((0, MEMBERS, HIT_WORDS), np.float32)
        self._albedo, self._gloss = np.zeros((0, 3), np.float32), np.zeros(0, np.float32)
        self._samples = FIRST_SAMPLES
        self._index = np.zeros((0, MEMBERS * FIRST_SAMPLES), np.uint16)
        self._weight = np.zeros((0, MEMBERS * FIRST_SAMPLES), np.float32)
        self._received = np.zeros((3, 0), np.float32)
        self._before = np.zeros(3, np.float32)  # light at first hand when that was received
        self.table = np.zeros((FIRST_CELL + MOST_CELLS, 3), np.float32)
        self.count, self.found = 0, False
        self._sun: Floats | None = None
        self._phase = 0

    def serve(self, scene: Compiled, camera: Camera) -> bool:
        """Whether another view can go on with these cells: the same stage, from about the same place."""
        if not self.found or scene is not self._scene or self.count > FULL_SHARE * MOST_CELLS:
            return False
        moved = math.dist(camera.eye, [float(x) for x in self._anchor])
        return moved < NEAR_SHARE * math.dist(camera.eye, camera.target)

    @property
    def looking(self) -> tuple[object, ...]:
        """What `gather` takes before its points."""
        return (self._handle, self._arrays, self._anchor, self._keys, self._rows)

    def find(self, screens: list[Screen], cancelled: Callable[[], bool]) -> bool:
        """Make the cells that are missing of surfaces met on walks from what screens show; False when cancelled."""
        met = self._walk(screens, WALKS, _FIRST, cancelled)
        if met is None:
            return False
        hits, materials = met
        room = MOST_CELLS - self.count
        # a stop half-way must not leave keys that no cell stands behind
        keys, rows = self._keys.copy(), self._rows.copy()
        members, filled = np.zeros((room, MEMBERS), np.int32), np.zeros(room, np.int32)
        new = -self.count + enter(
            self._anchor, hits, materials, self.count, MOST_CELLS, keys, rows, members, filled
        )
        kept = np.maximum(np.minimum(filled[:new], MEMBERS), 1)[:, None]
        chosen = np.take_along_axis(members[:new], np.arange(MEMBERS)[None] % kept, 1)
        return self._settle_in(np.ascontiguousarray(hits[chosen]), keys, rows, cancelled)

    def _walk(
        self, screens: list[Screen], walks: int, seed: int, cancelled: Callable[[], bool]
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
            before = (self._handle, self._arrays, screen.points, chosen)
            if not self._share.run(wander, before, len(chosen), (WALK_BOUNCES, seed, met, of), cancelled, 16):
                return None
            hits.append(met.reshape(-1, HIT_WORDS))
            materials.append(of.ravel())
        return np.concatenate(hits), np.concatenate(materials)

    def _settle_in(
        self, places: Floats, keys: NDArray[np.int64], rows: NDArray[np.int32], cancelled: Callable[[], bool]
    ) -> bool:
        """Take new places (cells, MEMBERS, HIT_WORDS) beside the old ones, and look round from each."""
        new = len(places)
        looking = (self._handle, self._arrays, self._anchor, keys, rows)
        seen = self._look_round(looking, places, 0, self._samples, cancelled)
        if seen is None:
            return False
        self._keys, self._rows = keys, rows
        self._places = np.concatenate([self._places, places])
        self._paint()
        self._index = np.concatenate([self._index, seen[0].reshape(new, MEMBERS * self._samples)])
        self._weight = np.concatenate([self._weight, seen[1].reshape(new, MEMBERS * self._samples)])
        self._received = np.concatenate([self._received, np.zeros((3, new), np.float32)], 1)
        self.count, self.found, self._sun = len(self._places), True, None
        self._all = np.ones(self.count, np.uint8)
        self._lit = np.zeros((self.count, MEMBERS, 4), np.float32)
        return True

    def _paint(self) -> None:
        """What cells throw back, from their places."""
        mean, grid = self._places.mean(1), np.linspace(0.0, 1.0, len(MEAN_RETURNED))
        self._albedo = np.clip(mean[:, 6:9], 0.0, 1.0)
        returned = np.interp(np.sqrt(mean[:, 10]), grid, MEAN_RETURNED)
        self._gloss = (mean[:, 9] * returned).astype(np.float32)

    def refine(self, screens: list[Screen], cancelled: Callable[[], bool]) -> bool:
        """Better places by further walks, and what is left of SAMPLES from there; False when cancelled."""
        met, done = self._walk(screens, FURTHER_WALKS, _FURTHER, cancelled), self._samples
        if met is None:
            return False
        places = self._moved(*met)
        if done < SAMPLES:
            seen = self._look_round(self.looking, places, done, SAMPLES, cancelled)
            if seen is None:
                return False
            index, weight = seen
            index[:, :done], weight[:, :done] = self._index.reshape(-1, done), self._weight.reshape(-1, done)
            self._index = index.reshape(self.count, MEMBERS * SAMPLES)
            self._weight = weight.reshape(self.count, MEMBERS * SAMPLES)
            self._samples = SAMPLES
        self._places, self._sun = places, None
        self._paint()
        return True

    def _moved(self, hits: Floats, materials: NDArray[np.int32]) -> Floats:
        """The cells' places with further hits in them, spread over each cell where there are many."""
        members, filled = np.zeros((self.count, CANDIDATES), np.int32), np.zeros(self.count, np.int32)
        revisit(self._anchor, hits, materials, self._keys, self._rows, members, filled)
        # the last places of a cell are repeated ones, if any are
        moved = np.arange(MEMBERS)[::-1][None] < filled[:, None]
        places = np.where(moved[..., None], hits[members[:, MEMBERS - 1 :: -1]], self._places)
        rich = np.flatnonzero(filled > MEMBERS)
        kept = spread(hits[members[rich], :3], np.minimum(filled[rich], CANDIDATES), MEMBERS)
        places[rich] = hits[np.take_along_axis(members[rich], kept, 1)]
        return places

    def _look_round(
        self, looking: tuple[object, ...], places: Floats, begin: int, end: int, cancelled: Callable[[], bool]
    ) -> tuple[NDArray[np.uint16], Floats] | None:
        """Samples begin..end of what places see, index and weight (places, end); None when cancelled."""
        points = np.zeros((places.shape[0] * MEMBERS, POINT_WORDS), np.float32)
        flat = places.reshape(-1, HIT_WORDS)
        points[:, PLACE : PLACE + 3], points[:, NORMAL : NORMAL + 3] = flat[:, :3], flat[:, 3:6]
        points[:, FACE : FACE + 3], points[:, ALPHA] = flat[:, 3:6], 1.0
        points[:, TRANSLUCENT] = flat[:, 11]
        index = np.zeros((len(points), end), np.uint16)
        weight = np.zeros((len(points), end), np.float32)
        first = 0 if begin else self.count * MEMBERS  # new ones are numbered on from those there
        after = (begin, end, _OTHER_POINTS + first, index, weight)
        if not self._share.run(gather, (*looking, points), len(points), after, cancelled, 32):
            return None
        return index, weight

    def brighten(self, lights: Lights, sun_gain: float, rounds: int, even: bool) -> None:
        """Bring the table up to date for a light at rest; `even` puts a uniform sky in the sky's place."""
        self.turn_to(lights, True)
        words = (
            np.zeros(2, np.int64), self._handle, self._scene.geometry.pervious, self._arrays, lights.sun,
            self._places, self._packets, self._lit,
        )  # fmt: skip
        self._share.all_together(sun_on_all_cells, words)
        fill_sky(lights.table, lights.ground, F(sun_gain), F(1), self.table)
        received, before = self._received, self._before
        if even:
            self.table[: GROUND + 1] = 1.0
            # what goes round of the day's light is thousands of times as bright
            received, before = np.zeros_like(received), np.zeros(3, np.float32)
        bounce(
            self._lit, received, self._albedo, self._gloss, lights.sun[3:6] * F(sun_gain), self._all,
            self._index, self._weight, np.zeros_like(received), before, rounds, -1, self.table,
        )  # fmt: skip
        if even:
            self._sun = None  # the next picture must not go on from this table

    def parts(self, lights: Lights, sun_gain: float) -> tuple[Any, ...]:
        """What `frame.relight` takes, with the table it fills."""
        return (
            self._places, self._lit, self._received, self._albedo, self._gloss, self._all, self._index,
            self._weight, lights.sun[3:6] * F(sun_gain), self.table, np.zeros_like(self._received), self._before,
        )  # fmt: skip

    def turn_to(self, lights: Lights, at_rest: bool) -> tuple[int, int]:
        """Which cells ask for the sun now: from `phase` on every `stride`-th, 0 for none.

        All after a jump and at rest, one in STEPS after a small step.
        """
        direction = lights.sun[:3].copy()
        before = self._sun if self._sun is not None else -direction
        stride = 1 if at_rest or float(direction @ before) < FAR_TURN else STEPS
        if stride > 1 and np.array_equal(direction, before) and self._phase == 0:
            return 0, 0
        self._phase = (self._phase + 1) % STEPS if stride > 1 else 0
        self._sun = direction
        return self._phase, stride
