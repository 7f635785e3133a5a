# SPDX-License-Identifier: Apache-2.0
"""What glTF 2.0 and its extensions mean, each against the text of the specification (Khronos, from its JSON)."""

from __future__ import annotations

import base64
import io
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from gloamet.errors import GloametError
from gloamet.stage.readers import read_file, read_model
from gloamet.stage.readers.gltf_materials import read_lamp
from gloamet.stage.scene import Scene
from tests.stage.glb import pack, triangle_tree


class Builder:
    """The triangle of `glb`, with more accessors added."""

    def __init__(self, **node: Any) -> None:
        self.tree, self.binary = triangle_tree(**node)

    @property
    def primitive(self) -> dict[str, Any]:
        return self.tree["meshes"][0]["primitives"][0]

    @property
    def material(self) -> dict[str, Any]:
        return self.tree["materials"][0]

    def view(self, data: bytes, **more: Any) -> int:
        self.binary += b"\0" * (-len(self.binary) % 4)
        row = {"buffer": 0, "byteOffset": len(self.binary), "byteLength": len(data), **more}
        self.tree["bufferViews"].append(row)
        self.binary += data
        self.tree["buffers"][0]["byteLength"] = len(self.binary)
        return len(self.tree["bufferViews"]) - 1

    def accessor(self, values: Any, code: int, kind: str, dtype: str, **more: Any) -> int:
        array = np.asarray(values, dtype)
        row = {
            "bufferView": self.view(array.tobytes()),
            "componentType": code,
            "count": len(array),
            "type": kind,
            **more,
        }
        self.tree["accessors"].append(row)
        return len(self.tree["accessors"]) - 1

    def picture(self, colour: tuple[int, ...] = (255, 128, 0, 255), size: int = 2) -> int:
        buffer = io.BytesIO()
        Image.new("RGBA", (size, size), colour).save(buffer, "PNG")
        self.tree.setdefault("images", []).append(
            {"bufferView": self.view(buffer.getvalue()), "mimeType": "image/png", "name": "paint"}
        )
        self.tree.setdefault("textures", []).append({"source": len(self.tree["images"]) - 1})
        return len(self.tree["textures"]) - 1

    def read(self, folder: Path) -> Scene:
        path = folder / "t.glb"
        path.write_bytes(pack(self.tree, self.binary))
        return read_model(path)


@pytest.fixture
def build() -> Builder:
    return Builder()


def test_sparse_accessors_replace_single_elements(tmp_path: Path, build: Builder) -> None:
    positions = build.view(np.array([2], "<u2").tobytes())
    values = build.view(np.array([[0, 7, 0]], "<f4").tobytes())
    build.tree["accessors"][0]["sparse"] = {
        "count": 1,
        "indices": {"bufferView": positions, "componentType": 5123},
        "values": {"bufferView": values},
    }
    assert build.read(tmp_path).parts[0].positions[2] == pytest.approx([0, 0, 7])


def test_a_sparse_accessor_without_a_view_begins_at_zero(tmp_path: Path, build: Builder) -> None:
    build.tree["accessors"][0] |= {
        "sparse": {
            "count": 2,
            "indices": {
                "bufferView": build.view(np.array([1, 2], "<u1").tobytes()),
                "componentType": 5121,
            },
            "values": {"bufferView": build.view(np.array([[3, 0, 0], [0, 5, 0]], "<f4").tobytes())},
        }
    }
    del build.tree["accessors"][0]["bufferView"]
    assert build.read(tmp_path).parts[0].positions.tolist() == [[0, 0, 0], [3, 0, 0], [0, 0, 5]]


def test_interleaved_arrays_follow_their_stride(tmp_path: Path, build: Builder) -> None:
    rows = np.zeros((3, 8), "<f4")
    rows[:, :3] = [[0, 0, 0], [4, 0, 0], [0, 6, 0]]
    rows[:, 3:6] = [0, 0, 1]
    rows[:, 6:] = [[0, 0], [1, 0], [0, 1]]
    view = build.view(rows.tobytes(), byteStride=32)
    for name, offset, kind in (("POSITION", 0, "VEC3"), ("NORMAL", 12, "VEC3"), ("TEXCOORD_0", 24, "VEC2")):
        build.tree["accessors"].append(
            {"bufferView": view, "byteOffset": offset, "componentType": 5126, "count": 3, "type": kind}
        )
        build.primitive["attributes"][name] = len(build.tree["accessors"]) - 1
    shape = build.read(tmp_path).parts[0].shape
    assert shape.positions[1].tolist() == [4, 0, 0]
    assert shape.normals is not None
    assert shape.normals.tolist() == [[0, 0, 1]] * 3
    assert shape.uvs is not None
    assert shape.uvs[2].tolist() == [0, 1]


def test_quantised_positions_normals_and_colours(tmp_path: Path, build: Builder) -> None:
    build.tree["extensionsRequired"] = build.tree["extensionsUsed"] = ["KHR_mesh_quantization"]
    put = build.primitive["attributes"]
    corners = [[0, 0, 0, 0], [32767, 0, 0, 0], [0, -32767, 0, 0]]
    put["POSITION"] = build.accessor(np.array(corners)[:, :3], 5122, "VEC3", "<i2", normalized=True)
    put["NORMAL"] = build.accessor([[0, 0, 127]] * 3, 5120, "VEC3", "<i1", normalized=True)
    put["COLOR_0"] = build.accessor([[255, 0, 51, 255]] * 3, 5121, "VEC4", "<u1", normalized=True)
    scene = build.read(tmp_path)
    assert scene.parts[0].shape.positions.tolist() == [[0, 0, 0], [1, 0, 0], [0, -1, 0]]
    colours = scene.parts[0].shape.colours
    assert colours is not None
    assert colours[0] == pytest.approx([1.0, 0.0, 0.2])


def test_compressed_meshes_are_decoded(tmp_path: Path, build: Builder) -> None:
    import DracoPy

    points = np.array([[0, 0, 0], [2, 0, 0], [2, 3, 0], [0, 3, 0]], np.float32)
    faces = np.array([[0, 1, 2], [0, 2, 3]], np.uint32)
    block = DracoPy.encode(points, faces, quantization_bits=14)
    used = "KHR_draco_mesh_compression"
    build.tree["extensionsRequired"] = build.tree["extensionsUsed"] = [used]
    build.primitive["extensions"] = {used: {"bufferView": build.view(block), "attributes": {"POSITION": 0}}}
    build.tree["accessors"] = [
        {"componentType": 5126, "count": 4, "type": "VEC3"},
        {"componentType": 5123, "count": 6, "type": "SCALAR"},
    ]
    part = build.read(tmp_path).parts[0]
    assert len(part.triangles) == 2
    low, high = part.bounds()
    assert high - low == pytest.approx([2, 0, 3], abs=1e-3)


def test_a_damaged_compressed_mesh_is_a_sentence(tmp_path: Path, build: Builder) -> None:
    used = "KHR_draco_mesh_compression"
    build.primitive["extensions"] = {
        used: {
            "bufferView": build.view(b"DRACO\x02\x02\x01\x01" + b"\xff" * 60),
            "attributes": {"POSITION": 0},
        }
    }
    with pytest.raises(GloametError, match=r"t\.glb"):
        build.read(tmp_path)


@pytest.mark.parametrize(
    ("turn", "position"),
    [
        ({"offset": [0.25, 0.5]}, [1.25, 0.5]),
        ({"scale": [2.0, 3.0]}, [2.0, 0.0]),
        ({"scale": [3.0]}, [3.0, 0.0]),
        ({"rotation": math.pi / 2}, [0.0, -1.0]),
        ({"rotation": math.atan2(3.0, 4.0)}, [0.8, -0.6]),
        ({"rotation": math.pi / 2, "scale": [2.0, 1.0], "offset": [0.1, 0.2]}, [0.1, -1.8]),
    ],
)
def test_texture_transforms_turn_scale_and_shift(
    tmp_path: Path, build: Builder, turn: dict[str, Any], position: list[float]
) -> None:
    # the specification's T R S with R = (c, s; -s, c): the corner (1, 0)
    uvs = build.accessor([[0, 0], [1, 0], [0, 1]], 5126, "VEC2", "<f4")
    build.primitive["attributes"]["TEXCOORD_0"] = uvs
    build.material["pbrMetallicRoughness"]["baseColorTexture"] = {
        "index": build.picture(),
        "extensions": {"KHR_texture_transform": turn},
    }
    found = build.read(tmp_path).parts[0].shape.uvs
    assert found is not None
    assert found[1] == pytest.approx(position, abs=1e-6)


def test_material_extensions_become_glass_glow_and_coat(tmp_path: Path, build: Builder) -> None:
    changes = {
        "emissiveFactor": [1.0, 0.5, 0.0],
        "alphaMode": "MASK",
        "alphaCutoff": 0.3,
        "normalTexture": {"index": build.picture(), "scale": 0.7},
        "extensions": {
            "KHR_materials_transmission": {"transmissionFactor": 0.9},
            "KHR_materials_ior": {"ior": 1.33},
            "KHR_materials_volume": {"thicknessFactor": 0.1},
            "KHR_materials_emissive_strength": {"emissiveStrength": 200.0},
            "KHR_materials_clearcoat": {"clearcoatFactor": 0.8, "clearcoatRoughnessFactor": 0.2},
        },
    }
    build.material.update(changes)
    m = build.read(tmp_path).materials[0]
    assert (m.transmission, m.ior, m.thin) == (0.9, 1.33, False)
    assert m.emission == (200.0, 100.0, 0.0)
    assert (m.alpha_cutoff, m.normal_texture, m.normal_strength) == (0.3, 0, 0.7)
    assert (m.coat, m.coat_roughness) == (0.8, 0.2)


def test_what_a_material_leaves_out_is_what_the_specification_says(tmp_path: Path, build: Builder) -> None:
    # glTF 2.0, 5.19 to 5.22 and the extensions' own tables
    build.tree["materials"] = [{"alphaMode": "MASK", "normalTexture": {"index": build.picture()}}]
    build.tree["materials"][0]["emissiveFactor"] = [0.5, 0.25, 1.0]
    m = build.read(tmp_path).materials[0]
    assert (m.base_colour, m.roughness, m.metalness) == ((1.0, 1.0, 1.0), 1.0, 1.0)
    assert (m.transmission, m.ior, m.thin, m.alpha_cutoff) == (0.0, 1.5, True, 0.5)
    assert (m.emission, m.normal_strength) == ((0.5, 0.25, 1.0), 1.0)
    assert (m.coat, m.coat_roughness, m.emits_back) == (0.0, 0.0, False)


def test_values_beyond_the_specification_end_at_its_bounds(tmp_path: Path, build: Builder) -> None:
    build.tree["materials"] = [
        {
            "pbrMetallicRoughness": {
                "roughnessFactor": 4.0,
                "metallicFactor": -1.0,
                "baseColorFactor": [7, -1, 0.5, 9],
            },
            "extensions": {
                "KHR_materials_transmission": {"transmissionFactor": 3.0},
                "KHR_materials_clearcoat": {"clearcoatFactor": 5.0, "clearcoatRoughnessFactor": 5.0},
                "KHR_materials_ior": {"ior": 0.2},
                "KHR_materials_emissive_strength": {"emissiveStrength": "bright"},
            },
            "emissiveFactor": [3.0, 1.0, -1.0],
        }
    ]
    m = build.read(tmp_path).materials[0]
    assert (m.base_colour, m.roughness, m.metalness, m.transmission) == ((1.0, 0.0, 0.5), 1.0, 0.0, 1.0)
    assert (m.coat, m.coat_roughness, m.ior, m.emission) == (1.0, 1.0, 1.0, (1.0, 1.0, 0.0))


def test_a_lamp_of_which_nothing_is_said_is_what_the_specification_says() -> None:
    # KHR_lights_punctual: white, one candela, a spot out to a quarter of pi
    down = np.diag([1.0, 1.0, 1.0, 1.0])
    spot, point = (read_lamp({"type": kind}, "x", down) for kind in ("spot", "point"))
    assert spot is not None and point is not None
    assert spot.colour == point.colour == pytest.approx((1.0, 1.0, 1.0))
    assert spot.direction == (0.0, 0.0, -1.0)  # along its own -Z
    assert spot.intensity_cd == point.intensity_cd == pytest.approx(1.0)
    assert (spot.full_deg, spot.outer_deg) == pytest.approx((0.0, 45.0))
    assert read_lamp({"type": "ring"}, "x", down) is None


def test_blending_becomes_thin_glass_by_what_it_lets_through(tmp_path: Path, build: Builder) -> None:
    build.material["alphaMode"] = "BLEND"
    build.material["pbrMetallicRoughness"]["baseColorFactor"] = [1.0, 0.0, 0.0, 0.4]
    scene = build.read(tmp_path)
    assert scene.materials[0].transmission == pytest.approx(0.6)
    assert any("thin glass" in note for note in scene.notes)
    build.material["pbrMetallicRoughness"]["baseColorFactor"] = [1.0, 0.0, 0.0, 0.97]
    assert build.read(tmp_path).materials[0].transmission == 0.0


def test_the_lowest_whole_number_of_a_share_is_minus_one(tmp_path: Path, build: Builder) -> None:
    # glTF 2.0, 3.11: max(c / 127, -1)
    build.tree["extensionsRequired"] = build.tree["extensionsUsed"] = ["KHR_mesh_quantization"]
    corners = build.accessor([[-128, 0, 0], [127, 0, 0], [0, 127, 0]], 5120, "VEC3", "<i1", normalized=True)
    build.primitive["attributes"]["POSITION"] = corners
    assert build.read(tmp_path).parts[0].shape.positions[0].tolist() == [-1, 0, 0]


def test_an_unlit_material_is_lit_and_noted(tmp_path: Path, build: Builder) -> None:
    build.material["extensions"] = {"KHR_materials_unlit": {}}
    assert any("red" in note and "lit" in note for note in build.read(tmp_path).notes)


def test_lights_keep_their_candela_place_and_cone(tmp_path: Path) -> None:
    half = math.sqrt(0.5)
    build = Builder()
    build.tree["extensionsUsed"] = ["KHR_lights_punctual"]
    lights = [
        {"type": "point", "intensity": 100.0, "color": [1.0, 1.0, 1.0]},
        {"type": "spot", "intensity": 50.0, "spot": {"innerConeAngle": 0.2, "outerConeAngle": 0.5}},
        {"type": "directional", "intensity": 1000.0},
    ]
    build.tree["extensions"] = {"KHR_lights_punctual": {"lights": lights}}
    for k, name in enumerate(("bulb", "spot", "far")):
        build.tree["nodes"].append(
            {
                "name": name,
                "translation": [1, 2, 3],
                "rotation": [-half, 0, 0, half],
                "extensions": {"KHR_lights_punctual": {"light": k}},
            }
        )
        build.tree["scenes"][0]["nodes"].append(2 + k)
    scene = build.read(tmp_path)
    bulb, spot, far = scene.lamps
    assert (bulb.kind, bulb.intensity_cd) == ("point", pytest.approx(100.0))
    assert bulb.position == pytest.approx((1, -3, 2))
    # turned by -90 degrees about x a lamp along -z looks along -y: down in the world
    assert spot.direction == pytest.approx((0, 0, -1), abs=1e-9)
    assert (spot.full_deg, spot.outer_deg) == pytest.approx((math.degrees(0.2), math.degrees(0.5)))
    assert far.kind == "distant"
    assert any("far" in note and "sun" in note for note in scene.notes)


def test_moving_cameras_are_read_with_their_times(tmp_path: Path, build: Builder) -> None:
    times = build.accessor([0.0, 1.0, 2.0], 5126, "SCALAR", "<f4")
    positions = build.accessor([[0, 1, 5], [0, 1, 7], [4, 1, 7]], 5126, "VEC3", "<f4")
    build.tree["animations"] = [
        {
            "channels": [{"sampler": 0, "target": {"node": 1, "path": "translation"}}],
            "samplers": [{"input": times, "output": positions, "interpolation": "LINEAR"}],
        }
    ]
    motion = build.read(tmp_path).motions["front"]
    assert motion.times_s.tolist() == [0.0, 1.0, 2.0]
    assert motion.matrices[:, :3, 3] == pytest.approx(np.array([[0, -5, 1], [0, -7, 1], [4, -7, 1]]))
    assert motion.fov_deg == pytest.approx(28.6479, abs=1e-3)


def test_nodes_with_keys_of_their_own_meet_between_them(tmp_path: Path, build: Builder) -> None:
    # the places have keys at 1 and 4 s, the turns at 2 s too: there a quarter of the way is made
    positions = build.accessor([[0, 0, 0], [6, 0, 0]], 5126, "VEC3", "<f4")
    turns = build.accessor([[0, 0, 0, 1], [0, 0, 0, 1], [0, 0, 0, 1]], 5126, "VEC4", "<f4")
    inputs = [build.accessor(t, 5126, "SCALAR", "<f4") for t in ([1.0, 4.0], [1.0, 2.5, 4.0])]
    build.tree["animations"] = [
        {
            "channels": [
                {"sampler": 0, "target": {"node": 1, "path": "translation"}},
                {"sampler": 1, "target": {"node": 1, "path": "rotation"}},
            ],
            "samplers": [
                {"input": inputs[0], "output": positions, "interpolation": "LINEAR"},
                {"input": inputs[1], "output": turns, "interpolation": "LINEAR"},
            ],
        }
    ]
    motion = build.read(tmp_path).motions["front"]
    assert motion.times_s.tolist() == [1.0, 2.5, 4.0]
    assert motion.matrices[:, 0, 3] == pytest.approx([0.0, 3.0, 6.0])


def test_data_uris_and_files_beside_it_are_read_alike(tmp_path: Path, build: Builder) -> None:
    whole = build.read(tmp_path).parts[0].positions
    for uri in ("data:application/octet-stream;base64," + base64.b64encode(build.binary).decode(), "a b.bin"):
        (tmp_path / "a b.bin").write_bytes(build.binary)
        build.tree["buffers"][0]["uri"] = uri.replace(" ", "%20")
        (tmp_path / "t.gltf").write_text(json.dumps(build.tree))
        assert (read_model(tmp_path / "t.gltf").parts[0].positions == whole).all()


def test_files_outside_the_folder_are_refused_unless_allowed(tmp_path: Path, build: Builder) -> None:
    inner = tmp_path / "inner"
    inner.mkdir()
    (tmp_path / "outer.bin").write_bytes(build.binary)
    for uri in ("../outer.bin", str(tmp_path / "outer.bin"), "x/../../outer.bin"):
        build.tree["buffers"][0]["uri"] = uri
        (inner / "t.gltf").write_text(json.dumps(build.tree))
        with pytest.raises(GloametError, match="outside"):
            read_file(inner / "t.gltf")
        assert read_file(inner / "t.gltf", outside=True).parts
    (inner / "link.bin").symlink_to(tmp_path / "outer.bin")
    build.tree["buffers"][0]["uri"] = "link.bin"
    (inner / "t.gltf").write_text(json.dumps(build.tree))
    with pytest.raises(GloametError, match="outside"):
        read_file(inner / "t.gltf")


def test_a_picture_outside_the_folder_is_a_checker_and_a_note(tmp_path: Path, build: Builder) -> None:
    inner = tmp_path / "inner"
    inner.mkdir()
    Image.new("RGB", (4, 4), (1, 2, 3)).save(tmp_path / "secret.png")
    build.tree["images"], build.tree["textures"] = [{"uri": "../secret.png"}], [{"source": 0}]
    build.material["pbrMetallicRoughness"]["baseColorTexture"] = {"index": 0}
    (inner / "t.glb").write_bytes(pack(build.tree, build.binary))
    scene = read_file(inner / "t.glb")
    assert any("outside" in note for note in scene.notes)
    assert scene.textures[0].pixels.shape == (64, 64, 4)


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"count": 1_000_000_000}, "1000000000"),
        ({"count": 150_000_000, "sparse": {"count": 0}}, "150000000"),
        ({"count": -1}, "-1"),
        ({"byteOffset": -4}, "runs past"),
    ],
)
def test_arrays_that_claim_too_much_are_refused_at_once(
    tmp_path: Path, build: Builder, change: dict[str, Any], word: str
) -> None:
    build.tree["accessors"][0] |= change
    if "sparse" in change:
        del build.tree["accessors"][0]["bufferView"]
    with pytest.raises(GloametError, match=word):
        build.read(tmp_path)


def test_nodes_that_contain_themselves_are_refused(tmp_path: Path, build: Builder) -> None:
    build.tree["nodes"][0]["children"] = [2]
    build.tree["nodes"].append({"children": [0]})
    with pytest.raises(GloametError, match="contain themselves"):
        build.read(tmp_path)


def test_children_shared_thirty_deep_are_refused_at_once(tmp_path: Path, build: Builder) -> None:
    # glTF 2.0, 3.5.2: the node hierarchy is a set of strict trees; 2^30 visits would never end
    first = len(build.tree["nodes"])
    build.tree["nodes"] += [{"children": [first + k + 1, first + k + 1]} for k in range(30)] + [{"mesh": 0}]
    build.tree["scenes"][0]["nodes"].append(first)
    with pytest.raises(GloametError, match="has more than one parent"):
        build.read(tmp_path)


def test_a_chain_of_five_thousand_nodes_is_refused_for_its_depth(tmp_path: Path, build: Builder) -> None:
    first = len(build.tree["nodes"])
    build.tree["nodes"] += [{"children": [first + k + 1]} for k in range(5000)] + [{"mesh": 0}]
    build.tree["scenes"][0]["nodes"].append(first)
    with pytest.raises(GloametError, match="nested more than 256 deep"):
        build.read(tmp_path)


def test_parts_squeezed_to_nothing_are_left_out_and_counted(tmp_path: Path, build: Builder) -> None:
    build.tree["nodes"].append({"mesh": 0, "scale": [0, 1, 1]})
    build.tree["scenes"][0]["nodes"].append(2)
    scene = build.read(tmp_path)
    assert len(scene.parts) == 1
    assert any("no extent" in note for note in scene.notes)


def test_copies_share_their_shape_and_get_names_of_their_own(tmp_path: Path, build: Builder) -> None:
    build.tree["nodes"] += [{"mesh": 0, "name": "leaf"}, {"name": "grove", "children": [2]}]
    build.tree["scenes"][0]["nodes"] = [0, 3]
    scene = build.read(tmp_path)
    assert [part.name for part in scene.parts] == ["leaf", "leaf 2"]
    assert scene.parts[0].shape is scene.parts[1].shape
    assert scene.parts[1].group == ("grove",)
    assert scene.shape_count == 1


def test_a_picture_of_no_bytes_and_one_of_16k(tmp_path: Path, build: Builder) -> None:
    build.tree["images"], build.tree["textures"] = (
        [{"uri": "none.png"}, {"uri": "huge.png"}],
        [
            {"source": 0},
            {"source": 1},
        ],
    )
    (tmp_path / "none.png").write_bytes(b"")
    Image.new("L", (16384, 16384), 77).save(tmp_path / "huge.png")
    build.material["pbrMetallicRoughness"]["baseColorTexture"] = {"index": 0}
    build.material["emissiveTexture"] = {"index": 1}
    scene = build.read(tmp_path)
    assert scene.textures[1].pixels.shape == (4096, 4096, 4)
    assert scene.textures[1].pixels[9, 9].tolist() == [77, 77, 77, 255]
    assert any("none.png" in note and "checker" in note for note in scene.notes)
    assert any("huge.png" in note and "16384" in note and "4096" in note for note in scene.notes)


# a fan and a strip of the same pentagon and ribbon, front towards +Z (glTF 2.0, 3.7.2.1)
PENTAGON = [(math.cos(0.4 * math.pi * k), math.sin(0.4 * math.pi * k), 0.0) for k in range(5)]
RIBBON = [
    (0.0, 0.0, 0.0),
    (1.0, 0.0, 0.0),
    (0.0, 1.0, 0.0),
    (1.0, 1.0, 0.0),
    (0.0, 2.0, 0.0),
    (1.0, 2.0, 0.0),
]


@pytest.mark.parametrize(
    ("mode", "points", "triangles", "area"),
    [(6, PENTAGON, 3, 2.5 * math.sin(0.4 * math.pi)), (5, RIBBON, 4, 2.0), (4, RIBBON, 2, 1.0)],
)
def test_fans_strips_and_lists_cover_what_they_say_with_one_front(
    tmp_path: Path, build: Builder, mode: int, points: list[tuple[float, ...]], triangles: int, area: float
) -> None:
    build.primitive["attributes"]["POSITION"] = build.accessor(points, 5126, "VEC3", "<f4")
    del build.primitive["indices"]
    build.primitive["mode"] = mode
    shape = build.read(tmp_path).parts[0].shape
    corners = shape.positions.astype(float)[shape.triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    assert len(shape.triangles) == triangles
    assert np.abs(normals).sum() / 2.0 == pytest.approx(area, rel=1e-5)
    if mode != 4:
        assert (normals[:, 2] > 0.0).all()


@pytest.mark.parametrize("length", [1.0, 0.3, 4.0])
def test_a_rotation_turns_as_its_unit_quaternion_does(tmp_path: Path, length: float) -> None:
    half = math.radians(45.0)
    build = Builder(rotation=[0.0, 0.0, length * math.sin(half), length * math.cos(half)])
    part = build.read(tmp_path).parts[0]
    # a quarter turn about the file's z, which the world's y is turned away from: x goes to the file's y, the world's z
    corner = part.positions[np.argmax(np.abs(part.positions).sum(1))]
    assert np.abs(corner).max() == pytest.approx(2.0, rel=1e-5)
    low, high = part.bounds()
    assert (low, high) == (pytest.approx([-2, 0, 0], abs=1e-5), pytest.approx([0, 0, 1], abs=1e-5))


@pytest.mark.parametrize("rows", [{}, [3], "text", 5, [{}, None]])
def test_what_should_be_a_list_of_objects_and_is_none_is_told(
    tmp_path: Path, build: Builder, rows: Any
) -> None:
    build.tree["meshes"] = rows
    with pytest.raises(GloametError, match="“meshes” is not a list of objects"):
        build.read(tmp_path)


@pytest.mark.parametrize(("many", "told"), [(1, False), (2, True)])
def test_of_several_animations_the_first_is_read_and_the_artist_is_told(
    tmp_path: Path, build: Builder, many: int, told: bool
) -> None:
    build.tree["animations"] = [{"channels": [], "samplers": []} for _ in range(many)]
    assert any("Only the first animation" in note for note in build.read(tmp_path).notes) is told
