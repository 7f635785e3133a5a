# SPDX-License-Identifier: Apache-2.0
"""Fill driven by hand: gains, solo, the ratio, a panorama and its sun, cards, spots, checks."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QWidget
from pytestqt.qtbot import QtBot

from gloamet.desk.actions import panorama_actions, spot_actions
from gloamet.desk.instruments.card_labels import unbalanced_label
from gloamet.desk.instruments.checks import Checks
from gloamet.desk.instruments.meter import lux_text
from gloamet.desk.instruments.probes import Probes
from gloamet.desk.steps import STEP_TITLES
from gloamet.desk.steps.fill import FillStep
from gloamet.desk.steps.fill.ratio import RatioControl
from gloamet.desk.window import DeskWindow
from gloamet.document.demo import PANORAMAS
from gloamet.document.fill import FillState, SpotState
from gloamet.output.images import save_light
from gloamet.translation.document_to_light import sun_from_document
from tests.desk.test_steps import press, step

EVENING = str(PANORAMAS / "evening.exr")
SUN_DEG = (245.0, 9.0)  # where tools/demo/make_panorama.py puts it


@pytest.fixture
def fill(window: DeskWindow) -> FillStep:
    found = step(window, FillStep)
    assert isinstance(found, FillStep)
    window.choose_step(3)
    return found


def not_hidden(widget: QWidget) -> bool:
    return not widget.isHidden()


def lit_by_evening(window: DeskWindow, qtbot: QtBot) -> None:
    with qtbot.waitSignal(
        window.session.results.light_solved,
        timeout=60_000,
        check_params_cb=lambda light: light.panorama is not None,
    ):
        window.session.change("panorama", file=EVENING)


def test_a_panorama_is_chosen_turned_and_taken_away(
    window: DeskWindow, fill: FillStep, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    page, session = fill.panorama, window.session
    window.choose_step(STEP_TITLES.index("Fill"))
    fill.show_page("Panorama")
    rows = (fill.balance.rows["panorama"], page.turn, page.level)
    assert not any(not_hidden(row) for row in rows)
    path = tmp_path / "evening.exr"
    save_light(path, np.full((32, 64, 3), 5e4, np.float32))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    before = session.results.frame
    assert before is not None
    with qtbot.waitSignal(
        session.results.frame_ready,
        timeout=60_000,
        check_params_cb=lambda f: f.meter_ev > before.meter_ev + 1.0,
    ):
        press(page, "Choose …")
    fill.show_page("Balance")
    assert all(not_hidden(row) for row in rows)
    assert page.named.text() == "evening.exr"
    with qtbot.waitSignal(session.results.frame_ready, timeout=60_000):
        page.turn.set_value(45.0)
    assert session.document.panorama.rotation_deg == 45.0
    with qtbot.waitSignal(
        session.results.frame_ready,
        timeout=60_000,
        check_params_cb=lambda f: f.meter_ev < before.meter_ev + 0.5,
    ):
        press(page, "Remove")
    session.undo()
    assert session.document.panorama.file == str(path)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: ("", ""))
    press(page, "Choose …")
    assert session.document.panorama.file == str(path)  # a dialogue left by cancel takes nothing away


def test_a_panorama_that_cannot_be_read_is_told_once_and_the_rest_goes_on(
    window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    session, summary = window.session, []
    session.noticed.connect(lambda sentence, _kind: summary.append(sentence))
    with qtbot.waitSignal(session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.exact):
        session.change("panorama", file=str(tmp_path / "gone.exr"))
    with qtbot.waitSignal(session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: f.exact):
        session.change("air", turbidity=4.0)
    assert [sentence for sentence in summary if "gone.exr" in sentence] == summary
    assert len(summary) == 1


def test_a_light_says_what_is_not_natures_and_goes_back_alone(window: DeskWindow, fill: FillStep) -> None:
    session, row = window.session, fill.balance.rows["sky"]
    assert row.changed.isHidden() and fill.balance.reset.isHidden()
    session.change("fill", sky_stops=-1.0, sun_stops=0.5)
    session.change("fill", sky_saturation=0.5, sky_indirect_stops=1.0)
    assert row.summary.text() == "Gain × 0.5, indirect +1.0 stops, saturation × 0.50"
    row.back.click()
    assert session.document.fill == FillState(sun_stops=0.5)
    fill.balance.reset.click()
    assert session.document.fill == FillState()
    session.undo()
    assert session.document.fill.sun_stops == 0.5


def test_a_light_is_switched_off_and_heard_alone(window: DeskWindow, fill: FillStep) -> None:
    session, row = window.session, fill.balance.rows["sun"]
    row.solo.click()
    assert session.document.fill.solo == "sun" and row.solo.isChecked()
    fill.balance.rows["sky"].solo.click()
    assert session.document.fill.solo == "sky" and not row.solo.isChecked()
    fill.balance.rows["sky"].solo.click()
    assert session.document.fill.solo == ""
    row.on.click()
    assert not session.document.fill.sun_on and row.summary.text() == "Off"


def test_a_gain_traces_nothing_anew_and_each_source_has_its_small_picture(
    window: DeskWindow, fill: FillStep, qtbot: QtBot
) -> None:
    session = window.session
    frame = session.results.frame
    assert frame is not None
    qtbot.waitUntil(lambda: session.results.sources is not None, timeout=60_000)
    with qtbot.waitSignal(
        session.results.frame_ready,
        timeout=60_000,
        check_params_cb=lambda f: f.document.fill.sun_indirect_stops == 2.0,
    ):
        session.change("fill", sun_indirect_stops=2.0)
    assert session.results.sources is not None and {"sun", "sky"} <= set(session.results.sources.pictures)
    with qtbot.waitSignal(session.results.source_pictures, timeout=60_000):
        session.change("fill", sky_on=False)
    assert session.results.sources.pictures["sky"][..., :3].max() < 30


@pytest.mark.parametrize("key_moves", [False, True])
def test_key_to_fill_is_set_exactly_and_a_fixed_exposure_keeps_the_lit_side(
    key_moves: bool, window: DeskWindow, fill: FillStep, qtbot: QtBot
) -> None:
    session, control = window.session, fill.balance.ratio
    light = session.results.light
    assert light is not None
    session.change("expose", metering="manual", ev=14.0)
    if key_moves:
        press(control, "Change key")
    before = light.reading
    with qtbot.waitSignal(
        session.results.light_solved,
        timeout=30_000,
        check_params_cb=lambda new: abs(new.reading.sun_sky_stops - 3.0) < 1e-6,
    ):
        control.row.set_value(3.0)
    after = session.results.light.reading if session.results.light is not None else before
    lit = [r.sun_horizontal_lx + r.sky_horizontal_lx for r in (before, after)]
    assert session.document.expose.ev == pytest.approx(14.0 + math.log2(lit[1] / lit[0]), abs=1e-6)
    moved = session.document.fill
    assert (moved.sun_stops != 0.0) is key_moves and (moved.sky_stops != 0.0) is not key_moves
    session.undo()
    assert session.document.fill == FillState() and session.document.expose.ev == 14.0


def test_a_ratio_is_typed_offered_and_refused_beyond_reach(
    window: DeskWindow, fill: FillStep, qtbot: QtBot
) -> None:
    session, summary = window.session, []
    session.noticed.connect(lambda sentence, _kind: summary.append(sentence))
    control: RatioControl = fill.balance.ratio
    edit = control.row.begin_typing()
    edit.setText("2.5 stops")
    with qtbot.waitSignal(
        session.results.light_solved,
        timeout=30_000,
        check_params_cb=lambda new: abs(new.reading.sun_sky_stops - 2.5) < 1e-6,
    ):
        QTest.keyClick(edit, Qt.Key.Key_Return)
    with qtbot.waitSignal(
        session.results.light_solved,
        timeout=30_000,
        check_params_cb=lambda new: abs(new.reading.sun_sky_stops - 4.5) < 1e-6,
    ):
        press(control, "dramatic")
    session.change("fill", sky_stops=9.9)
    with qtbot.waitSignal(
        session.results.light_solved,
        timeout=30_000,
        check_params_cb=lambda new: new.reading.sun_sky_stops < 0,
    ):
        session.change("fill", sky_stops=9.95)
    before = session.document
    control.ask(-12.0)
    assert session.document is before and "beyond the range" in summary[-1]


def test_without_a_sun_there_is_no_ratio_to_drag(window: DeskWindow, fill: FillStep, qtbot: QtBot) -> None:
    session = window.session
    with qtbot.waitSignal(
        session.results.light_solved,
        timeout=30_000,
        check_params_cb=lambda new: math.isinf(new.reading.sun_sky_stops),
    ):
        session.change("sun", mode="manual", elevation_deg=-4.0)
    assert not fill.balance.ratio.row.isEnabled()
    assert fill.balance.ratio.nature.text() == "No sun: all light is fill."


def test_a_panoramas_sun_is_taken_matched_locked_lifted_and_its_light_given(
    window: DeskWindow, fill: FillStep, qtbot: QtBot
) -> None:
    session, page = window.session, fill.panorama
    window.choose_step(STEP_TITLES.index("Fill"))
    fill.show_page("Panorama")
    lit_by_evening(window, qtbot)
    assert "elevation 9.0°, azimuth 245.0°" in page.sun_said.text()
    press(page, "Use found sun")
    kept = session.document.panorama
    assert kept.sun_found and (kept.sun_azimuth_deg, kept.sun_elevation_deg) == pytest.approx(
        SUN_DEG, abs=0.1
    )
    press(page, "Match sun")
    assert session.document.sun.mode == "manual"
    assert sun_from_document(session.document) == pytest.approx(SUN_DEG, abs=0.1)
    page.lock.click()
    page.turn.set_value(30.0)  # one turn moves both
    assert sun_from_document(session.document)[0] == pytest.approx(275.0, abs=0.1)

    def turned(light) -> bool:  # type: ignore[no-untyped-def]
        return abs(light.panorama.sun_deg[0] - 275.0) < 0.2

    qtbot.waitUntil(lambda: turned(session.results.light), timeout=30_000)
    session.change("sun", azimuth_deg=200.0)  # and the other way round
    qtbot.waitUntil(lambda: abs(session.results.light.panorama.sun_deg[0] - 200.0) < 0.2, timeout=30_000)  # type: ignore[union-attr]
    before = session.results.light.panorama  # type: ignore[union-attr]
    page.lift.click()
    qtbot.waitUntil(lambda: session.results.light.panorama.removed_lx > 0.0, timeout=60_000)  # type: ignore[union-attr]
    solved = session.results.light.panorama  # type: ignore[union-attr]
    assert solved.sun_lx == 0.0
    assert solved.sky_lx + solved.removed_lx == pytest.approx(before.sun_lx + before.sky_lx, rel=0.01)
    press(page, "Give its light to the sun")
    qtbot.waitUntil(
        lambda: (
            abs(session.results.light.reading.sun_horizontal_lx - solved.removed_lx)
            < 0.02 * solved.removed_lx
        ),  # type: ignore[union-attr]
        timeout=30_000,
    )


def test_a_panorama_turns_to_the_sun_and_finds_a_real_moment(
    window: DeskWindow, fill: FillStep, qtbot: QtBot
) -> None:
    session = window.session
    lit_by_evening(window, qtbot)
    azimuth, _elevation = sun_from_document(session.document)
    press(fill.panorama, "Rotate to the sun")
    assert session.document.panorama.rotation_deg == pytest.approx(azimuth - SUN_DEG[0], abs=0.1)
    session.undo()
    qtbot.waitUntil(lambda: abs(session.results.light.panorama.sun_deg[0] - SUN_DEG[0]) < 0.2, timeout=30_000)  # type: ignore[union-attr]
    press(fill.panorama, "Nearest real moment")
    assert session.document.sun.mode == "almanac"
    found = sun_from_document(session.document)
    assert found == pytest.approx(SUN_DEG, abs=1.5)


def test_a_sun_is_picked_in_the_picture_as_the_panorama_lies(
    window: DeskWindow, fill: FillStep, qtbot: QtBot
) -> None:
    session = window.session
    lit_by_evening(window, qtbot)
    session.change("panorama", rotation_deg=20.0, mirrored=True)
    qtbot.waitUntil(lambda: session.results.light.panorama.rotation_deg == 20.0, timeout=30_000)  # type: ignore[union-attr]
    towards = np.array(
        [math.sin(math.radians(50.0)), math.cos(math.radians(50.0)), math.tan(math.radians(10.0))]
    )
    panorama_actions.pick_sun(session, towards)
    kept = session.document.panorama
    assert (kept.sun_azimuth_deg, kept.sun_elevation_deg) == pytest.approx((330.0, 10.0), abs=0.01)
    panorama_actions.pick_sun(session, np.array([0.0, 1.0, -1.0]))
    assert session.document.panorama == kept  # below its horizon there is none


def test_the_folders_panoramas_are_stepped_through_and_all_else_stays(
    window: DeskWindow, fill: FillStep, qtbot: QtBot, tmp_path: Path
) -> None:
    for name in ("a.exr", "b.exr", "c.exr"):
        save_light(tmp_path / name, np.full((32, 64, 3), 500.0, np.float32))
    (tmp_path / "notes.txt").write_text("no panorama")
    session, chosen = window.session, fill.panorama.list
    window.choose_step(STEP_TITLES.index("Fill"))
    fill.show_page("Panorama")
    session.change("panorama", file=str(tmp_path / "a.exr"), rotation_deg=33.0, illuminance_lx=5000.0)
    assert chosen.list.count() == 3 and chosen.count.text() == "1 of 3"
    chosen.after.click()
    assert session.document.panorama.file.endswith("b.exr")
    chosen.before.click()
    chosen.before.click()
    kept = session.document.panorama
    assert kept.file.endswith("c.exr") and (kept.rotation_deg, kept.illuminance_lx) == (33.0, 5000.0)
    qtbot.waitUntil(lambda: all(not chosen.list.item(k).icon().isNull() for k in range(3)), timeout=20_000)


def test_cards_read_every_source_and_follow_a_gain_at_once(
    window: DeskWindow, fill: FillStep, qtbot: QtBot
) -> None:
    session, card = window.session, fill.meter.cards[0]
    window.choose_step(STEP_TITLES.index("Fill"))
    fill.show_page("Meter")
    qtbot.waitUntil(lambda: session.results.read is not None and bool(card.levels()), timeout=60_000)
    before = {name: whole for name, whole, _ in card.levels()}
    assert card.cards is not None and card.unbalanced is not None
    assert unbalanced_label(card.cards, card.unbalanced, 0, card.natural) == "Same as physical"
    session.change("fill", sky_stops=1.0)
    after = {name: whole for name, whole, _ in card.levels()}
    assert after["sky"] == pytest.approx(2.0 * before["sky"], rel=1e-4)
    assert unbalanced_label(card.cards, card.unbalanced, 0, card.natural).startswith(
        f"Physical {lux_text(sum(before.values()))}"
    )
    session.change("sky", saturation=0.5)  # the sky is nobody's but the artist's now
    assert unbalanced_label(card.cards, card.unbalanced, 0, card.natural).startswith("Before balancing")
    session.undo()
    probes = window.findChild(Probes)
    assert probes is not None and session.results.read is not None
    grey, white = probes.planes(session.results.read)[2:]
    assert white.mean() == pytest.approx(5.0 * grey.mean(), rel=1e-4)  # 0.9 over 0.18


def test_a_spot_is_clicked_read_and_taken_away(window: DeskWindow, fill: FillStep, qtbot: QtBot) -> None:
    session, page = window.session, fill.meter.spots
    window.choose_step(STEP_TITLES.index("Fill"))
    fill.show_page("Meter")
    press(page, "Add spot")
    box = window.picture.target()
    at = QPointF(box.x() + 0.3 * box.width(), box.y() + 0.8 * box.height()).toPoint()
    with qtbot.waitSignal(
        session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: len(f.spots) == 1
    ):
        QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, pos=at)
    (spot,) = session.document.fill.spots
    assert (spot.name, spot.x, spot.y) == ("A", pytest.approx(0.3, abs=0.01), pytest.approx(0.8, abs=0.01))
    assert page.rows[0].name.text() == "A" and "cd/m²" in page.rows[0].text.text()
    qtbot.waitUntil(lambda: page.rows[0].card.text().startswith("Card"), timeout=60_000)
    with qtbot.waitSignal(
        session.results.frame_ready, timeout=60_000, check_params_cb=lambda f: len(f.spots) == 2
    ):
        spot_actions.add_spot(session, 0.6, 0.2)
    assert page.contrast.text().startswith("A over B: ")
    press(page.rows[0], "Remove")
    assert [s.name for s in session.document.fill.spots] == ["B"]


def test_the_list_names_what_is_implausible_leads_out_of_it_and_is_told_to_be_quiet(
    window: DeskWindow, fill: FillStep, qtbot: QtBot
) -> None:
    session = window.session
    checks = window.findChild(Checks)
    assert checks is not None

    def rules() -> set[str]:
        return {finding.rule for finding in checks.found}

    with qtbot.waitSignal(session.results.light_solved, timeout=30_000):
        session.change("fill", sky_stops=-4.0)
    qtbot.waitUntil(lambda: "key to fill" in rules(), timeout=30_000)
    press(checks, "Reset to physical")
    assert session.document.fill.sky_stops == 0.0
    qtbot.waitUntil(lambda: "key to fill" not in rules(), timeout=30_000)
    session.change("sun", diameter_deg=6.0)
    qtbot.waitUntil(lambda: "wide disc" in rules(), timeout=30_000)
    wanted = next(f for f in checks.found if f.rule == "wide disc")
    checks._want(wanted)
    assert session.document.fill.dismissed == ("wide disc",)
    qtbot.waitUntil(lambda: "wide disc" not in rules(), timeout=30_000)
    assert "1 ignored" in checks.head.text()


def test_the_edge_of_shade_follows_how_far_off_stands_what_throws_it(window: DeskWindow) -> None:
    session = window.session
    compiled = session.loaded.compiled
    assert compiled is not None
    widths = {}
    for diameter in (0.533, 5.33):
        session.change("sun", diameter_deg=diameter)
        for k in range(9, 28):
            for n in range(9, 28):
                width = spot_actions.spot_penumbra_m(session, SpotState(x=k / 30.0, y=n / 30.0))
                if width is not None:
                    widths.setdefault((k, n), []).append(width)
    pairs = [pair for pair in widths.values() if len(pair) == 2]
    assert pairs
    ratio = math.tan(math.radians(5.33 / 2)) / math.tan(math.radians(0.533 / 2))
    assert all(wide == pytest.approx(ratio * narrow, rel=1e-4) for narrow, wide in pairs)
