# SPDX-License-Identifier: Apache-2.0
"""Projects whose files have moved: what is missing, and what is found along with one of them."""

from __future__ import annotations

from pathlib import Path

from gloamet.document.differences import differences
from gloamet.document.model import Document
from gloamet.document.moved_files import missing_files, with_found


def project(folder: Path) -> Document:
    """One that names a model, a panorama in a folder below and a look-up table beside it."""
    document = Document().change("stage", scene_file=str(folder / "house.glb"))
    document = document.change("panorama", file=str(folder / "skies" / "evening.exr"))
    return document.change("expose.colour", table=str(folder / "warm.cube"))


def lay_out(folder: Path, *names: str) -> None:
    for name in names:
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(b"")


def test_what_is_there_is_not_missing(tmp_path: Path) -> None:
    lay_out(tmp_path, "house.glb", "skies/evening.exr", "warm.cube")
    assert missing_files(project(tmp_path)) == ()
    assert missing_files(Document()) == ()


def test_the_model_is_named_first_and_each_file_once(tmp_path: Path) -> None:
    document = project(tmp_path).change("panorama", background_file=str(tmp_path / "skies" / "evening.exr"))
    assert [file.name for file in missing_files(document)] == ["house.glb", "evening.exr", "warm.cube"]


def test_files_of_a_folder_that_moved_are_found_with_one_of_them(tmp_path: Path) -> None:
    old, new = tmp_path / "old", tmp_path / "new"
    lay_out(new, "house.glb", "skies/evening.exr", "warm.cube")
    found = with_found(project(old), old / "house.glb", new / "house.glb")
    assert found == project(new)


def test_a_file_that_lies_beside_the_found_one_is_taken_too(tmp_path: Path) -> None:
    old, new = tmp_path / "old", tmp_path / "new"
    lay_out(new, "bathing house.glb", "evening.exr")
    found = with_found(project(old), old / "house.glb", new / "bathing house.glb")
    assert found.stage.scene_file == str(new / "bathing house.glb")
    assert found.panorama.file == str(new / "evening.exr")
    assert missing_files(found) == (old / "warm.cube",)


def test_a_file_that_did_not_move_stays_where_it_is(tmp_path: Path) -> None:
    old, new = tmp_path / "old", tmp_path / "new"
    lay_out(old, "warm.cube")
    lay_out(new, "house.glb", "warm.cube")
    found = with_found(project(old), old / "house.glb", new / "house.glb")
    assert found.expose.colour.table == str(old / "warm.cube")


def test_nothing_else_is_touched(tmp_path: Path) -> None:
    old = tmp_path / "old"
    lay_out(tmp_path, "house.glb")
    found = with_found(project(old), old / "house.glb", tmp_path / "house.glb")
    assert [d.path for d in differences(project(old), found)] == [("stage", "scene_file")]
