# SPDX-License-Identifier: Apache-2.0
"""USD: meshes, subsets, stacks of transforms, instancing, cameras, lights, written by the USD libraries."""

from __future__ import annotations

import io
import math
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdShade, UsdUtils, Vt

from gloamet.errors import GloametError
from gloamet.stage.readers import read_file, read_model
from gloamet.stage.readers.progress import Cancelled, ProgressToken
from gloamet.stage.scene import Scene
from gloamet.stage.sun_drivers import driven_direction


def square(stage: Usd.Stage, path: str, size: float = 1.0) -> UsdGeom.Mesh:
    """A level square of one face, Z up, corners counted against the clock."""
    mesh = UsdGeom.Mesh.Define(stage, path)
    s = size / 2
    mesh.CreatePointsAttr([(-s, -s, 0), (s, -s, 0), (s, s, 0), (-s, s, 0)])
    mesh.CreateFaceVertexCountsAttr([4])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    return mesh


def new_stage(path: Path, metres: float | None = 1.0, up: str | None = "Z") -> Usd.Stage:
    stage = Usd.Stage.CreateNew(str(path))
    if metres is not None:
        UsdGeom.SetStageMetersPerUnit(stage, metres)
    if up is not None:
        UsdGeom.SetStageUpAxis(stage, up)
    return stage


def material(stage: Usd.Stage, name: str, **inputs: object) -> UsdShade.Material:
    made = UsdShade.Material.Define(stage, f"/Looks/{name}")
    shader = UsdShade.Shader.Define(stage, f"/Looks/{name}/surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    kinds = {"diffuseColor": Sdf.ValueTypeNames.Color3f, "emissiveColor": Sdf.ValueTypeNames.Color3f}
    for key, value in inputs.items():
        shader.CreateInput(key, kinds.get(key, Sdf.ValueTypeNames.Float)).Set(value)
    made.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    return made


@pytest.mark.parametrize("ending", [".usda", ".usdc", ".usd"])
def test_text_and_binary_files_read_alike(tmp_path: Path, ending: str) -> None:
    stage = new_stage(tmp_path / f"plate{ending}")
    square(stage, "/plate", 2.0)
    stage.Save()
    scene = read_model(tmp_path / f"plate{ending}")
    assert [part.name for part in scene.parts] == ["plate"]
    assert scene.triangle_count == 2
    assert scene.bounds()[1] == pytest.approx([1, 1, 0])


def test_the_files_own_unit_and_axis_are_taken(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda", 0.01, "Y")
    mesh = square(stage, "/plate", 100.0)
    UsdGeom.Xformable(mesh).AddTranslateOp().Set((0, 300, -200))
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    assert (scene.origin.units, scene.origin.up, scene.origin.declared) == ("cm", "y", True)
    low, high = scene.bounds()
    assert low == pytest.approx([-0.5, 2.0, 2.5])
    assert high == pytest.approx([0.5, 2.0, 3.5])


def test_a_stack_of_transforms_is_applied_in_order(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda")
    outer = UsdGeom.Xform.Define(stage, "/outer")
    outer.AddTranslateOp().Set((10, 0, 0))
    outer.AddRotateZOp().Set(90.0)
    outer.AddScaleOp().Set((2, 1, 1))
    square(stage, "/outer/plate", 2.0)
    stage.Save()
    part = read_model(tmp_path / "t.usda").parts[0]
    # (1, 1, 0) -> scaled (2, 1, 0) -> turned (-1, 2, 0) -> moved (9, 2, 0)
    assert part.positions[2] == pytest.approx([9, 2, 0], abs=1e-6)
    assert part.group == ("outer",)


def test_left_handed_meshes_are_turned_to_the_same_front(tmp_path: Path) -> None:
    fronts = []
    for handed in ("rightHanded", "leftHanded"):
        stage = new_stage(tmp_path / f"{handed}.usda")
        mesh = square(stage, "/plate")
        mesh.CreateOrientationAttr(handed)
        if handed == "leftHanded":
            mesh.CreateFaceVertexIndicesAttr([3, 2, 1, 0])
        stage.Save()
        part = read_model(tmp_path / f"{handed}.usda").parts[0]
        a, b, c = part.positions[part.triangles[0]]
        fronts.append(np.cross(b - a, c - a)[2])
    assert fronts[0] > 0
    assert fronts[1] > 0


def test_subsets_get_their_own_materials(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda")
    mesh = UsdGeom.Mesh.Define(stage, "/pair")
    mesh.CreatePointsAttr([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (2, 0, 0), (2, 1, 0)])
    mesh.CreateFaceVertexCountsAttr([4, 4])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3, 1, 4, 5, 2])
    red = material(stage, "red", diffuseColor=Gf.Vec3f(1, 0, 0))
    glass = material(stage, "glass", opacity=0.1, ior=1.4)
    UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(red)
    subset = UsdShade.MaterialBindingAPI(mesh.GetPrim()).CreateMaterialBindSubset("right", Vt.IntArray([1]))
    UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(glass)
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    by_name = {scene.materials[part.material].name: part for part in scene.parts}
    assert by_name["red"].bounds()[1][0] == pytest.approx(1.0)
    assert by_name["glass"].bounds()[0][0] == pytest.approx(1.0)
    m = scene.materials[by_name["glass"].material]
    assert m.transmission == pytest.approx(0.9)
    assert m.ior == pytest.approx(1.4)


def test_what_a_surface_leaves_out_is_what_the_specification_says(tmp_path: Path) -> None:
    # UsdPreviewSurface, its inputs and their fallbacks
    stage = new_stage(tmp_path / "t.usda")
    wanted = {
        "plain": {},
        "glass": {"opacity": 0.1, "roughness": 0.7},
        "coated": {"clearcoat": 1.0, "metallic": 1.0, "ior": 1.3},
    }
    for k, (name, inputs) in enumerate(wanted.items()):
        mesh = square(stage, f"/m{k}")
        UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(material(stage, name, **inputs))
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    plain, glass, coated = (next(m for m in scene.materials if m.name == name) for name in wanted)
    assert plain.base_colour == pytest.approx((0.18, 0.18, 0.18))
    assert (plain.roughness, plain.metalness, plain.transmission, plain.ior) == (0.5, 0.0, 0.0, 1.5)
    assert (plain.coat, plain.coat_roughness, plain.emission) == (0.0, pytest.approx(0.01), (0.0, 0.0, 0.0))
    assert plain.alpha_cutoff is None
    assert (glass.transmission, glass.roughness) == (pytest.approx(0.9), 0.0)
    assert (coated.coat, coated.metalness, coated.ior) == (1.0, 1.0, pytest.approx(1.3))


def test_instances_share_one_shape_and_point_instancers_place_it(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda")
    UsdGeom.Xform.Define(stage, "/proto")
    square(stage, "/proto/plate")
    for k in range(3):
        prim = stage.DefinePrim(f"/copy{k}", "Xform")
        prim.GetReferences().AddInternalReference("/proto")
        prim.SetInstanceable(True)
        UsdGeom.Xformable(prim).AddTranslateOp().Set((5.0 * k, 0, 1))
    many = UsdGeom.PointInstancer.Define(stage, "/many")
    many.CreatePrototypesRel().SetTargets(["/proto"])
    many.CreateProtoIndicesAttr([0, 0])
    many.CreatePositionsAttr([(0, 9, 0), (0, 12, 0)])
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    centres = sorted(tuple(np.round(0.5 * np.add(*part.bounds()), 3).tolist()) for part in scene.parts)
    assert centres == [(0, 0, 0), (0, 0, 1), (0, 9, 0), (0, 12, 0), (5, 0, 1), (10, 0, 1)]
    copies = [part for part in scene.parts if part.bounds()[0][2] == pytest.approx(1.0)]
    assert len({id(part.shape) for part in copies}) == 1


def test_cameras_and_their_motion(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda")
    square(stage, "/plate")
    lens = UsdGeom.Camera.Define(stage, "/view")
    lens.CreateFocalLengthAttr(50.0)
    lens.CreateVerticalApertureAttr(24.0)
    move = lens.AddTranslateOp()
    lens.AddRotateXOp().Set(90.0)
    stage.SetTimeCodesPerSecond(10.0)
    for frame, position in ((0, (0, -5, 1)), (20, (4, -5, 1))):
        move.Set(position, frame)
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    view = scene.views["view"]
    assert view.eye == pytest.approx((0, -5, 1))
    assert view.frame()[0] == pytest.approx([0, 1, 0], abs=1e-6)
    assert view.fov_deg == pytest.approx(2 * math.degrees(math.atan(12 / 50)), abs=1e-4)
    motion = scene.motions["view"]
    assert motion.times_s.tolist() == [0.0, 2.0]
    assert motion.matrices[1, :3, 3] == pytest.approx([4, -5, 1])


def test_a_unit_that_is_none_of_the_usual_ones_holds_for_everything(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda", 0.6)
    square(stage, "/plate", 2.0)
    lens = UsdGeom.Camera.Define(stage, "/view")
    move = lens.AddTranslateOp()
    for frame, position in ((0, (1, -5, 2)), (24, (4, -5, 2))):
        move.Set(position, frame)
    UsdLux.DistantLight.Define(stage, "/far").AddTranslateOp().Set((3, 1, 2))
    UsdGeom.Xform.Define(stage, "/mark").AddTranslateOp().Set((-2, 0, 1))
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    assert np.ptp(scene.parts[0].bounds(), axis=0)[:2] == pytest.approx([1.2, 1.2])
    view = scene.views["view"]
    assert view.eye == pytest.approx((0.6, -3.0, 1.2))
    assert np.subtract(view.target, view.eye) / np.linalg.norm(np.subtract(view.target, view.eye)) == (
        pytest.approx([0.0, 0.0, -1.0], abs=1e-6)
    )
    assert scene.motions["view"].matrices[1, :3, 3] == pytest.approx([2.4, -3.0, 1.2])
    assert scene.lamps[0].position == pytest.approx((1.8, 0.6, 1.2))
    assert scene.empties["mark"][:3, 3] == pytest.approx([-1.2, 0.0, 0.6])
    for matrix in (scene.parts[0].matrix, scene.motions["view"].matrices[1], scene.empties["mark"]):
        assert matrix[3].tolist() == [0.0, 0.0, 0.0, 1.0]


def test_a_camera_without_perspective_is_left_out_and_said(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda")
    square(stage, "/plate")
    UsdGeom.Camera.Define(stage, "/flat").CreateProjectionAttr("orthographic")
    UsdGeom.Camera.Define(stage, "/view")
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    assert list(scene.views) == ["view"]
    assert any("flat" in note and "no perspective" in note for note in scene.notes)


def test_solids_have_their_size_and_face_outwards(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda")
    UsdGeom.Cube.Define(stage, "/cube").CreateSizeAttr(2.0)
    UsdGeom.Sphere.Define(stage, "/sphere").CreateRadiusAttr(1.5)
    cylinder = UsdGeom.Cylinder.Define(stage, "/cylinder")
    cylinder.CreateRadiusAttr(0.5)
    cylinder.CreateHeightAttr(3.0)
    cylinder.CreateAxisAttr("Z")
    stage.Save()
    parts = {part.name: part for part in read_model(tmp_path / "t.usda").parts}
    # volumes by the divergence theorem, positive where fronts face out; facets lie inside the round ones
    for name, wanted in (
        ("cube", 8.0),
        ("sphere", 4 / 3 * math.pi * 1.5**3),
        ("cylinder", math.pi * 0.25 * 3.0),
    ):
        p = parts[name].positions.astype(float)[parts[name].triangles]
        volume = (p[:, 0] * np.cross(p[:, 1], p[:, 2])).sum() / 6.0
        assert wanted * 0.97 < volume <= wanted * 1.0001
    low, high = parts["cylinder"].bounds()
    assert (low[2], high[2]) == (pytest.approx(-1.5), pytest.approx(1.5))


def test_an_empty_leads_the_sun_with_its_motion_in_metres_and_z_up(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda", 0.01, "Y")
    square(stage, "/floor")
    mark = UsdGeom.Xform.Define(stage, "/mark")
    turn = mark.AddRotateXOp()
    turn.Set(0.0, 0.0)
    turn.Set(90.0, 24.0)
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    assert set(scene.empties) == {"mark"}
    # its -Z is level at first (north here) and points up at the end
    assert driven_direction(scene, "mark", "opposite", 0.0) == pytest.approx([0.0, 1.0, 0.0], abs=1e-6)
    assert driven_direction(scene, "mark", "opposite", 1.0) == pytest.approx([0.0, 0.0, 1.0], abs=1e-6)


def test_lights_with_a_body_glow_and_far_ones_are_named(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda")
    square(stage, "/plate")
    ball = UsdLux.SphereLight.Define(stage, "/ball")
    ball.CreateRadiusAttr(0.2)
    ball.CreateIntensityAttr(500.0)
    ball.CreateExposureAttr(1.0)
    panel = UsdLux.RectLight.Define(stage, "/panel")
    panel.CreateWidthAttr(2.0)
    panel.CreateHeightAttr(0.5)
    panel.CreateIntensityAttr(30.0)
    panel.CreateNormalizeAttr(True)
    UsdLux.DistantLight.Define(stage, "/far")
    UsdLux.DomeLight.Define(stage, "/round")
    stage.Save()
    scene = read_model(tmp_path / "t.usda")
    lit = {part.name: scene.materials[part.material].emission[0] for part in scene.parts}
    assert lit["ball"] == pytest.approx(1000.0)
    assert lit["panel"] == pytest.approx(30.0)  # divided by its area of one square metre
    ball, panel = (next(p for p in scene.parts if p.name == name) for name in ("ball", "panel"))
    assert np.ptp(ball.bounds(), axis=0) == pytest.approx([0.4] * 3, abs=0.01)
    corners = panel.shape.positions.astype(float)[panel.shape.triangles]
    halves = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    assert halves == pytest.approx([1.0, 1.0])  # twice the area of each half of two metres by a half
    assert {lamp.kind for lamp in scene.lamps} == {"distant", "dome"}
    assert any("far" in note and "sun" in note for note in scene.notes)
    assert any("round" in note and "sky" in note for note in scene.notes)


def _with_picture(folder: Path) -> Path:
    Image.new("RGB", (4, 4), (200, 100, 50)).save(folder / "paint.png")
    stage = new_stage(folder / "t.usda")
    mesh = square(stage, "/plate")
    UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
        "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying
    ).Set([(0, 0), (1, 0), (1, 1), (0, 1)])
    made = material(stage, "paint")
    shader = UsdShade.Shader.Get(stage, "/Looks/paint/surface")
    picture = UsdShade.Shader.Define(stage, "/Looks/paint/file")
    picture.CreateIdAttr("UsdUVTexture")
    picture.CreateInput("file", Sdf.ValueTypeNames.Asset).Set("paint.png")
    picture.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)
    shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(
        picture.ConnectableAPI(), "rgb"
    )
    UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(made)
    stage.Save()
    return folder / "t.usda"


def _check_picture(scene: Scene) -> None:
    m = scene.materials[scene.parts[0].material]
    assert m.base_texture is not None
    assert scene.textures[m.base_texture].pixels[0, 0].tolist() == [200, 100, 50, 255]
    uvs = scene.parts[0].shape.uvs
    assert uvs is not None
    # the first row of a picture is its top here and v = 1 in USD
    assert sorted(map(tuple, np.round(uvs).astype(int).tolist()))[0] == (0, 0)


def test_pictures_beside_the_file_and_inside_a_package(tmp_path: Path) -> None:
    plain = _with_picture(tmp_path)
    _check_picture(read_model(plain))
    assert UsdUtils.CreateNewUsdzPackage(str(plain), str(tmp_path / "t.usdz"))
    alone = tmp_path / "alone"  # where no picture lies beside it
    alone.mkdir()
    _check_picture(read_model((tmp_path / "t.usdz").rename(alone / "t.usdz")))


def test_pictures_of_roughness_metalness_and_holes_are_packed(tmp_path: Path) -> None:
    Image.new("RGB", (8, 8), (10, 60, 90)).save(tmp_path / "rough.png")
    Image.new("L", (4, 4), 200).save(tmp_path / "hole.png")
    plain = _with_picture(tmp_path)
    stage = Usd.Stage.Open(str(plain))
    surface = UsdShade.Shader.Get(stage, "/Looks/paint/surface")
    for name, file, channel in (
        ("roughness", "rough.png", "g"),
        ("metallic", "rough.png", "b"),
        ("opacity", "hole.png", "r"),
    ):
        picture = UsdShade.Shader.Define(stage, f"/Looks/paint/{name}")
        picture.CreateIdAttr("UsdUVTexture")
        picture.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(file)
        picture.CreateOutput(channel, Sdf.ValueTypeNames.Float)
        surface.CreateInput(name, Sdf.ValueTypeNames.Float).ConnectToSource(picture.ConnectableAPI(), channel)
    surface.CreateInput("opacityThreshold", Sdf.ValueTypeNames.Float).Set(0.4)
    stage.Save()
    scene = read_model(plain)
    m = scene.materials[scene.parts[0].material]
    assert (m.roughness, m.metalness, m.alpha_cutoff) == (1.0, 1.0, pytest.approx(0.4))
    assert m.surface_texture is not None
    assert m.base_texture is not None
    assert scene.textures[m.surface_texture].pixels[5, 5].tolist() == [255, 60, 90, 255]
    assert scene.textures[m.base_texture].pixels[1, 1].tolist() == [200, 100, 50, 200]
    assert not scene.notes


def test_a_missing_picture_is_a_checker_and_a_note(tmp_path: Path) -> None:
    plain = _with_picture(tmp_path)
    (tmp_path / "paint.png").unlink()
    scene = read_model(plain)
    assert any("paint.png" in note for note in scene.notes)
    assert scene.parts


def test_packages_that_unfold_to_more_than_they_are_get_refused(tmp_path: Path) -> None:
    bomb = tmp_path / "bomb.usdz"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("a.usda", b"#usda 1.0\n" + b" " * 50_000_000)
    assert bomb.stat().st_size < 200_000
    with pytest.raises(GloametError, match=r"bomb\.usdz"):
        read_model(bomb)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as package:
        package.writestr("a.usda", b"#usda 1.0\n")
    lying = bytearray(buffer.getvalue())
    at = lying.rfind(b"PK\x01\x02")
    lying[at + 24 : at + 28] = (3_000_000_000).to_bytes(4, "little")
    (tmp_path / "lie.usdz").write_bytes(bytes(lying))
    with pytest.raises(GloametError, match=r"lie\.usdz"):
        read_model(tmp_path / "lie.usdz")


def test_layers_outside_the_folder_are_refused_unless_allowed(tmp_path: Path) -> None:
    inner = tmp_path / "inner"
    inner.mkdir()
    outer = new_stage(tmp_path / "outer.usda")
    square(outer, "/plate")
    outer.GetRootLayer().defaultPrim = "plate"
    outer.Save()
    stage = new_stage(inner / "t.usda")
    stage.DefinePrim("/copy").GetReferences().AddReference("../outer.usda")
    stage.Save()
    with pytest.raises(GloametError, match="outside"):
        read_file(inner / "t.usda")
    assert read_file(inner / "t.usda", outside=True).parts


@pytest.mark.parametrize(
    "text", ["", "#usda 1.0\n(", "#usda 1.0\ndef Mesh {", "PXR-USDC" + "\0" * 80, "nonsense"]
)
def test_damaged_files_are_one_sentence(tmp_path: Path, text: str) -> None:
    (tmp_path / "t.usda").write_text(text)
    with pytest.raises(GloametError, match=r"t\.usda") as caught:
        read_model(tmp_path / "t.usda")
    assert "\n" not in str(caught.value)


def test_reading_is_stopped_at_once(tmp_path: Path) -> None:
    stage = new_stage(tmp_path / "t.usda")
    square(stage, "/plate")
    stage.Save()
    with pytest.raises(Cancelled):
        read_file(tmp_path / "t.usda", ProgressToken(stopped=lambda: True))
