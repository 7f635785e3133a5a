# SPDX-License-Identifier: Apache-2.0
"""Reading models: what a whole file means, and one sentence for every kind of damage."""

from __future__ import annotations

import base64
import copy
import io
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from gloamet.errors import GloametError
from gloamet.stage.readers import read_model
from gloamet.stage.scene import Material, Scene
from gloamet.trace.render_scene import build_render_scene
from tests.stage.glb import pack, triangle_tree, write_triangle

DEMO = Path(__file__).parents[2] / "src/gloamet/data/demo/bathing_house.glb"


def test_y_up_becomes_z_up_and_minus_z_north(tmp_path: Path) -> None:
    scene = read_model(write_triangle(tmp_path / "t.glb", translation=[3, 4, -5]))
    assert scene.parts[0].positions == pytest.approx(np.array([[3, 5, 4], [4, 5, 4], [3, 5, 6]]))
    assert scene.materials[0].base_colour == (1.0, 0.0, 0.0)
    assert scene.notes == ()


@pytest.mark.parametrize(
    ("unit", "factor"), [("m", 1), ("cm", 0.01), ("mm", 0.001), ("in", 0.0254), ("ft", 0.3048)]
)
def test_units_scale_to_metres(tmp_path: Path, unit: str, factor: float) -> None:
    scene = read_model(write_triangle(tmp_path / "t.glb"), units=unit)
    low, high = scene.bounds()
    assert (high - low) == pytest.approx(np.array([1, 0, 2]) * factor, abs=1e-6)


def test_cameras_become_views_in_world_space(tmp_path: Path) -> None:
    view = read_model(write_triangle(tmp_path / "t.glb")).views["front"]
    assert view.eye == pytest.approx((0, -5, 1))
    forward, right, up = view.frame()
    assert forward == pytest.approx([0, 1, 0])
    assert right == pytest.approx([1, 0, 0])
    assert up == pytest.approx([0, 0, 1])
    assert view.fov_deg == pytest.approx(28.6479, abs=1e-3)


def test_a_camera_in_a_scaled_node_looks_the_same_way_at_ten_metres(tmp_path: Path) -> None:
    tree, binary = triangle_tree()
    tree["nodes"].append({"children": [1], "scale": [3, 3, 3]})
    tree["scenes"][0]["nodes"] = [0, 2]
    (tmp_path / "t.glb").write_bytes(pack(tree, binary))
    view = read_model(tmp_path / "t.glb").views["front"]
    assert view.eye == pytest.approx((0, -15, 3))
    assert view.target == pytest.approx((0, -5, 3))


def test_a_mesh_without_corners_is_left_out(tmp_path: Path) -> None:
    tree, binary = triangle_tree()
    tree["meshes"][0]["primitives"].append({"attributes": {}, "material": 0})
    (tmp_path / "t.glb").write_bytes(pack(tree, binary))
    assert len(read_model(tmp_path / "t.glb").parts) == 1


def test_nodes_stack_rotation_scale_and_mirroring(tmp_path: Path) -> None:
    half = 2**-0.5
    tree, binary = triangle_tree(rotation=[0, half, 0, half], scale=[2, 1, 1])
    tree["nodes"].append({"children": [0], "scale": [1, 1, -1]})
    tree["scenes"][0]["nodes"] = [2]
    (tmp_path / "t.glb").write_bytes(pack(tree, binary))
    part = read_model(tmp_path / "t.glb").parts[0]
    # file (1,0,0) -> scaled (2,0,0) -> turned to (0,0,-2) -> mirrored (0,0,2) -> world (0,-2,0)
    assert part.positions[1] == pytest.approx([0, -2, 0], abs=1e-6)
    flat = build_render_scene(Scene(None, (part,), (Material("plain"),) * 2))
    a, b, c = flat.rays.vertices[flat.geometry.triangles[0]].astype(float)
    # the face looked along the file's +z, turned to +x; mirroring z keeps that side, so the winding turns round
    assert np.cross(b - a, c - a) == pytest.approx([4, 0, 0], abs=1e-5)


def test_textures_are_decoded_and_broken_ones_become_a_checker_with_a_note(tmp_path: Path) -> None:
    buffer = io.BytesIO()
    Image.new("RGB", (2, 2), (255, 128, 0)).save(buffer, "PNG")
    for data, fine in ((buffer.getvalue(), True), (b"no picture", False)):
        tree, binary = triangle_tree()
        uri = "data:image/png;base64," + base64.b64encode(data).decode()
        tree["images"], tree["textures"] = [{"uri": uri}], [{"source": 0}]
        tree["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"] = {"index": 0}
        (tmp_path / "t.glb").write_bytes(pack(tree, binary))
        scene = read_model(tmp_path / "t.glb")
        assert scene.materials[0].base_texture == 0
        assert (scene.textures[0].pixels[0, 0].tolist() == [255, 128, 0, 255]) == fine
        assert bool(scene.notes) == (not fine)


def test_a_missing_texture_beside_a_gltf_is_noted(tmp_path: Path) -> None:
    tree, binary = triangle_tree()
    (tmp_path / "t.bin").write_bytes(binary)
    tree["buffers"][0]["uri"] = "t.bin"
    tree["images"], tree["textures"] = [{"uri": "gone.png"}], [{"source": 0}]
    tree["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"] = {"index": 0}
    (tmp_path / "t.gltf").write_text(json.dumps(tree))
    scene = read_model(tmp_path / "t.gltf")
    assert "gone.png is missing" in scene.notes[0]


def test_degenerate_and_not_finite_triangles_are_left_out(tmp_path: Path) -> None:
    tree, _ = triangle_tree()
    points = np.array(
        [[0, 0, 0], [1, 0, 0], [0, 2, 0], [np.nan, 0, 0], [2, 0, 0], [3, 0, 0]], "<f4"
    ).tobytes()
    order = np.array([0, 1, 2, 0, 1, 3, 1, 4, 5], "<u2").tobytes()
    tree["buffers"][0]["byteLength"] = len(points + order)
    tree["bufferViews"] = [
        {"buffer": 0, "byteLength": len(points)},
        {"buffer": 0, "byteOffset": len(points), "byteLength": len(order)},
    ]
    tree["accessors"][0]["count"], tree["accessors"][1]["count"] = 6, 9
    (tmp_path / "t.glb").write_bytes(pack(tree, points + order))
    scene = read_model(tmp_path / "t.glb")
    assert scene.triangle_count == 1
    assert np.isfinite(scene.parts[0].positions).all()


def _damage(name: str) -> tuple[dict[str, Any], bytes]:
    tree, binary = triangle_tree()
    tree = copy.deepcopy(tree)
    if name == "index out of range":
        binary = binary[:36] + np.array([0, 1, 9], "<u2").tobytes()
    elif name == "huge count":
        tree["accessors"][0]["count"] = 10**9
    elif name == "view past the buffer":
        tree["bufferViews"][0]["byteLength"] = 10**6
    elif name == "cyclic nodes":
        tree["nodes"][0]["children"] = [0]
    elif name == "no such mesh":
        tree["nodes"][0]["mesh"] = 7
    elif name == "climbing uri":
        tree["buffers"][0]["uri"] = "../../etc/passwd"
    elif name == "unknown requirement":
        tree["extensionsRequired"] = ["EXT_unknown_packing"]
    elif name == "wrong version":
        tree["asset"]["version"] = "1.0"
    elif name == "lists for objects":
        tree["meshes"] = [[1, 2, 3]]
    elif name == "text for numbers":
        tree["accessors"][0]["byteOffset"] = "far"
    elif name == "all nan":
        binary = np.full(9, np.nan, "<f4").tobytes() + binary[36:]
    return tree, binary


@pytest.mark.parametrize(
    "name",
    [
        "index out of range",
        "huge count",
        "view past the buffer",
        "cyclic nodes",
        "no such mesh",
        "climbing uri",
        "unknown requirement",
        "wrong version",
        "lists for objects",
        "text for numbers",
        "all nan",
    ],
)
def test_damaged_gltf_gets_one_sentence(tmp_path: Path, name: str) -> None:
    path = tmp_path / "bad.glb"
    path.write_bytes(pack(*_damage(name)))
    with pytest.raises(GloametError) as caught:
        read_model(path)
    assert "bad.glb" in str(caught.value)
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("cut", [0, 3, 11, 19, 60, 400, -4])
def test_truncated_files_get_one_sentence(tmp_path: Path, cut: int) -> None:
    path = tmp_path / "cut.glb"
    path.write_bytes(pack(*triangle_tree())[:cut])
    with pytest.raises(GloametError, match="cut.glb"):
        read_model(path)


def test_files_of_other_kinds_are_named(tmp_path: Path) -> None:
    for name, content in (("a.txt", "hello"), ("b.obj", ""), ("c.glb", "just text"), ("d.gltf", "{}")):
        (tmp_path / name).write_text(content)
        with pytest.raises(GloametError, match=name):
            read_model(tmp_path / name)
    with pytest.raises(GloametError, match="is not there"):
        read_model(tmp_path / "none.glb")


def test_obj_polygons_groups_and_negative_indices(tmp_path: Path) -> None:
    (tmp_path / "a.obj").write_text(
        "v 0 0 0\nv 1 0 0\nv 1 0 -1\nv 0 0 -1\no floor\nf 1 2 3 4\no wall\nf -4 -3 -2\n"
    )
    scene = read_model(tmp_path / "a.obj")
    assert [(p.name, len(p.triangles)) for p in scene.parts] == [("floor", 2), ("wall", 1)]
    # Y up unless told otherwise: -z is north
    assert scene.bounds()[1] == pytest.approx([1, 1, 0])
    assert read_model(tmp_path / "a.obj", up="z").bounds()[0] == pytest.approx([0, 0, -1])


def test_obj_materials_and_their_absence(tmp_path: Path, obj_file: Path) -> None:
    scene = read_model(obj_file, up="z")
    assert scene.materials[scene.parts[0].material].base_colour == pytest.approx((0.8, 0.8, 0.8))
    (tmp_path / "plane.mtl").unlink()
    notes = " ".join(read_model(obj_file, up="z").notes)
    assert "plane.mtl is missing" in notes
    assert "white is not defined" in notes


@pytest.mark.parametrize(
    "text",
    ["v 0 0\nf 1 1 1\n", "v 0 0 0\nf 1 2 3\n", "v 0 0 0\nf a b c\n", "v x y z\n", "f 1 2 3\n", "# nothing\n"],
)
def test_damaged_obj_gets_one_sentence(tmp_path: Path, text: str) -> None:
    (tmp_path / "bad.obj").write_text(text)
    with pytest.raises(GloametError, match="bad.obj"):
        read_model(tmp_path / "bad.obj")


def test_the_demo_is_whole() -> None:
    scene = read_model(DEMO)
    assert 50_000 <= scene.triangle_count <= 150_000
    assert scene.notes == ()
    assert "From the basin" in scene.views
    names = {part.name.split(",")[0] for part in scene.parts}
    assert {"water", "glass front", "louvres", "deck and steps", "bather 1"} <= names
    assert any(m.transmission > 0 for m in scene.materials)
    assert len(scene.textures) == 3
