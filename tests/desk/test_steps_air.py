# SPDX-License-Identifier: Apache-2.0
"""The pages of Air driven by hand: the hand on the sky, the backdrop, distance, dust."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from gloamet.desk.picture.wipe import natural
from gloamet.desk.steps.air import AirStep
from gloamet.desk.steps.air.light_shafts import AMOUNTS
from gloamet.desk.widgets.curve import CurveEditor
from gloamet.desk.widgets.point import read_point
from gloamet.desk.window import DeskWindow
from gloamet.document.air import SkyState
from gloamet.errors import GloametError
from gloamet.preview.events import LightSolved
from gloamet.preview.light_shafts import MOST_A_PASS, MOST_SAMPLES
from tests.desk.test_steps import press, step


@pytest.fixture
def air(window: DeskWindow) -> AirStep:
    found = step(window, AirStep)
    assert isinstance(found, AirStep)
    window.choose_step(2)
    return found


def test_what_is_not_natures_is_said_and_taken_back_in_one_step(air: AirStep, window: DeskWindow) -> None:
    session, sky = window.session, air.sky
    air.show_page("Sky")
    assert sky.reading.text() == "Physical sky" and not sky.nature.isVisibleTo(sky)
    session.change("sky", warmth_mired=25.0, backdrop="none")
    session.change("sky", horizon_stops=-0.5)
    assert sky.reading.text() == "25 mired warmer, horizon −0.5 stops"
    assert sky.reading.property("role") == "warning"
    sky.nature.click()
    assert session.document.sky == SkyState(backdrop="none")
    session.undo()
    assert session.document.sky.warmth_mired == 25.0


def test_the_natural_reading_stays_when_the_sky_is_brightened(
    air: AirStep, window: DeskWindow, qtbot: QtBot
) -> None:
    session = window.session
    before = session.results.light
    assert before is not None
    level = before.reading.sky_horizontal_lx

    def brighter(light: LightSolved) -> bool:
        return light.reading.sky_horizontal_lx > 1.5 * level

    with qtbot.waitSignal(session.results.light_solved, timeout=30_000, check_params_cb=brighter):
        session.change("sky", luminance_curve=(1.0,) * 5)
    after = session.results.light
    assert after is not None
    assert after.natural.sky_horizontal_lx == pytest.approx(before.natural.sky_horizontal_lx)
    assert after.reading.sky_horizontal_lx == pytest.approx(2.0 * before.reading.sky_horizontal_lx, rel=1e-3)
    # on the picture alone the meter reads the physical again
    with qtbot.waitSignal(
        session.results.light_solved, timeout=30_000, check_params_cb=lambda light: not brighter(light)
    ):
        press(air.sky, "Picture only")
    assert session.results.light is not None
    assert session.results.light.reading.sky_horizontal_lx == pytest.approx(before.reading.sky_horizontal_lx)


def drag(curve: CurveEditor, index: int, dy: int) -> None:
    at = curve.point(index).toPoint()
    QTest.mousePress(curve, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(curve, at + QPoint(0, dy))
    QTest.mouseRelease(curve, Qt.MouseButton.LeftButton, pos=at + QPoint(0, dy))


def test_a_point_of_a_curve_is_dragged_stepped_and_reset(air: AirStep, window: DeskWindow) -> None:
    air.show_page("Sky")
    session, curve = window.session, air.sky.curves[0]
    curve.resize(260, curve.sizeHint().height())
    drag(curve, 3, -19)  # half of the way up to four stops
    value = session.document.sky.luminance_curve[3]
    assert value == pytest.approx(2.0, abs=0.15)
    assert session.document.sky.luminance_curve[:3] == (0.0, 0.0, 0.0)
    curve.setFocus()
    QTest.keyClick(curve, Qt.Key.Key_Left)
    QTest.keyClick(curve, Qt.Key.Key_Down)
    assert session.document.sky.luminance_curve[2] == pytest.approx(-0.1)
    QTest.mouseDClick(curve, Qt.MouseButton.LeftButton, pos=curve.point(3).toPoint())
    assert session.document.sky.luminance_curve[3] == 0.0
    drag(curve, 0, -500)
    assert session.document.sky.luminance_curve[0] == 4.0  # held at the end of the plot


def test_a_plain_colour_stands_behind_the_scene_as_it_was_chosen(
    air: AirStep, window: DeskWindow, qtbot: QtBot
) -> None:
    session, sky = window.session, air.sky
    air.show_page("Sky")
    # the eye looks down at a ground without end: let it end
    session.change("stage.ground", kind="none")
    sky.colour.commit(QColor(200, 40, 90))
    with qtbot.waitSignal(
        session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.exact and f.done
    ):
        press(sky, "colour")
    assert sky.colour.isVisibleTo(sky) and not sky.above.isVisibleTo(sky)
    frame = session.results.frame
    assert frame is not None
    transparency = (frame.pixels[..., :3].astype(int) == [200, 40, 90]).all(-1)
    assert transparency[0].all()  # the upper edge is sky
    assert not transparency[-1].all()


def test_a_word_for_dust_switches_it_on_with_its_visibility(
    air: AirStep, window: DeskWindow, qtbot: QtBot
) -> None:
    session, page = window.session, air.light_shafts
    air.show_page("Light shafts")
    assert not page.amount.isEnabled()
    with qtbot.waitSignal(session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.exact):
        press(page, "Thick")
    assert session.document.light_shafts.on
    assert session.document.light_shafts.visibility_m == dict(AMOUNTS)["Thick"]
    assert page.amount.isEnabled()
    assert [w.text() for w in page.action_row.buttons if w.isChecked()] == ["Thick"]


def test_the_dusts_box_is_typed_and_a_wrong_one_is_a_sentence(air: AirStep, window: DeskWindow) -> None:
    session, page = window.session, air.light_shafts
    said: list[str] = []
    session.noticed.connect(lambda sentence, _kind: said.append(sentence))
    session.change("light_shafts", on=True, region="box")
    air.show_page("Light shafts")
    for typed in ("-3, -2.5, 1 m", "1, 2"):
        page.low.edit.selectAll()
        QTest.keyClicks(page.low.edit, typed)
        QTest.keyClick(page.low.edit, Qt.Key.Key_Return)
    assert session.document.light_shafts.box_min == (-3.0, -2.5, 1.0)
    assert said == ["Minimum corner: “1, 2” is not a point: type three numbers, like 1, −2.5, 3."]
    page.low.edit.selectAll()
    QTest.keyClicks(page.low.edit, "9, 9, 9")
    QTest.keyClick(page.low.edit, Qt.Key.Key_Return)
    assert session.document.light_shafts.box_min == (-3.0, -2.5, 1.0)
    assert "is empty" in said[-1]


@pytest.mark.parametrize("text", ["", "1 2", "a, b, c", "1,2,3,4"])
def test_what_is_no_place_is_refused(text: str) -> None:
    with pytest.raises(GloametError):
        read_point(text)


def test_sky_and_sun_fade_with_an_own_visibility_alone(air: AirStep, window: DeskWindow) -> None:
    page, session = air.distance, window.session
    air.show_page("Distance")
    assert not page.dims.isEnabled()
    session.change("air", aerial_visibility_km=2.0)
    assert page.dims.isEnabled()
    assert "Visibility" in page.reading.text()
    session.change("air", aerial_perspective=False)
    assert not page.dims.isEnabled() and not page.visibility.isEnabled()


def test_an_own_visibility_can_veil_the_sky_too(window: DeskWindow, qtbot: QtBot) -> None:
    session = window.session

    def upper_edge(**values: object) -> np.ndarray:
        with qtbot.waitSignal(
            session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.exact and f.done
        ):
            session.change("air", None, **values)
        assert session.results.frame is not None
        return session.results.frame.pixels[0, :, :3].astype(int)

    plain = upper_edge(aerial_visibility_km=0.5)
    veiled = upper_edge(aerial_on_sky=True)
    # less blue and nearer to the horizon's white
    assert (np.ptp(veiled, axis=1) < np.ptp(plain, axis=1)).mean() > 0.8


def test_the_wipe_shows_natures_sky_left_of_a_line_to_drag(
    air: AirStep, window: DeskWindow, qtbot: QtBot
) -> None:
    session, view = window.session, window.picture
    page, box = air.atmosphere, view.target()
    assert not page.compare.isVisibleTo(page) and not view.wipe.on
    qtbot.waitUntil(lambda: session.results.relight_state[0], timeout=60_000)
    with qtbot.waitSignal(session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.exact):
        press(page, "CIE")
    assert session.results.light is not None and session.results.light.reading.sun_horizontal_lx == 0.0
    with qtbot.waitSignal(session.results.beside_ready, timeout=60_000):
        page.compare.click()
    shown = view.wipe.shown
    assert shown is not None and shown.solved.reading.sun_horizontal_lx > 10_000.0
    # a clear sky in the morning is several stops brighter than an overcast one
    assert session.results.frame is not None and shown.ev > session.results.frame.meter_ev + 1.0
    middle = box.center()
    left, right = (view.grab().toImage().pixelColor(int(middle.x()) + dx, int(box.y()) + 3) for dx in (-9, 9))
    assert left.blue() - left.red() > right.blue() - right.red() + 10  # blue beside grey
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=middle.toPoint())
    QTest.mouseMove(view, QPoint(int(box.x() + 0.25 * box.width()), int(middle.y())))
    QTest.mouseRelease(
        view, Qt.MouseButton.LeftButton, pos=QPoint(int(box.x() + 0.25 * box.width()), int(middle.y()))
    )
    assert view.wipe.fraction == pytest.approx(0.25, abs=0.02)
    before = session.document
    assert before.stage.view == session.document.stage.view  # the camera stayed
    press(page, "Atmosphere")  # nature again: nothing is left to compare
    assert not session.state.compares and not view.wipe.on


def test_what_nature_means_keeps_the_backdrop_and_the_air() -> None:
    from gloamet.document.model import Document

    document = Document().change("air", sky_model="cie", turbidity=5.0)
    document = document.change("sky", warmth_mired=30.0, backdrop="colour")
    plain = natural(document)
    assert (plain.air.sky_model, plain.air.turbidity) == ("physical", 5.0)
    assert plain.sky == SkyState(backdrop="colour")


def test_dust_that_changes_before_a_finished_picture_is_refined_to_its_size(
    air: AirStep, window: DeskWindow, qtbot: QtBot
) -> None:
    session = window.session
    press(air.light_shafts, "Thick")

    def finished() -> bool:
        frame = session.results.frame
        return frame is not None and frame.document is session.document and frame.done

    qtbot.waitUntil(finished, timeout=60_000)
    frames: list[float] = []
    session.results.frame_ready.connect(lambda f: frames.append(float(f.pixels[..., :3].std())))
    session.change("light_shafts", visibility_m=60.0)
    # no path is traced again, and yet there is picture after picture, until the dust has its samples
    qtbot.waitUntil(lambda: len(frames) >= MOST_SAMPLES // MOST_A_PASS, timeout=60_000)
    assert session.results.frame is not None and session.results.frame.done


def test_the_wipe_shows_dust_on_both_sides(air: AirStep, window: DeskWindow, qtbot: QtBot) -> None:
    session, view = window.session, window.picture
    qtbot.waitUntil(lambda: session.results.relight_state[0], timeout=60_000)
    session.change("sky", warmth_mired=40.0)

    def other_side() -> np.ndarray:
        with qtbot.waitSignal(session.results.beside_ready, timeout=60_000):
            session.show_beside(natural)
        assert view.wipe.shown is not None
        return view.wipe.shown.pixels[..., :3].astype(int)

    clear = other_side()
    with qtbot.waitSignal(session.results.beside_ready, timeout=60_000):
        session.change(
            "light_shafts",
            on=True,
            region="box",
            box_min=(-20.0, -20.0, 0.0),
            box_max=(20.0, 20.0, 9.0),
            visibility_m=8.0,
        )

    def dust() -> float:
        assert view.wipe.shown is not None
        return float(np.abs(view.wipe.shown.pixels[..., :3].astype(int) - clear).mean())

    # under load the next picture can still be one that was on its way before the dust
    qtbot.waitUntil(lambda: dust() > 8.0, timeout=60_000)
