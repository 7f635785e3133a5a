# SPDX-License-Identifier: Apache-2.0
"""The document: ranges, undo, files that lose nothing."""

from __future__ import annotations

import json
import os
from datetime import datetime
from pathlib import Path

import pytest
from pydantic import BaseModel, ValidationError

from gloamet import files
from gloamet.document.file import load_document, save_document, write_atomically
from gloamet.document.history import History
from gloamet.document.model import Document
from gloamet.document.stage import MaterialEdit
from gloamet.document.targets import AimPin
from gloamet.errors import GloametError


def fields(model: type[BaseModel]) -> list[tuple[str, object]]:
    out: list[tuple[str, object]] = []
    for name, info in model.model_fields.items():
        kind = info.annotation
        if isinstance(kind, type) and issubclass(kind, BaseModel):
            out += fields(kind)
        elif name != "version":
            out.append((f"{model.__name__}.{name}", info))
    return out


@pytest.mark.parametrize(("name", "info"), fields(Document), ids=lambda v: v if isinstance(v, str) else "")
def test_every_field_says_what_it_is(name: str, info: object) -> None:
    text = info.description  # type: ignore[attr-defined]
    assert text, name
    assert text[0].isupper(), name
    assert text.endswith("."), name


def test_values_outside_their_range_are_refused() -> None:
    for section, values in (
        ("air", {"turbidity": 0.5}),
        ("site", {"latitude_deg": 91}),
        ("expose", {"ev": float("nan")}),
        ("site", {"timezone": "Nowhere/At_all"}),
        ("stage.view", {"fov_deg": 0}),
        ("air", {"typo": 1}),
    ):
        with pytest.raises(ValidationError):
            Document().change(section, **values)


def test_changing_makes_a_new_document_and_keeps_the_old() -> None:
    old = Document()
    new = old.change("stage.view", fov_deg=20.0)
    assert old.stage.view.fov_deg == 40.0
    assert new.stage.view.fov_deg == 20.0
    assert new.air is old.air


def test_undo_and_redo_walk_the_same_steps() -> None:
    history = History(Document())
    states = [Document().change("air", turbidity=t) for t in (2.0, 3.0, 4.0)]
    for state in states:
        history.push(state)
    assert [history.undo().air.turbidity for _ in range(4)] == [3.0, 2.0, 2.6, 2.6]
    assert [history.redo().air.turbidity for _ in range(4)] == [2.0, 3.0, 4.0, 4.0]


def test_one_drag_is_one_step_and_a_new_drag_another() -> None:
    history = History(Document())
    for t in (2.0, 2.1, 2.2):
        history.push(Document().change("air", turbidity=t), "air.turbidity")
    history.end_undo_group()
    for t in (2.3, 2.4):
        history.push(Document().change("air", turbidity=t), "air.turbidity")
    assert history.undo().air.turbidity == 2.2
    assert history.undo().air.turbidity == 2.6
    assert not history.can_undo


def test_a_new_change_forgets_what_was_undone() -> None:
    history = History(Document())
    history.push(Document().change("air", turbidity=3.0))
    history.undo()
    history.push(Document().change("air", turbidity=5.0))
    assert not history.can_redo


def test_a_panorama_moves_with_its_project(tmp_path: Path) -> None:
    (tmp_path / "lit").mkdir()
    document = Document().change("panorama", file=str(tmp_path / "lit" / "sky.exr"), rotation_deg=20.0)
    save_document(document, tmp_path / "p.gloamet")
    assert json.loads((tmp_path / "p.gloamet").read_text())["panorama"]["file"] == "lit/sky.exr"
    assert load_document(tmp_path / "p.gloamet") == document


def test_a_saved_project_comes_back_whole_with_its_model_relative(tmp_path: Path) -> None:
    model = tmp_path / "models" / "house.glb"
    model.parent.mkdir()
    model.write_bytes(b"x")
    document = (
        Document().change("stage", scene_file=str(model)).change("sun", wall_time=datetime(2026, 1, 2, 3, 4))
    )
    project = tmp_path / "jobs" / "house.gloamet"
    project.parent.mkdir()
    save_document(document, project)
    assert json.loads(project.read_text())["stage"]["scene_file"] == "../models/house.glb"
    assert load_document(project) == document
    moved = tmp_path / "elsewhere"
    (tmp_path / "jobs").rename(moved)
    assert load_document(moved / "house.gloamet").stage.scene_file == str(model)


@pytest.mark.parametrize("field", ["file", "background_file"])
def test_a_projects_panoramas_are_relative_to_it(field: str, tmp_path: Path) -> None:
    for folder in ("skies", "jobs"):
        (tmp_path / folder).mkdir()
    sky = tmp_path / "skies" / "noon.exr"
    sky.write_bytes(b"x")
    project = tmp_path / "jobs" / "house.gloamet"
    save_document(Document().change("panorama", **{field: str(sky)}), project)
    assert json.loads(project.read_text())["panorama"][field] == "../skies/noon.exr"
    assert getattr(load_document(project).panorama, field) == str(sky)


def test_a_failed_save_leaves_the_old_file_whole(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    project = tmp_path / "a.gloamet"
    save_document(Document(), project)
    before = project.read_bytes()

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    with pytest.raises(GloametError, match="No space left"):
        save_document(Document().change("air", turbidity=9.0), project)
    assert project.read_bytes() == before
    assert os.listdir(tmp_path) == ["a.gloamet"]


def test_a_missing_folder_is_one_sentence(tmp_path: Path) -> None:
    with pytest.raises(GloametError, match="was not saved"):
        write_atomically(tmp_path / "no" / "where.gloamet", lambda f: f.write(b""))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "not readable JSON"),
        ("{", "not readable JSON"),
        ("[1, 2]", "not a Gloamet project"),
        ("{}", "names no version"),
        ('{"version": 99}', "version 99"),
        ('{"version": 1, "air": {"turbidity": 1e9}}', "air.turbidity"),
        ('{"version": 1, "air": {"turbidity": "thick"}}', "air.turbidity"),
        ('{"version": 1, "sun": {"wall_time": "2026-02-30T10:00"}}', "sun.wall_time"),
        ('{"version": 1, "site": {"timezone": "Mars/Base"}}', "Mars/Base"),
        ('{"version": 1, "extra": 1}', "extra"),
        ("\x00\x01\x02", "not readable JSON"),
        ("[" * 100000, "not readable JSON"),
    ],
)
def test_bad_projects_get_one_sentence(tmp_path: Path, text: str, words: str) -> None:
    path = tmp_path / "bad.gloamet"
    path.write_text(text)
    with pytest.raises(GloametError) as caught:
        load_document(path)
    message = str(caught.value)
    assert "bad.gloamet" in message
    assert words.lower() in message.lower()
    assert "\n" not in message


def test_aims_sequence_and_leader_survive_saving(tmp_path: Path) -> None:
    pin = AimPin(caster=(0.0, 0.0, 2.0), receiver=(1.0, 2.0, 0.0), on=False)
    document = Document().change(
        "aim", pins=(pin, AimPin(kind="frame", frame_position=(0.2, 0.3))), measured_part="floor"
    )
    document = document.change("aim", face_direction=(0.0, 0.0, 1.0), from_hour=7.5, last_day=200)
    document = document.change("sequence", start=datetime(2026, 5, 1, 6), frames=12, easing="gentle")
    document = document.change(
        "sun", mode="driver", driver="key", driver_time_s=1.5, diameter_deg=2.0, moon=True
    )
    save_document(document, tmp_path / "aims.gloamet")
    assert load_document(tmp_path / "aims.gloamet") == document
    with pytest.raises(ValidationError, match="earliest clock time"):
        document.change("aim", from_hour=9.0, to_hour=8.0)


def test_a_correction_is_reached_by_its_materials_name_and_its_neighbours_stay() -> None:
    edits = {"clay": MaterialEdit(roughness=0.5), "glass": MaterialEdit(roughness=0.1)}
    document = Document().change("stage", materials=edits)
    changed = document.change(("stage", "materials", "clay"), roughness=0.7)
    assert changed.stage.materials["clay"].roughness == 0.7
    assert changed.stage.materials["glass"] == edits["glass"]
    assert list(changed.stage.materials) == ["clay", "glass"]
    assert document.stage.materials["clay"].roughness == 0.5
