# SPDX-License-Identifier: Apache-2.0
"""Materials, textures and lamps as the tables that the kernels read. Stage materials enter, float32 arrays leave.

materials (M, MATERIAL_WORDS) float32, one row per material, the ground's last. Columns: BASE_COLOUR (3) in AP1,
ROUGHNESS, METALNESS, IOR, THIN (1 for a pane without volume), BASE_TEXTURE and ROUGHNESS_TEXTURE (rows of textures,
-1 for none), SPECULAR strength 0..1, KIND (MATT, GLOSSY or GLASS), TEXTURE_FACTOR (3) the base colour in Rec.709 to
multiply a texture with, TRANSMISSION 0..1, TEXTURE_STRENGTH 0..1, TEXTURE_MEAN (3) in Rec.709, EMISSION (3) AP1
radiance in cd/m2, EMISSION_TEXTURE (row or -1), TWO_SIDED_EMISSION (0 or 1), EMITTER_PDF (selection pdf of its lamps
per m2), NORMAL_TEXTURE (row or -1), NORMAL_STRENGTH, CUTOUT (alpha cutoff), TRANSLUCENCY (diffuse transmission 0..1),
COAT (0..1), COAT_ALPHA, MIRRORED_LAMP_WEIGHT 0..1.

texels (N, 4) uint8: all textures one after another. textures (P, 3) int32: first texel, width, height.

lamps (L, LAMP_WORDS) float32, one row per emissive triangle or point light. Columns: LAMP_KIND (TRIANGLE_LAMP or
POINT_LAMP), LAMP_CDF and LAMP_PDF of selecting it, LAMP_ORIGIN (3) its first corner or position in metres,
LAMP_EDGE_U (3) and LAMP_EDGE_V (3) its edges (for a spot LAMP_EDGE_U is its direction), LAMP_RADIANCE (3) AP1
radiance in cd/m2 (for a point: intensity in cd), COS_FULL and COS_OUTER of a spot's cone.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_LUMINANCE, REC709_TO_AP1, srgb_to_linear
from gloamet.stage.ground import GroundPlane
from gloamet.stage.scene import Lamp, Material, Part, Scene, Texture

Floats = NDArray[np.float32]
BASE_COLOUR, ROUGHNESS, METALNESS, IOR, THIN, BASE_TEXTURE, ROUGHNESS_TEXTURE, SPECULAR, KIND = (
    0,
    3,
    4,
    5,
    6,
    7,
    8,
    9,
    10,
)
TEXTURE_FACTOR, TRANSMISSION, TEXTURE_STRENGTH, TEXTURE_MEAN = 11, 14, 15, 16
EMISSION, EMISSION_TEXTURE, TWO_SIDED_EMISSION, EMITTER_PDF = 19, 22, 23, 24
NORMAL_TEXTURE, NORMAL_STRENGTH, CUTOUT, TRANSLUCENCY, COAT, COAT_ALPHA = 25, 26, 27, 28, 29, 30
MIRRORED_LAMP_WEIGHT = 31
MATERIAL_WORDS = 32
MATT, GLOSSY, GLASS = 0.0, 1.0, 2.0
TRIANGLE_LAMP, POINT_LAMP = 0.0, 1.0
LAMP_KIND, LAMP_CDF, LAMP_PDF, LAMP_ORIGIN, LAMP_EDGE_U, LAMP_EDGE_V, LAMP_RADIANCE, COS_FULL, COS_OUTER = (
    0,
    1,
    2,
    3,
    6,
    9,
    12,
    15,
    16,
)
LAMP_WORDS = 17
# A dielectric's gloss fades out towards roughness 1, which is a plain Lambert surface: its base colour is
# then its whole reflectance, as a meter card's is.
GLOSS_FADES_FROM = 0.7
GLASS_FROM = 0.05
COAT_IOR = 1.5  # of a clear coat (glTF 2.0, KHR_materials_clearcoat)
# Glowing area below which a lamp that a mirror or pane throws onto a diffuse surface is dimmed, in proportion: as if
# its light came from a globe of 18 cm. Only one path of a hundred thousand finds a bulb so, and leaves a spot.
SMALL_LAMP_M2 = 0.1
WATER_COLOUR = (0.012, 0.035, 0.04)

SRGB_DECODE = srgb_to_linear(np.arange(256) / 255.0).astype(np.float32)
TEXTURE_TO_AP1 = REC709_TO_AP1.astype(np.float32)


def _gloss(roughness: float) -> float:
    x = min(max((roughness - GLOSS_FADES_FROM) / (1.0 - GLOSS_FADES_FROM), 0.0), 1.0)
    return 1.0 - x * x * (3.0 - 2.0 * x)


def _to_ap1(colour: NDArray | tuple[float, ...]) -> NDArray:
    return np.asarray(np.maximum(REC709_TO_AP1 @ np.asarray(colour, float), 0.0))


def mean_colour(texture: Texture) -> NDArray[np.float64]:
    """Mean linear Rec.709 of a picture, from every few texels."""
    step = max(1, texture.pixels.shape[0] // 128), max(1, texture.pixels.shape[1] // 128)
    return np.asarray(SRGB_DECODE[texture.pixels[:: step[0], :: step[1], :3]].mean((0, 1)), np.float64)


def is_transmissive(m: Material) -> bool:
    """Whether shadow rays may pass through it."""
    return m.transmission > GLASS_FROM or m.alpha_cutoff is not None


def _row(m: Material, textures: tuple[Texture, ...]) -> Floats:
    row = np.zeros(MATERIAL_WORDS, np.float32)
    row[BASE_COLOUR : BASE_COLOUR + 3] = _to_ap1(m.base_colour)
    row[ROUGHNESS], row[METALNESS], row[IOR], row[THIN] = m.roughness, m.metalness, m.ior, float(m.thin)
    for column, index in (
        (BASE_TEXTURE, m.base_texture),
        (ROUGHNESS_TEXTURE, m.surface_texture),
        (EMISSION_TEXTURE, m.emission_texture),
        (NORMAL_TEXTURE, m.normal_texture),
        (CUTOUT, m.alpha_cutoff),
    ):
        row[column] = -1 if index is None else index
    row[SPECULAR] = _gloss(m.roughness)
    row[TEXTURE_FACTOR : TEXTURE_FACTOR + 3] = m.base_colour
    row[TRANSMISSION] = m.transmission
    row[TEXTURE_STRENGTH] = m.texture_strength
    if m.base_texture is not None and m.texture_strength < 1.0:
        row[TEXTURE_MEAN : TEXTURE_MEAN + 3] = mean_colour(textures[m.base_texture])
    row[EMISSION : EMISSION + 3], row[TWO_SIDED_EMISSION] = _to_ap1(m.emission), float(m.emits_back)
    row[MIRRORED_LAMP_WEIGHT] = 1.0
    row[NORMAL_STRENGTH], row[TRANSLUCENCY] = m.normal_strength, m.diffuse_transmission
    row[COAT], row[COAT_ALPHA] = m.coat, m.coat_roughness**2
    row[KIND] = GLOSSY
    if m.transmission > GLASS_FROM:
        row[KIND] = GLASS
    elif m.surface_texture is None and m.metalness == 0.0 and row[SPECULAR] == 0.0:
        row[KIND] = MATT
    return row


def ground_tint(ground: GroundPlane | None) -> Floats:
    """Return the hue of the ground.

    Parameters
    ----------
    ground : GroundPlane or None
        Ground plane; None without one.

    Returns
    -------
    ndarray
        AP1 of luminance 1, (3,).
    """
    if ground is None:
        return np.ones(3, np.float32)
    tint = _to_ap1((*WATER_COLOUR,) if ground.water else ground.colour)
    return np.asarray(tint / max(float(tint @ AP1_LUMINANCE), 1e-6), np.float32)


def _ground_row(ground: GroundPlane | None) -> Floats:
    if ground is not None and ground.water:
        roughness = 0.02 + 0.25 * ground.ripple
        return _row(Material("water", WATER_COLOUR, roughness, 0.0, ior=1.33), ())
    row = _row(Material("ground"), ())
    row[BASE_COLOUR : BASE_COLOUR + 3] = (0.2 if ground is None else ground.reflectance) * ground_tint(ground)
    return row


def make_material_table(scene: Scene, ground: GroundPlane | None) -> Floats:
    """All rows, the ground's last."""
    return np.stack([*(_row(m, scene.textures) for m in scene.materials), _ground_row(ground)])


def make_texture_table(textures: tuple[Texture, ...]) -> tuple[NDArray[np.uint8], NDArray[np.int32]]:
    """The texels of all pictures and where each begins."""
    rows, first = [], 0
    for texture in textures:
        height, width = texture.pixels.shape[:2]
        rows.append((first, width, height))
        first += width * height
    texels = [t.pixels.reshape(-1, 4) for t in textures] or [np.zeros((1, 4), np.uint8)]
    return np.ascontiguousarray(np.concatenate(texels)), np.asarray(rows or [(0, 1, 1)], np.int32)


def _glowing_triangles(part: Part, material: Material) -> Floats:
    p = part.positions
    a, b, c = (p[part.triangles[:, k]] for k in range(3))
    if np.linalg.det(part.matrix[:3, :3]) < 0.0:
        b, c = c, b
    rows = np.zeros((len(a), LAMP_WORDS), np.float32)
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    rows[:, LAMP_PDF] = area * _power(material)
    (
        rows[:, LAMP_ORIGIN : LAMP_ORIGIN + 3],
        rows[:, LAMP_EDGE_U : LAMP_EDGE_U + 3],
        rows[:, LAMP_EDGE_V : LAMP_EDGE_V + 3],
    ) = a, b - a, c - a
    rows[:, LAMP_RADIANCE : LAMP_RADIANCE + 3], rows[:, COS_FULL] = (
        _to_ap1(material.emission),
        float(material.emits_back),
    )
    return rows[area > 0.0]


def _power(material: Material) -> float:
    """Lumens a square metre."""
    sides = 2.0 if material.emits_back else 1.0
    return math.pi * sides * float(_to_ap1(material.emission) @ AP1_LUMINANCE)


def _point_row(lamp: Lamp) -> Floats:
    row = np.zeros(LAMP_WORDS, np.float32)
    row[LAMP_KIND] = POINT_LAMP
    row[LAMP_ORIGIN : LAMP_ORIGIN + 3], row[LAMP_EDGE_U : LAMP_EDGE_U + 3] = lamp.position, lamp.direction
    row[LAMP_RADIANCE : LAMP_RADIANCE + 3] = _to_ap1(lamp.colour) * lamp.intensity_cd
    spot = lamp.kind == "spot"
    row[COS_FULL] = math.cos(math.radians(lamp.full_deg)) if spot else -2.0
    row[COS_OUTER] = math.cos(math.radians(lamp.outer_deg)) if spot else -3.0
    fraction = (1.0 - math.cos(math.radians(lamp.outer_deg))) / 2.0 if spot else 1.0
    row[LAMP_PDF] = 4.0 * math.pi * lamp.intensity_cd * max(fraction, 1e-3)
    return row


def make_lamp_table(scene: Scene, materials: Floats) -> tuple[Floats, list[Floats]]:
    """All emitters, to be selected by their power, and the same lamp by lamp.

    Writes EMITTER_PDF into the materials, and MIRRORED_LAMP_WEIGHT by the smallest lamp of each.

    A surface whose emission has a texture is not in the table; paths find it by BSDF sampling only.
    """
    blocks = []
    for part in scene.parts:
        m = scene.materials[part.material]
        if m.glows and m.emission_texture is None and part.casts:
            blocks.append(_glowing_triangles(part, m))
            area = float(blocks[-1][:, LAMP_PDF].sum(dtype=np.float64)) / _power(m)
            if area > 0.0:
                row = materials[part.material]
                row[MIRRORED_LAMP_WEIGHT] = min(row[MIRRORED_LAMP_WEIGHT], area / SMALL_LAMP_M2)
    blocks += [_point_row(lamp)[None] for lamp in scene.lamps if lamp.intensity_cd > 0.0]
    table = np.concatenate(blocks) if blocks else np.zeros((0, LAMP_WORDS), np.float32)
    total = float(table[:, LAMP_PDF].sum(dtype=np.float64)) if len(table) else 0.0
    if total <= 0.0:
        return np.zeros((0, LAMP_WORDS), np.float32), []
    for index, m in enumerate(scene.materials):
        if m.glows and m.emission_texture is None:
            materials[index, EMITTER_PDF] = _power(m) / total
    table[:, LAMP_PDF] /= total
    table[:, LAMP_CDF] = np.cumsum(table[:, LAMP_PDF], dtype=np.float64)
    table[-1, LAMP_CDF] = 1.0
    return table, [block for block in blocks if block[:, LAMP_PDF].any()]
