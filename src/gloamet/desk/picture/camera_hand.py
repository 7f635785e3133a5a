# SPDX-License-Identifier: Apache-2.0
"""Moving the camera by hand: orbit, pan, walk and dolly by mouse, touch pad and keys.

Drags, scrolls and keys enter; the document's view changes. An orbit that is let go in motion comes to rest by itself.
"""

from __future__ import annotations

import math
import time
from collections import deque

import numpy as np
from PySide6.QtCore import QObject, QPointF, Qt, QTimer

from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.stage.camera import Camera, dolly, orbit, pan, sidestep, walk

ORBIT_DEG_PER_PX, CLICK_PX = 0.3, 4
STEP_M, ROTATION_STEP_DEG, LIFT_M, FAST = 0.5, 5.0, 0.1, 4.0
DOLLY_PER_NOTCH = 0.9
PAUSE_MS = 400  # after which keys and scrolls begin another undo step
# an orbit comes to rest with this time constant, from at most this speed; slower than the last one it stands
GLIDE_S, FASTEST_PX_S, SLOWEST_PX_S = 0.07, 1200.0, 20.0
SPEED_OVER_S, LEAST_SPAN_S, STALE_S = 0.1, 0.02, 0.05  # time over which the speed of a drag is read
FRAME_MS = 16
# keys: metres ahead, rotation steps, lift steps, metres to the right, all in steps
KEYS: dict[int, tuple[float, float, float, float]] = {
    Qt.Key.Key_Up: (1.0, 0.0, 0.0, 0.0),
    Qt.Key.Key_Down: (-1.0, 0.0, 0.0, 0.0),
    Qt.Key.Key_Left: (0.0, -1.0, 0.0, 0.0),
    Qt.Key.Key_Right: (0.0, 1.0, 0.0, 0.0),
    Qt.Key.Key_W: (1.0, 0.0, 0.0, 0.0),
    Qt.Key.Key_S: (-1.0, 0.0, 0.0, 0.0),
    Qt.Key.Key_A: (0.0, 0.0, 0.0, -1.0),
    Qt.Key.Key_D: (0.0, 0.0, 0.0, 1.0),
    Qt.Key.Key_PageUp: (0.0, 0.0, 1.0, 0.0),
    Qt.Key.Key_PageDown: (0.0, 0.0, -1.0, 0.0),
}


class CameraHand(QObject):
    """One camera movement at a time."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._grab: QPointF | None = None
        self._pressed = QPointF()
        self._moved = self._pans = False
        self._height = 1.0
        self._pivot: np.ndarray | None = None  # that an orbit turns about, None for the target
        self._track: deque[tuple[float, QPointF]] = deque(maxlen=32)
        self._speed, self._glided_at = QPointF(), 0.0
        self._glide = QTimer(self, interval=FRAME_MS)
        self._glide.timeout.connect(self._glide_on)
        self._rest = QTimer(self, interval=PAUSE_MS, singleShot=True)
        self._rest.timeout.connect(session.end_undo_group)

    # -- drags

    def press(self, at: QPointF, pivot: np.ndarray | None, pans: bool, height: float) -> None:
        """Begin a drag: `pivot` is the point that an orbit turns about, `height` the picture's in pixels."""
        self.stop()
        self._grab = self._pressed = at
        self._moved, self._pans, self._pivot, self._height = False, pans, pivot, max(1.0, height)
        self._track.clear()

    def move(self, at: QPointF, pans: bool, at_ms: int) -> None:
        """Follow a drag; `pans` while Shift is held, `at_ms` is when the hand was there."""
        if self._grab is None:
            return
        far = at - self._pressed
        if not self._moved and abs(far.x()) + abs(far.y()) < CLICK_PX:
            return
        self._moved = True
        step, self._grab = at - self._grab, at
        self._track.append((at_ms / 1000.0, at))
        if pans or self._pans:
            self.pan_by(step)
        else:
            self.orbit_by(step)

    def release(self, at_ms: int) -> bool:
        """End a drag; True when it was a click."""
        click = self._grab is not None and not self._moved
        moved = self._moved
        self._grab, self._moved = None, False
        self._speed = self._speed_at(at_ms / 1000.0) if moved and not self._pans else QPointF()
        if self._speed.isNull():
            self.session.end_undo_group()
        else:
            self._glided_at = time.monotonic()
            self._glide.start()
        return click

    def _speed_at(self, now: float) -> QPointF:
        """Pixels a second of the drag as it was let go, nought where it had stopped."""
        recent = [entry for entry in self._track if now - entry[0] < SPEED_OVER_S]
        if len(recent) < 2 or now - recent[-1][0] > STALE_S:
            return QPointF()
        span = recent[-1][0] - recent[0][0]
        if span < LEAST_SPAN_S:
            return QPointF()
        way: QPointF = recent[-1][1] - recent[0][1]
        size = math.hypot(way.x(), way.y()) / span
        if size < SLOWEST_PX_S:
            return QPointF()
        return way * (min(1.0, FASTEST_PX_S / size) / span)

    def _glide_on(self) -> None:
        now = time.monotonic()
        past, self._glided_at = now - self._glided_at, now
        left = math.exp(-past / GLIDE_S)
        self.orbit_by(self._speed * (GLIDE_S * (1.0 - left)))
        self._speed *= left
        if math.hypot(self._speed.x(), self._speed.y()) < SLOWEST_PX_S:
            self.stop()

    def stop(self) -> None:
        """End an orbit that is coming to rest."""
        if self._glide.isActive():
            self._glide.stop()
            self.session.end_undo_group()

    # -- movements, in pixels of the hand

    def orbit_by(self, step: QPointF) -> None:
        """Orbit about the pivot of the drag."""
        rotation, lift = step.x() * ORBIT_DEG_PER_PX, step.y() * ORBIT_DEG_PER_PX
        self._set(orbit(self._camera(), rotation, lift, self._pivot, self.session.loaded.ground_m), "camera")

    def pan_by(self, step: QPointF) -> None:
        """Pan, so that the target stays under the pointer."""
        right, up = -step.x() / self._height, step.y() / self._height
        self._set(pan(self._camera(), right, up, self.session.loaded.ground_m), "camera")

    def scroll(self, step: QPointF, pivot: np.ndarray | None, pans: bool, height: float) -> None:
        """Two fingers on a touch pad: orbit about a point, or pan."""
        self.stop()
        self._pivot, self._height = pivot, max(1.0, height)
        if pans:
            self.pan_by(step)
        else:
            self.orbit_by(step)
        self._rest.start()

    def dolly_by(self, factor: float) -> None:
        """Multiply the distance to the target."""
        self.stop()
        self._set(dolly(self._camera(), factor, self.session.loaded.ground_m), "camera")
        self._rest.start()

    def key(self, key: int, fast: bool) -> bool:
        """Walk; False for keys of another meaning."""
        if key not in KEYS:
            return False
        self.stop()
        size = FAST if fast else 1.0
        ahead, rotation, lift, right = (size * value for value in KEYS[key])
        camera = self._camera()
        if right:
            camera = sidestep(camera, right * STEP_M)
        else:
            ground = self.session.loaded.ground_m
            camera = walk(camera, ahead * STEP_M, rotation * ROTATION_STEP_DEG, lift * LIFT_M, ground)
        self._set(camera, "walk")
        self._rest.start()
        return True

    def _camera(self) -> Camera:
        return camera_from_document(self.session.document)

    def _set(self, camera: Camera, key: str) -> None:
        stage_actions.set_camera(self.session, camera, key)
