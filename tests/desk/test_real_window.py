"""A real window on a real (virtual) screen: the platform's own plug-in, fonts and window manager protocol."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

SCRIPT = """
import pathlib
import sys
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from gloamet.document.demo import demo_document
from gloamet.desk import theme
from gloamet.desk.session import Session
from gloamet.desk.window import DeskWindow

app = QApplication(sys.argv[:1])
assert app.platformName() == "xcb", app.platformName()
theme.apply(app)
session = Session()
window = DeskWindow(session)
session.start_with(demo_document())
window.show()
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

session.frame_ready.connect(follow)
QTimer.singleShot(150_000, lambda: app.exit(3))
sys.exit(app.exec())
"""


def test_the_demo_opens_and_follows_the_ribbon_on_a_real_screen(tmp_path: Path) -> None:
    xvfb = shutil.which("xvfb-run")
    assert xvfb, "xvfb is missing: ./run test installs it"
    environment = {**os.environ, "QT_QPA_PLATFORM": "xcb"}
    picture = tmp_path / "window.png"
    done = subprocess.run(
        [xvfb, "-a", "-s", "-screen 0 1400x900x24", sys.executable, "-c", SCRIPT, str(picture)],
        capture_output=True, text=True, timeout=240, env=environment, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-3000:]
    assert "Traceback" not in done.stderr
    from PIL import Image

    image = Image.open(picture).convert("RGB")
    assert image.size == (1280, 800)
    middle = image.crop((300, 100, 900, 600))
    assert len(set(middle.resize((60, 50)).get_flattened_data())) > 200
