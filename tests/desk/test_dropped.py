# SPDX-License-Identifier: Apache-2.0
"""Files dropped on the window: each kind goes where it belongs, others are told; what a saved picture offers."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

import pytest
from PIL import Image

from gloamet.desk.dropped import photo_facts, take_file
from gloamet.desk.window import DeskWindow
from gloamet.document.demo import PANORAMAS
from gloamet.document.looks import look_of, write_look
from gloamet.errors import GloametError


def photo(path: Path, taken: str = "2026:06:21 18:40:00", gps: dict[int, object] | None = None) -> Path:
    """A picture with the Exif tags of time and position (CIPA DC-008)."""
    picture = Image.new("RGB", (8, 8))
    exif = picture.getexif()
    if taken:
        exif.get_ifd(0x8769)[0x9003] = taken
    if gps is not None:
        exif.get_ifd(0x8825).update(gps)
    picture.save(path, exif=exif)
    return path


def drop(window: DeskWindow, path: Path) -> None:
    take_file(window.session, path, window.open_file)


VIENNA = {1: "N", 2: (48.0, 12.0, 30.0), 3: "E", 4: (16.0, 22.0, 12.0)}


def test_a_photo_gives_clock_and_site(window: DeskWindow, tmp_path: Path) -> None:
    drop(window, photo(tmp_path / "square.jpg", gps=VIENNA))
    document = window.session.document
    assert document.sun.wall_time == datetime(2026, 6, 21, 18, 40)
    assert document.site.latitude_deg == pytest.approx(48.0 + 12.5 / 60.0, abs=1e-4)
    assert document.site.timezone == "Europe/Vienna"
    window.session.undo()
    assert not window.session.history.can_undo  # one step


def test_south_and_west_are_negative(tmp_path: Path) -> None:
    gps = {1: "S", 2: (33.0, 30.0, 0.0), 3: "W", 4: (70.0, 0.0, 0.0)}
    assert photo_facts(photo(tmp_path / "a.jpg", gps=gps))[1] == pytest.approx((-33.5, -70.0))


@pytest.mark.parametrize("gps", [{1: "N", 2: (148.0, 0.0, 0.0), 3: "E", 4: (16.0, 0.0, 0.0)}, {1: "N"}])
def test_a_position_that_cannot_be_is_told(tmp_path: Path, gps: dict[int, object]) -> None:
    with pytest.raises(GloametError, match="cannot be read"):
        photo_facts(photo(tmp_path / "a.jpg", gps=gps))


def test_a_photo_without_facts_and_a_false_one_change_nothing(window: DeskWindow, tmp_path: Path) -> None:
    before = window.session.document
    drop(window, photo(tmp_path / "plain.jpg", taken=""))
    assert "neither when nor where" in window.notice.text.text()
    (tmp_path / "text.jpg").write_text("no picture")
    drop(window, tmp_path / "text.jpg")
    assert "could not be read as a picture" in window.notice.text.text()
    assert window.session.document == before


def test_a_panorama_lights_the_scene(window: DeskWindow) -> None:
    drop(window, PANORAMAS / "evening.exr")
    assert window.session.document.panorama.file == str(PANORAMAS / "evening.exr")


def test_a_look_is_applied(window: DeskWindow, tmp_path: Path) -> None:
    look = look_of(window.session.document.change("air", turbidity=6.0), "thick", ["air.turbidity"])
    write_look(look, tmp_path / "thick.look.json")
    drop(window, tmp_path / "thick.look.json")
    assert window.session.document.air.turbidity == 6.0
    (tmp_path / "bad.look.json").write_text("{")
    drop(window, tmp_path / "bad.look.json")
    assert window.notice.text.text().endswith(".")


def test_a_colour_table_is_applied_and_a_false_one_told(window: DeskWindow, tmp_path: Path) -> None:
    corners = [f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1)]
    (tmp_path / "same.cube").write_text("\n".join(["LUT_3D_SIZE 2", *corners]))
    drop(window, tmp_path / "same.cube")
    assert window.session.document.expose.colour.table == str(tmp_path / "same.cube")
    (tmp_path / "bad.cube").write_text("LUT_3D_SIZE many")
    drop(window, tmp_path / "bad.cube")
    assert window.session.document.expose.colour.table == str(tmp_path / "same.cube")


def test_other_files_are_told_with_what_is_taken(window: DeskWindow, tmp_path: Path) -> None:
    drop(window, tmp_path / "notes.txt")
    text = window.notice.text.text()
    assert "notes.txt" in text and ".glb" in text and ".cube" in text and ".jpg" in text


def test_a_saved_picture_can_be_opened_and_its_folder_shown(
    window: DeskWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shown: list[Path] = []
    monkeypatch.setattr("gloamet.desk.window.show_file", shown.append)

    class Job:
        path = tmp_path / "out.png"

    window.job = Job()  # type: ignore[assignment]
    window._save_ended("Saved out.png.", True)
    window.notice.action.click()
    window.job = Job()  # type: ignore[assignment]
    window._save_ended("Saved out.png.", True)
    window.notice.second.click()
    assert shown == [tmp_path / "out.png", tmp_path]
