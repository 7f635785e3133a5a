# SPDX-License-Identifier: Apache-2.0
"""The camera under the hand: orbits that come to rest, touch pads, keys."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QInputDevice, QNativeGestureEvent, QPointingDevice, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.window import DeskWindow
from gloamet.document.stage import CameraView
from tests.desk.test_window import LEFT, NONE

MIDDLE = QPoint(300, 250)
TOUCH_PAD = QPointingDevice(
    "touch pad",
    7,
    QInputDevice.DeviceType.TouchPad,
    QPointingDevice.PointerType.Finger,
    QInputDevice.Capability.Position | QInputDevice.Capability.PixelScroll,
    2,
    3,
)


def view(window: DeskWindow) -> CameraView:
    return window.session.document.stage.view


def eye(window: DeskWindow) -> np.ndarray:
    return np.array(view(window).eye)


def distance(window: DeskWindow) -> float:
    return float(np.linalg.norm(eye(window) - np.array(view(window).target)))


def swing(window: DeskWindow, pause_ms: int) -> None:
    """Drag 60 pixels in 90 ms, and let go after a pause; times are those of the hand, not of this machine."""
    hand = window.picture.camera_hand
    hand.press(QPointF(MIDDLE), None, False, window.picture.target().height())
    for k in range(1, 7):
        hand.move(QPointF(MIDDLE + QPoint(10 * k, 0)), False, 1000 + 15 * k)
    assert not hand.release(1090 + pause_ms)


def azimuth(window: DeskWindow) -> float:
    """Where the camera looks, degrees."""
    ahead = np.subtract(view(window).target, view(window).eye)
    return math.degrees(math.atan2(ahead[0], ahead[1]))


def scroll(
    window: DeskWindow, pixels: QPoint, device: QPointingDevice, modifier: Qt.KeyboardModifier = NONE
) -> None:
    at = QPointF(MIDDLE)
    event = QWheelEvent(
        at,
        QPointF(window.picture.mapToGlobal(MIDDLE)),
        pixels,
        pixels * 8,
        Qt.MouseButton.NoButton,
        modifier,
        Qt.ScrollPhase.ScrollUpdate,
        False,
        Qt.MouseEventSource.MouseEventNotSynthesized,
        device,
    )
    QApplication.sendEvent(window.picture, event)


def pinch(window: DeskWindow, value: float) -> None:
    at = QPointF(MIDDLE)
    event = QNativeGestureEvent(
        Qt.NativeGestureType.ZoomNativeGesture, TOUCH_PAD, 2, at, at, at, value, QPointF()
    )
    QApplication.sendEvent(window.picture, event)


def test_an_orbit_let_go_in_motion_comes_to_rest_and_is_one_step(window: DeskWindow, qtbot: QtBot) -> None:
    start, first = eye(window), azimuth(window)
    swing(window, 5)
    hand = window.picture.camera_hand
    let_go = azimuth(window)
    # 60 px turn 18 degrees
    assert abs(let_go - first) == pytest.approx(18.0, abs=0.01)
    qtbot.waitUntil(lambda: not hand._glide.isActive(), timeout=5_000)
    # 50 px in 75 ms are 667 px/s; a speed that falls by e in 70 ms goes on for v times 70 ms, down to 20 px/s at the
    # end and, by the last step, at most all of it
    least, most = 0.3 * (667.0 - 20.0) * 0.07, 0.3 * 667.0 * 0.07
    assert least - 0.05 <= (azimuth(window) - let_go) / math.copysign(1.0, let_go - first) <= most + 0.05
    rest = eye(window)
    qtbot.wait(100)
    assert np.array_equal(eye(window), rest)
    window.session.undo()
    assert np.allclose(eye(window), start)


def test_an_orbit_that_had_stopped_stays_where_it_is(window: DeskWindow) -> None:
    swing(window, 120)
    assert not window.picture.camera_hand._glide.isActive()


@pytest.mark.parametrize("twice", [False, True])
def test_a_press_stops_an_orbit_that_comes_to_rest(window: DeskWindow, qtbot: QtBot, twice: bool) -> None:
    swing(window, 5)
    press = QTest.mouseDClick if twice else QTest.mousePress
    press(window.picture, LEFT, NONE, QPoint(3, 3))  # beside the picture, where nothing is framed
    held = eye(window)
    qtbot.wait(150)
    assert np.array_equal(eye(window), held)
    QTest.mouseRelease(window.picture, LEFT, NONE, QPoint(3, 3))


def test_two_fingers_orbit_and_with_shift_pan(window: DeskWindow) -> None:
    before, far = view(window), distance(window)
    scroll(window, QPoint(40, 0), TOUCH_PAD)
    turned = view(window)
    assert distance(window) == pytest.approx(far, rel=1e-6)
    ahead = [np.subtract(v.target, v.eye) for v in (before, turned)]
    degrees = [math.degrees(math.atan2(v[0], v[1])) for v in ahead]
    # 0.3 degrees a pixel, as a drag
    assert abs(degrees[1] - degrees[0]) == pytest.approx(12.0, abs=0.01)
    scroll(window, QPoint(40, 0), TOUCH_PAD, Qt.KeyboardModifier.ShiftModifier)
    assert np.allclose(np.subtract(view(window).target, view(window).eye), ahead[1])  # panned, not rotated
    assert not np.allclose(view(window).eye, turned.eye)


def test_a_wheel_and_two_fingers_with_ctrl_come_nearer(window: DeskWindow) -> None:
    far = distance(window)
    scroll(window, QPoint(0, 15), QPointingDevice.primaryPointingDevice())
    assert distance(window) == pytest.approx(0.9 * far, rel=1e-3)
    scroll(window, QPoint(0, 15), TOUCH_PAD, Qt.KeyboardModifier.ControlModifier)
    assert distance(window) == pytest.approx(0.81 * far, rel=1e-3)


def test_fingers_that_move_apart_come_nearer_by_as_much(window: DeskWindow) -> None:
    far = distance(window)
    pinch(window, 0.25)
    assert distance(window) == pytest.approx(far / 1.25, rel=1e-3)
    pinch(window, -0.2)
    assert distance(window) == pytest.approx(far, rel=1e-3)


def test_a_and_d_walk_sideways_at_one_height(window: DeskWindow) -> None:
    before = camera_from_document(window.session.document)
    right = before.frame()[1]
    QTest.keyClick(window.picture, Qt.Key.Key_D)
    moved = eye(window) - np.array(before.eye)
    assert moved[2] == pytest.approx(0.0, abs=1e-9)
    assert np.dot(moved, right) == pytest.approx(np.linalg.norm(moved), rel=1e-6)
    QTest.keyClick(window.picture, Qt.Key.Key_A)
    assert np.allclose(eye(window), before.eye)


def test_esc_leaves_every_tool(window: DeskWindow) -> None:
    for tool in ("card", "focus", "spot", "panorama sun", "rectangle", "shadow"):
        window.session.state.use_tool(tool)
        QTest.keyClick(window.picture, Qt.Key.Key_Escape)
        assert window.session.state.tool == "", tool
