# SPDX-License-Identifier: Apache-2.0
"""What belongs to a triangle at a hit, against NumPy and SciPy."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pytest
from numba import njit
from scipy.ndimage import map_coordinates

from gloamet.colour.spaces import srgb_to_linear
from gloamet.trace.geometry.embree import HAS_VERTEX_COLOUR, HAS_VERTEX_NORMALS, RAY_CLASSES
from gloamet.trace.surfaces import materials as m
from gloamet.trace.surfaces import texturing as t

F = np.float32
DICE = np.random.default_rng(12)


class Arrays(NamedTuple):
    """What the kernels read of a `render_scene.SceneArrays`."""

    triangles: np.ndarray
    vertices: np.ndarray
    uvs: np.ndarray
    normals: np.ndarray
    colours: np.ndarray
    flags: np.ndarray
    materials: np.ndarray
    texels: np.ndarray
    textures: np.ndarray
    instance_matrices: np.ndarray
    instance_first: np.ndarray
    first: np.ndarray


class Hit(NamedTuple):
    """What they read of a hit."""

    normal: tuple[np.float32, np.float32, np.float32]
    front: bool
    triangle: int
    instance: int
    material: int
    barycentric: tuple[np.float32, np.float32]
    uv: tuple[np.float32, np.float32]
    geometry: int
    primitive: int


TEXELS = DICE.integers(0, 256, (30, 4)).astype(np.uint8)  # 5 x 6 behind one texel of another picture
CORNERS = np.array([[0, 0, 0], [2, 0.3, 0.1], [-0.4, 1.5, 0.6]])
UVS = np.array([[0.1, 0.2], [0.7, 0.35], [0.25, 0.9]])
TURN = np.linalg.qr(DICE.normal(size=(3, 3)))[0]
TURN *= np.sign(np.linalg.det(TURN))


def arrays(
    row: dict[int, float], uvs: np.ndarray = UVS, texels: np.ndarray = TEXELS, flags: int = 3
) -> Arrays:
    """A triangle of one material, of which only some columns matter."""
    table = np.zeros((1, m.MATERIAL_WORDS), F)
    table[0, [m.BASE_TEXTURE, m.ROUGHNESS_TEXTURE, m.NORMAL_TEXTURE]] = -1.0
    table[0, m.TEXTURE_STRENGTH] = table[0, m.NORMAL_STRENGTH] = 1.0
    for column, value in row.items():
        table[0, column] = value
    normals = DICE.normal(size=(3, 3)) * 0.1 + [0.0, 0.0, 1.0]
    pictures = np.array([[0, 1, 1], [1, 5, 6]], np.int32)
    matrices = np.concatenate([TURN.ravel(), 2.0 * TURN.ravel()])[None].astype(F)
    return Arrays(
        np.array([[0, 1, 2]], np.int64),
        CORNERS.astype(F),
        uvs.astype(F),
        normals.astype(F),
        DICE.random((3, 3)).astype(F),
        np.array([flags], np.uint8),
        table,
        np.concatenate([np.full((1, 4), 9, np.uint8), texels]),
        pictures,
        matrices,
        np.array([40], np.int64),
        np.array([0, 100], np.int64),
    )


def hit(
    instance: int = -1, uv: tuple[float, float] = (0.5, 0.5), normal: tuple[float, ...] = (0.0, 0.0, 1.0)
) -> Hit:
    return Hit(
        tuple(F(v) for v in normal), True, 0, instance, 0, (F(0.2), F(0.3)), tuple(F(v) for v in uv), 1, 7
    )  # type: ignore[arg-type]


@njit
def _sampled(texels, textures, uvs, out):  # type: ignore[no-untyped-def]
    for i in range(len(uvs)):
        linear, raw, alpha = t.sample_texture(texels, textures, 1, (uvs[i, 0], uvs[i, 1]))
        for k in range(3):
            out[i, k], out[i, 3 + k] = linear[k], raw[k]
        out[i, 6] = alpha


@pytest.mark.proof("Bilinear lookup in a repeating texture", source="SciPy's map_coordinates", kind="library")
def test_a_picture_is_read_between_its_texels_and_repeats() -> None:
    scene = arrays({})
    uvs = DICE.uniform(-2.5, 2.5, (200, 2)).astype(F)
    out = np.zeros((200, 7), F)
    _sampled(scene.texels, scene.textures, uvs, out)
    picture = TEXELS.reshape(6, 5, 4) / 255.0
    positions = (uvs[:, ::-1].astype(float) * [6, 5] - 0.5).T
    planes = np.concatenate([srgb_to_linear(picture[..., :3]), picture], -1)
    for k in range(7):
        wanted = map_coordinates(planes[..., k], positions, order=1, mode="grid-wrap")
        assert out[:, k] == pytest.approx(wanted, abs=2e-5)


@njit
def _at_hit(scene, hit, out):  # type: ignore[no-untyped-def]
    albedo, roughness, metalness = t.eval_textures(scene, 0, hit.uv)
    out[0, 0], out[0, 1], out[0, 2] = albedo
    out[1, 0], out[1, 1], out[1, 2] = roughness, metalness, 1.0 if t.alpha_cutout(scene, 0, hit.uv) else 0.0
    out[2, 0], out[2, 1], out[2, 2] = t.vertex_colour(scene, 0, hit.barycentric)
    out[3, 0], out[3, 1], out[3, 2] = t.shading_normal(scene, hit, (F(0), F(0), F(-1)))
    right, up = t.texture_axes(scene, 0)
    out[4, 0], out[4, 1], out[4, 2] = right
    out[5, 0], out[5, 1], out[5, 2] = up
    out[8, 0], out[8, 1] = t.interpolate_uv(scene, 0, hit.barycentric)
    out[6, 0], out[6, 1], out[6, 2] = t.transform_vector(
        scene, hit.instance, t.DIRECTION_MATRIX, (F(1), F(2), F(3))
    )
    out[7, 0] = t.triangle_index(scene, hit)


def at_hit(scene: Arrays, where: Hit) -> np.ndarray:
    out = np.zeros((9, 3), F)
    _at_hit(scene, where, out)
    return out.astype(float)


def test_what_varies_over_a_triangle_is_weighed_by_how_near_its_corners_are() -> None:
    scene, weight = arrays({}), np.array([0.5, 0.2, 0.3])
    found = at_hit(scene, hit())
    assert found[2] == pytest.approx(weight @ scene.colours, abs=1e-6)
    assert found[8, :2] == pytest.approx(weight @ UVS, abs=1e-6)
    smooth = weight @ scene.normals
    assert found[3] == pytest.approx(smooth / np.linalg.norm(smooth), abs=1e-6)
    bare = at_hit(arrays({}, flags=0), hit())
    assert bare[2].tolist() == [1.0, 1.0, 1.0] and bare[3].tolist() == [0.0, 0.0, 1.0]
    only_normals = at_hit(arrays({}, flags=HAS_VERTEX_NORMALS), hit())
    assert only_normals[2].tolist() == [1.0, 1.0, 1.0] and only_normals[3, 2] < 1.0
    assert at_hit(arrays({}, flags=HAS_VERTEX_COLOUR), hit())[3].tolist() == [0.0, 0.0, 1.0]


def test_normals_stay_on_the_seen_side_of_the_face() -> None:
    scene = arrays({})
    smooth = -(np.array([0.5, 0.2, 0.3]) @ scene.normals)
    found = at_hit(scene._replace(normals=-scene.normals), hit())[3]
    assert found == pytest.approx(-smooth / np.linalg.norm(smooth), abs=1e-6)
    # one that faces away from the viewer beside the face's own: the face's
    level = scene._replace(normals=np.tile(np.array([1.0, 0.0, 0.0005], F), (3, 1)))
    assert at_hit(level, hit())[3].tolist() == [0.0, 0.0, 1.0]


def test_an_instances_own_axes_are_brought_into_the_world() -> None:
    scene = arrays({})
    where = hit(instance=RAY_CLASSES)
    assert at_hit(scene, where)[6] == pytest.approx(2.0 * TURN @ [1.0, 2.0, 3.0], abs=1e-5)
    assert at_hit(scene, hit())[6].tolist() == [1.0, 2.0, 3.0]
    smooth = TURN @ (np.array([0.5, 0.2, 0.3]) @ scene.normals)
    towards = at_hit(scene, where._replace(normal=tuple(F(v) for v in smooth)))[3]
    if smooth[2] > 0.0:
        assert towards == pytest.approx(smooth / np.linalg.norm(smooth), abs=1e-5)
    # rows of triangles: from the instance's first, or from its geometry's
    assert (at_hit(scene, where)[7, 0], at_hit(scene, hit())[7, 0]) == (47.0, 107.0)


def test_pictures_of_colour_surface_and_holes_act_by_their_strength() -> None:
    columns = {
        m.BASE_TEXTURE: 1.0,
        m.ROUGHNESS_TEXTURE: 1.0,
        m.ROUGHNESS: 0.8,
        m.METALNESS: 0.5,
        m.CUTOUT: 0.4,
    }
    factor, mean = (0.9, 0.5, 0.7), (0.1, 0.2, 0.3)
    for k in range(3):
        columns |= {m.TEXTURE_FACTOR + k: factor[k], m.TEXTURE_MEAN + k: mean[k]}
    flat = np.tile(np.array([200, 120, 40, 90], np.uint8), (30, 1))
    linear = srgb_to_linear(np.array([200, 120, 40]) / 255.0)
    for strength in (1.0, 0.25):
        found = at_hit(arrays(columns | {m.TEXTURE_STRENGTH: strength}, texels=flat), hit())
        shown = (np.array(mean) + strength * (linear - mean)) * factor
        assert found[0] == pytest.approx(m.TEXTURE_TO_AP1 @ shown, abs=1e-5)
        assert found[1] == pytest.approx(
            [0.8 * 120 / 255, 0.5 * 40 / 255, 1.0], abs=1e-5
        )  # alpha 0.35: a hole
    assert at_hit(arrays(columns | {m.CUTOUT: 0.3}, texels=flat), hit())[1, 2] == 0.0
    plain = {
        m.BASE_COLOUR: 0.3,
        m.BASE_COLOUR + 1: 0.4,
        m.BASE_COLOUR + 2: 0.5,
        m.ROUGHNESS: 0.8,
        m.CUTOUT: 0.4,
    }
    found = at_hit(arrays(plain), hit())
    assert found[0] == pytest.approx([0.3, 0.4, 0.5]) and found[1] == pytest.approx([0.8, 0.0, 0.0])


@pytest.mark.parametrize("mirrored", [False, True])
def test_a_picture_runs_right_as_u_grows_and_up_as_v_falls(mirrored: bool) -> None:
    uvs = UVS * [-1.0, 1.0] if mirrored else UVS
    found = at_hit(arrays({}, uvs), hit())
    by_u, by_v = np.linalg.solve((uvs[1:] - uvs[0]), CORNERS[1:] - CORNERS[0])
    for axis, wanted in ((found[4], by_u), (found[5], -by_v)):
        assert axis / np.linalg.norm(axis) == pytest.approx(wanted / np.linalg.norm(wanted), abs=1e-5)
    assert not at_hit(arrays({}, np.zeros((3, 2))), hit())[4:6].any()


@njit
def _mapped(scene, hit, out):  # type: ignore[no-untyped-def]
    out[0], out[1], out[2] = t.apply_normal_map(scene, hit, hit.normal, (F(0), F(0), F(-1)))


@pytest.mark.parametrize("strength", [1.0, 0.4])
@pytest.mark.parametrize("code", [(128, 128, 255), (200, 128, 220), (128, 60, 220), (170, 190, 230)])
@pytest.mark.parametrize("copied", ["itself", "mirrored", "back"])
def test_a_normal_map_leans_right_and_up_the_picture(
    code: tuple[int, int, int], strength: float, copied: str
) -> None:
    # a level square whose u runs east and whose v runs south, as rows of a picture do: up the picture is north
    level = np.array([[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, -1.0, 0.0]])
    texels = np.tile(np.array([*code, 255], np.uint8), (30, 1))
    scene = arrays({m.NORMAL_TEXTURE: 1.0, m.NORMAL_STRENGTH: strength}, level[:, :2] * [1.0, -1.0], texels)
    mirror = np.concatenate([np.eye(3).ravel(), np.diag([1.0, -1.0, 1.0]).ravel()])  # north to south
    scene = scene._replace(vertices=level.astype(F), instance_matrices=mirror[None].astype(F))
    out = np.zeros(3, F)
    _mapped(scene, hit(RAY_CLASSES if copied == "mirrored" else -1)._replace(front=copied != "back"), out)
    x, y, z = 2.0 * np.array(code) / 255.0 - 1.0
    # seen from behind, what stands out is a hollow: it leans the other way
    side, north = (-1.0 if copied == "back" else 1.0), (-1.0 if copied == "mirrored" else 1.0)
    wanted = np.array([side * strength * x, side * north * strength * y, z])
    assert out == pytest.approx(wanted / np.linalg.norm(wanted), abs=1e-5)
