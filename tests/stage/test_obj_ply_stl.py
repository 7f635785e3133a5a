# SPDX-License-Identifier: Apache-2.0
"""PLY, STL and OBJ: what they say, what is guessed for them, and one box through every format."""

from __future__ import annotations

import math
import struct
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from pxr import UsdGeom

from gloamet.colour.spaces import srgb_to_linear
from gloamet.errors import GloametError
from gloamet.sky.dome import uniform_dome
from gloamet.stage.camera import Camera
from gloamet.stage.readers import read_file, read_model
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import build_environment
from gloamet.trace.render_scene import build_render_scene
from tests.conftest import box
from tests.stage.glb import pack
from tests.stage.test_usd import material, new_stage

CORNERS = [(0, 0, 0), (2, 0, 0), (2, 3, 0), (0, 3, 0)]


def ply_header(form: str, vertex: str, faces: int = 1) -> str:
    return (
        f"ply\nformat {form} 1.0\ncomment made up\nelement vertex 4\n{vertex}"
        f"element face {faces}\nproperty list uchar int vertex_indices\nend_header\n"
    )


XYZ = "property float x\nproperty float y\nproperty float z\n"
RGB = "property uchar red\nproperty uchar green\nproperty uchar blue\n"


def write_ply(path: Path, form: str) -> Path:
    head = ply_header(form, XYZ + RGB).encode()
    if form == "ascii":
        rows = [f"{x} {y} {z} 255 128 0" for x, y, z in CORNERS]
        path.write_bytes(head + ("\n".join([*rows, "4 0 1 2 3"]) + "\n").encode())
        return path
    order = "<" if "little" in form else ">"
    body = b"".join(struct.pack(order + "fffBBB", *c, 255, 128, 0) for c in CORNERS)
    path.write_bytes(head + body + struct.pack(order + "Biiii", 4, 0, 1, 2, 3))
    return path


@pytest.mark.parametrize("form", ["ascii", "binary_little_endian", "binary_big_endian"])
def test_ply_in_every_form_reads_alike_with_its_colours(tmp_path: Path, form: str) -> None:
    scene = read_file(write_ply(tmp_path / "t.ply", form))
    shape = scene.parts[0].shape
    assert shape.positions.tolist() == [list(c) for c in CORNERS]
    assert sorted(shape.triangles.ravel().tolist()) == [0, 0, 1, 2, 2, 3]
    assert shape.colours is not None
    # colours of PLY are sRGB, those of a shape linear
    assert shape.colours[0] == pytest.approx([1.0, float(srgb_to_linear(np.array(128 / 255))), 0.0], abs=1e-6)


@pytest.mark.parametrize("word", ["norm", "map_Kn"])
def test_an_mtl_file_names_the_picture_of_its_normals(tmp_path: Path, word: str) -> None:
    Image.new("RGB", (2, 2), (128, 128, 255)).save(tmp_path / "bumps.png")
    (tmp_path / "t.mtl").write_text(f"newmtl a\n{word} -bm 1 bumps.png\n")
    (tmp_path / "t.obj").write_text("mtllib t.mtl\nusemtl a\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    scene = read_file(tmp_path / "t.obj")
    number = scene.materials[0].normal_texture
    assert number is not None
    assert scene.textures[number].pixels.shape[:2] == (2, 2)


def test_a_ply_file_without_a_list_of_faces_is_told_to_hold_points_only(tmp_path: Path) -> None:
    header = f"ply\nformat ascii 1.0\nelement vertex 1\n{XYZ}end_header\n0 0 0\n"
    (tmp_path / "t.ply").write_text(header)
    with pytest.raises(GloametError, match="points only"):
        read_file(tmp_path / "t.ply")


def test_ply_faces_of_mixed_sizes_and_further_records(tmp_path: Path) -> None:
    text = (
        "ply\nformat ascii 1.0\nelement vertex 4\n"
        + XYZ
        + "element face 2\nproperty list uchar int vertex_index\nproperty float quality\n"
        "element edge 1\nproperty int a\nproperty int b\nend_header\n"
        "0 0 0\n2 0 0\n2 3 0\n0 3 0\n3 0 1 2 0.5\n4 0 1 2 3 0.1\n0 1\n"
    )
    (tmp_path / "t.ply").write_text(text)
    assert read_file(tmp_path / "t.ply").triangle_count == 3


@pytest.mark.parametrize("corners", [(4, 4), (3, 4)])  # all alike are read as one block
def test_binary_ply_faces_may_carry_numbers_before_and_behind_their_corners(
    tmp_path: Path, corners: tuple[int, int]
) -> None:
    head = (
        f"ply\nformat binary_little_endian 1.0\nelement vertex 4\n{XYZ}element face 2\n"
        "property uchar flags\nproperty list uchar int vertex_indices\nproperty double quality\nend_header\n"
    )
    body = b"".join(struct.pack("<fff", *c) for c in CORNERS)
    for count in corners:
        body += struct.pack(f"<BB{count}id", 7, count, *range(count), 0.25)
    (tmp_path / "t.ply").write_bytes(head.encode() + body)
    shape = read_file(tmp_path / "t.ply").parts[0].shape
    assert len(shape.triangles) == sum(corners) - 4
    assert shape.triangles.max() == 3


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("4 0 1 2 3", "4 0 1 2 9"),
        ("4 0 1 2 3", "4 0 1"),
        ("4 0 1 2 3", "x 0 1 2 3"),
        ("element vertex 4", "element vertex 4000000000"),
        ("element vertex 4", "element vertex -4"),
        ("property float x", "property float q"),
        ("format ascii", "format morse"),
        ("end_header", "end"),
    ],
)
def test_damaged_ply_is_one_sentence(tmp_path: Path, old: str, new: str) -> None:
    path = write_ply(tmp_path / "t.ply", "ascii")
    text = path.read_text()
    assert old in text
    path.write_text(text.replace(old, new))
    with pytest.raises(GloametError, match=r"t\.ply"):
        read_file(path)


def stl_bytes(triangles: np.ndarray) -> bytes:
    body = b"".join(struct.pack("<12fH", 0, 0, 0, *t.ravel(), 0) for t in triangles)
    return b"made up".ljust(80) + struct.pack("<I", len(triangles)) + body


def stl_text(triangles: np.ndarray) -> str:
    facets = []
    for t in triangles:
        corners = "\n".join(f"vertex {x} {y} {z}" for x, y, z in t)
        facets.append(f"facet normal 0 0 0\nouter loop\n{corners}\nendloop\nendfacet")
    return "solid box\n" + "\n".join(facets) + "\nendsolid box\n"


def test_stl_binary_and_text_read_alike_and_join_their_corners(tmp_path: Path) -> None:
    cube = box((0, 0, 0), (1, 2, 3))
    (tmp_path / "b.stl").write_bytes(stl_bytes(cube))
    (tmp_path / "t.stl").write_text(stl_text(cube))
    for name in ("b.stl", "t.stl"):
        scene = read_file(tmp_path / name)
        assert len(scene.parts[0].shape.positions) == 8
        assert scene.triangle_count == 12
        assert scene.bounds()[1] == pytest.approx([1, 2, 3])


@pytest.mark.parametrize("cut", [1, 60, 83, 90, 300])
def test_truncated_stl_is_one_sentence(tmp_path: Path, cut: int) -> None:
    (tmp_path / "t.stl").write_bytes(stl_bytes(box((0, 0, 0), (1, 2, 3)))[:cut])
    with pytest.raises(GloametError, match=r"t\.stl"):
        read_file(tmp_path / "t.stl")


def test_obj_groups_become_parts(tmp_path: Path) -> None:
    lines = ["v 0 0 0", "v 1 0 0", "v 1 1 0", "v 0 1 0", "o deck", "g boards", "f 1 2 3", "g rail", "f 1 3 4"]
    (tmp_path / "t.obj").write_text("\n".join(lines))
    parts = read_file(tmp_path / "t.obj").parts
    assert len(parts) == 2
    assert any("boards" in part.name for part in parts)
    assert any("rail" in part.name for part in parts)


def test_one_box_is_the_same_picture_through_every_format(tmp_path: Path, tracer: Renderer) -> None:
    cube, rgb = box((-1, -1, 0), (1, 1, 2)), (0.6, 0.3, 0.1)
    points = cube.reshape(-1, 3).astype(np.float32)
    turned = points[:, [0, 2, 1]] * [1, 1, -1]  # world to Y up
    data = turned.astype("<f4").tobytes()
    tree = {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": 0}]}],
        "materials": [
            {
                "pbrMetallicRoughness": {
                    "baseColorFactor": [*rgb, 1],
                    "metallicFactor": 0,
                    "roughnessFactor": 1,
                }
            }
        ],
        "buffers": [{"byteLength": len(data)}],
        "bufferViews": [{"buffer": 0, "byteLength": len(data)}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": len(points), "type": "VEC3"}],
    }
    (tmp_path / "box.glb").write_bytes(pack(tree, data))
    stage = new_stage(tmp_path / "box.usda")
    mesh = UsdGeom.Mesh.Define(stage, "/box")
    mesh.CreatePointsAttr([tuple(map(float, p)) for p in points])
    mesh.CreateFaceVertexCountsAttr([3] * 12)
    mesh.CreateFaceVertexIndicesAttr(list(range(36)))
    from pxr import UsdShade

    paint = material(stage, "paint", diffuseColor=rgb, roughness=1.0, metallic=0.0)
    UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(paint)
    stage.Save()
    (tmp_path / "box.mtl").write_text("newmtl paint\nKd 0.6 0.3 0.1\nKs 0 0 0\n")
    rows = ["mtllib box.mtl", "usemtl paint", *(f"v {x} {y} {z}" for x, y, z in points)]
    rows += [f"f {3 * k + 1} {3 * k + 2} {3 * k + 3}" for k in range(12)]
    (tmp_path / "box.obj").write_text("\n".join(rows))
    lights, camera = build_environment(uniform_dome(100.0)), Camera((5, -6, 4.0), (0, 0, 1.0), 30.0)
    pictures = {}
    for name in ("box.glb", "box.usda", "box.obj"):
        film = Film(32, 32)
        scene = read_model(tmp_path / name, up="z" if name.endswith("obj") else None)
        assert tracer.accumulate(film, build_render_scene(scene), lights, camera, 256)
        pictures[name] = film.light()
    for name in ("box.usda", "box.obj"):
        apart = np.abs(pictures[name] - pictures["box.glb"]) / pictures["box.glb"].mean()
        assert float(np.median(apart)) < 0.02
        assert pictures[name].mean((0, 1)) == pytest.approx(pictures["box.glb"].mean((0, 1)), rel=0.01)


def test_plain_formats_are_white_under_their_colours_and_grey_without(tmp_path: Path) -> None:
    coloured = read_file(write_ply(tmp_path / "t.ply", "ascii"))
    assert coloured.materials[0].base_colour == (1.0, 1.0, 1.0)
    (tmp_path / "t.stl").write_bytes(stl_bytes(box((0, 0, 0), (1, 1, 1))))
    assert read_file(tmp_path / "t.stl").materials[0].base_colour == (0.8, 0.8, 0.8)
    assert not read_file(tmp_path / "t.stl").origin.declared
    assert math.isfinite(read_file(tmp_path / "t.stl").bounds()[1][2])


def test_ply_texture_coordinates_are_turned_upside_down(tmp_path: Path) -> None:
    """PLY counts v from below, as common practice has it, shapes from above."""
    head = ply_header("ascii", XYZ + "property float s\nproperty float t\n")
    rows = [f"{x} {y} {z} {0.1 * k} {0.2 * k}" for k, (x, y, z) in enumerate(CORNERS)]
    path = tmp_path / "t.ply"
    path.write_text(head + "\n".join([*rows, "4 0 1 2 3"]) + "\n")
    uvs = read_file(path).parts[0].shape.uvs
    assert uvs is not None
    assert uvs[:, 0] == pytest.approx([0.0, 0.1, 0.2, 0.3])
    assert uvs[:, 1] == pytest.approx([1.0, 0.8, 0.6, 0.4])


@pytest.mark.parametrize(
    ("line", "name", "value"),
    [
        ("Pr 0.3", "roughness", 0.3),
        ("Pm 0.7", "metalness", 0.7),
        ("Pm 1.9", "metalness", 1.0),
        ("Pc 0.4", "coat", 0.4),
        ("Pcr 0.2", "coat_roughness", 0.2),
        ("Ni 1.33", "ior", 1.33),
        ("d 0.3", "transmission", 0.7),
        ("Tr 0.7", "transmission", 0.7),
        ("Tr 0.02", "transmission", 0.0),
    ],
)
def test_words_of_an_mtl_file_are_read_and_held_inside_what_they_mean(
    tmp_path: Path, line: str, name: str, value: float
) -> None:
    (tmp_path / "t.mtl").write_text(f"newmtl a\nKd 0.5 0.5 0.5\n{line}\n")
    (tmp_path / "t.obj").write_text("mtllib t.mtl\nusemtl a\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    assert getattr(read_file(tmp_path / "t.obj").materials[0], name) == pytest.approx(value)
