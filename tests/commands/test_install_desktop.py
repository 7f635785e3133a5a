# SPDX-License-Identifier: Apache-2.0
"""Desktop integration: what is written, that it fits the specifications, and a wheel that starts."""

from __future__ import annotations

import argparse
import configparser
import os
import shutil
import subprocess
import sys
import sysconfig
from pathlib import Path
from xml.etree import ElementTree

import pytest
from PIL import Image

from gloamet.cli import build_parser, main
from gloamet.commands.install_desktop import ICON_SIZES, bash_completion, man_page
from gloamet.commands.table import COMMANDS
from gloamet.document.file import ENDING

ROOT = Path(__file__).parents[2]


@pytest.fixture
def installed(tmp_path: Path) -> Path:
    assert main(["install-desktop", "--prefix", str(tmp_path)]) == 0
    return tmp_path / "share"


def test_the_entry_starts_the_program_and_takes_projects(installed: Path) -> None:
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str  # type: ignore[assignment,method-assign]
    entry.read(installed / "applications/gloamet.desktop")
    fields = entry["Desktop Entry"]
    # required keys and form of Desktop Entry 1.5
    assert fields["Type"] == "Application" and fields["Name"] == "Gloamet" and fields["Version"] == "1.5"
    assert fields["Exec"].endswith(" desk %f") and fields["MimeType"].endswith(";")
    program = fields["Exec"].removesuffix(" desk %f").strip('"')
    assert shutil.which(program) is not None
    mime = ElementTree.parse(installed / "mime/packages/gloamet.xml").getroot()
    space = "{http://www.freedesktop.org/standards/shared-mime-info}"
    kind = mime.find(f"{space}mime-type")
    assert kind is not None and kind.get("type") == fields["MimeType"].rstrip(";")
    glob = kind.find(f"{space}glob")
    assert glob is not None and glob.get("pattern") == f"*{ENDING}"


def test_icons_have_their_sizes_and_are_no_empty_squares(installed: Path) -> None:
    for size in ICON_SIZES:
        with Image.open(installed / f"icons/hicolor/{size}x{size}/apps/gloamet.png") as icon:
            assert icon.size == (size, size) and icon.mode == "RGBA"
            assert icon.getpixel((0, 0))[3] == 0  # type: ignore[index]
            assert len(set(icon.getdata())) > 20
    ElementTree.parse(installed / "icons/hicolor/scalable/apps/gloamet.svg")


def test_the_manual_names_every_command_and_option() -> None:
    parser = build_parser()
    page = man_page(parser).replace("\\-", "-")
    choices = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction)).choices
    assert list(choices) == list(COMMANDS)
    for name, command in choices.items():
        assert f".SS gloamet {name}\n" in page
        for option in command._option_string_actions:
            assert option in page, (name, option)
    assert not [line for line in page.splitlines() if line.startswith("'")]


def test_bash_completes_commands_and_options(tmp_path: Path) -> None:
    script = tmp_path / "gloamet"
    script.write_text(bash_completion(build_parser()))
    asks = (
        f"source {script}; COMP_WORDS=(gloamet su); COMP_CWORD=1; _gloamet; echo ${{COMPREPLY[@]}};"
        f"COMP_WORDS=(gloamet sun --la); COMP_CWORD=2; _gloamet; echo ${{COMPREPLY[@]}}"
    )
    ran = subprocess.run(
        ["bash", "-c", asks], capture_output=True, text=True, check=True, timeout=20, cwd=tmp_path
    )
    assert ran.stdout.split() == ["sun", "suggest", "--lat"]


def test_files_are_removed_again_and_a_folder_that_cannot_be_written_is_told(
    installed: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["install-desktop", "--prefix", str(tmp_path), "--remove"]) == 0
    assert not [path for path in installed.rglob("gloamet*") if path.is_file() and "mime" not in path.parts]
    (tmp_path / "file").write_text("")
    assert main(["install-desktop", "--prefix", str(tmp_path / "file")]) == 2
    assert "choose another --prefix" in capsys.readouterr().err


def test_a_wheel_installed_into_a_fresh_environment_opens_its_window(tmp_path: Path) -> None:
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
    source = tmp_path / "source"
    source.mkdir()
    for name in ("pyproject.toml", "README.md", "LICENSE", "NOTICE"):
        if (ROOT / name).exists():
            shutil.copy(ROOT / name, source)
    shutil.copytree(ROOT / "src", source / "src", ignore=shutil.ignore_patterns("*.egg-info", "__pycache__"))
    build = [*pip, "wheel", "--no-deps", "--no-build-isolation", "-w", str(tmp_path), str(source)]
    subprocess.run(build, check=True, timeout=200, capture_output=True)
    (wheel,) = tmp_path.glob("gloamet-*.whl")
    fresh = tmp_path / "venv"
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(fresh)], check=True, timeout=60)
    (site,) = fresh.glob("lib/python*/site-packages")
    subprocess.run([*pip, "install", "--no-deps", "--target", str(site), str(wheel)], check=True, timeout=100)
    # the libraries of this environment, without the network
    (site / "libraries.pth").write_text(sysconfig.get_paths()["purelib"])
    script = """
from PySide6.QtWidgets import QApplication
import gloamet
from gloamet.desk.state.session import Session
from gloamet.desk.widgets import theme
from gloamet.desk.window import DeskWindow
app = QApplication([])
theme.apply(app)
window = DeskWindow(Session())
window.show()
app.processEvents()
print(gloamet.__file__)
print(window.windowTitle())
import os
os._exit(0)
"""
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"} | {
        "QT_QPA_PLATFORM": "offscreen",
        "XDG_STATE_HOME": str(tmp_path),
    }
    ran = subprocess.run(
        [str(fresh / "bin/python"), "-c", script],
        capture_output=True,
        text=True,
        timeout=120,
        env=environment,
        check=False,
    )
    assert ran.returncode == 0, ran.stderr
    where, title = ran.stdout.splitlines()[-2:]
    assert where.startswith(str(site)) and "Gloamet" in title
