# SPDX-License-Identifier: Apache-2.0
"""A real window on a real (virtual) screen: the platform's own plug-in, fonts and window manager protocol."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
from datetime import datetime
from pathlib import Path

import pytest

BEGIN = """
import json
import pathlib
import sys
import numpy as np
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton
from gloamet.document.demo import demo_document
from gloamet.desk.widgets import theme
from gloamet.desk.steps import FIRST_STEP
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.desk.state.session import Session
from gloamet.desk.window import DeskWindow
from gloamet.translation.document_to_light import sun_from_document
from gloamet.sun.position import direction

app = QApplication(sys.argv[:1])
assert app.platformName() == "xcb", app.platformName()
theme.apply(app)
session = Session()
window = DeskWindow(session)
session.start_with(demo_document())
window.show()
QTimer.singleShot(150_000, lambda: app.exit(3))
"""

SCRIPT = (
    BEGIN
    + """
seen = []

def follow(frame):
    seen.append(frame)
    if len(seen) == 2:
        ribbon = window.ribbon
        x = int(ribbon.x_of(session.moment().instant.timestamp()))
        QTest.mousePress(ribbon, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(x, 55))
        QTest.mouseMove(ribbon, QPoint(x + 200, 55))
        QTest.mouseRelease(ribbon, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(x + 200, 55))
    if len(seen) == 4:
        window.grab().save(sys.argv[1])
        assert session.save(pathlib.Path(sys.argv[1]).with_suffix(".gloamet"))
        window.close()
        app.quit()

session.results.frame_ready.connect(follow)
sys.exit(app.exec())
"""
)


# docs/walkthroughs.md, the first one, by mouse
AIM = (
    BEGIN
    + """
HEAD, STEP = (3.4, -6.95, 2.046), (0.8, -6.69, 0.45)
done = []

def press(text):
    found = [b for b in window.stack.panel(FIRST_STEP).findChildren(QPushButton)
             if text.casefold() in (b.text().casefold(), b.accessibleName().casefold()) and b.isVisible()]
    QTest.mouseClick(found[0], Qt.MouseButton.LeftButton)

def place(point):
    box = window.picture.target()
    x, y = camera_from_document(session.document).project_point(np.array(point), box.width() / box.height())
    return QPoint(round(box.x() + x * box.width()), round(box.y() + y * box.height()))

def begin(frame):
    if done or session.loaded.compiled is None:
        return
    done.append("begun")
    press("Aim")
    window.resize(1292, 800)  # so that the step and the head lie on the pixels of docs/walkthroughs.md
    app.processEvents()
    session.change("aim", from_hour=8.75, to_hour=9.25, first_day=121, last_day=151)
    press("shadow")
    a, b = place(HEAD), place(STEP)
    QTest.mousePress(window.picture, Qt.MouseButton.LeftButton, pos=a)
    for share in (0.25, 0.5, 0.75, 1.0):
        QTest.mouseMove(window.picture, a + (b - a) * share)
    QTest.mouseRelease(window.picture, Qt.MouseButton.LeftButton, pos=b)

def answered():
    moments = window.stack.panel(FIRST_STEP).aim.moments
    if not moments.count() or "gone" in done:
        return
    done.append("gone")
    box = moments.visualItemRect(moments.item(0))
    QTest.mouseClick(moments.viewport(), Qt.MouseButton.LeftButton, pos=box.center())
    pin = session.document.aim.pins[0]
    line = np.subtract(pin.caster, pin.receiver)
    sun = direction(*sun_from_document(session.document))
    off = float(np.degrees(np.arccos(line @ sun / np.linalg.norm(line))))
    out = {"when": session.document.sun.wall_time.isoformat(), "mode": session.document.sun.mode, "off_deg": off,
           "step_m": pin.receiver[2], "said": moments.item(0).data(Qt.ItemDataRole.AccessibleTextRole)}
    print(json.dumps(out), flush=True)
    session.store.mark_saved()
    window.close()
    app.quit()

session.results.frame_ready.connect(begin)
window.aimer.answered.connect(answered)
sys.exit(app.exec())
"""
)


def on_a_screen(script: str, *words: str) -> subprocess.CompletedProcess[str]:
    """Run a script with a window on a virtual screen."""
    xvfb = shutil.which("xvfb-run")
    assert xvfb, "xvfb is missing: ./run test installs it"
    done = subprocess.run(
        [xvfb, "-a", "-s", "-screen 0 1400x900x24", sys.executable, "-c", script, *words],
        capture_output=True,
        text=True,
        timeout=240,
        env={**os.environ, "QT_QPA_PLATFORM": "xcb"},
        check=False,
    )
    assert done.returncode == 0, done.stderr[-3000:]
    assert "Traceback" not in done.stderr
    return done


def test_the_walkthrough_of_the_shadow_on_the_third_step_works_on_a_real_screen() -> None:
    done = on_a_screen(AIM)
    out = json.loads(done.stdout.strip().splitlines()[-1])
    when = datetime.fromisoformat(out["when"])
    assert when.month == 5 and abs(when.hour * 60 + when.minute - 540) <= 16
    assert out["mode"] == "almanac"
    assert out["step_m"] < 0.62  # the third step or the one above it, by a pixel
    said = float(re.search(r"([\d.]+)° off", out["said"])[1])
    assert said < 0.5  # the walkthrough reads 0.21°; half a pixel of the step is worth 0.1°
    assert out["off_deg"] == pytest.approx(
        said, abs=0.02
    )  # both are rounded to a hundredth, the clock to a minute


def test_the_demo_opens_and_follows_the_ribbon_on_a_real_screen(tmp_path: Path) -> None:
    picture = tmp_path / "window.png"
    on_a_screen(SCRIPT, str(picture))
    from PIL import Image

    image = Image.open(picture).convert("RGB")
    assert image.size == (1280, 800)
    middle = image.crop((300, 100, 900, 600))
    assert len(set(middle.resize((60, 50)).get_flattened_data())) > 200
