"""A scene flattened into the arrays the kernels read, and its ray structure.

Layouts. vertices (V, 3), normals (V, 3), uvs (V, 2) float32; triangles (T, 3) uint32 with the opaque ones
first, then glass; `first_glass` is where they begin. smooth (T,) says whether the vertex normals are used.
materials (M, MATERIAL_WORDS) float32, columns named below: RED is the base
colour in AP1, FACTOR the same in Rec.709 for use with a picture. texels (N, 4) uint8 sRGB,
pictures one after another; picture (P, 3) int32: first texel, width, height.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import REC709_TO_AP1, srgb_to_linear
from gloamet.errors import GloametError
from gloamet.stage.scene import Material, Part, Scene
from gloamet.trace.embree import RayScene

RED, ROUGHNESS, METALNESS, IOR, THIN, BASE_PICTURE, SURFACE_PICTURE, SPECULAR, KIND = (
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
FACTOR, TRANSMISSION = 11, 14
MATERIAL_WORDS = 15
MATT, GLOSSY, GLASS = 0.0, 1.0, 2.0
# A dielectric's gloss fades out towards roughness 1, which is a plain Lambert surface: its base colour is
# then its whole reflectance, as a meter card's is.
GLOSS_FADES_FROM = 0.7
GLASS_FROM = 0.05

SRGB_DECODE = srgb_to_linear(np.arange(256) / 255.0).astype(np.float32)
TEXTURE_TO_AP1 = REC709_TO_AP1.astype(np.float32)


@dataclass(frozen=True)
class Compiled:
    """The arrays described above; `rays` owns the acceleration structure."""

    vertices: NDArray[np.float32]
    normals: NDArray[np.float32]
    uvs: NDArray[np.float32]
    triangles: NDArray[np.uint32]
    triangle_material: NDArray[np.int32]
    smooth: NDArray[np.uint8]
    first_glass: int
    materials: NDArray[np.float32]
    texels: NDArray[np.uint8]
    pictures: NDArray[np.int32]
    rays: RayScene

    @property
    def has_glass(self) -> bool:
        """Whether shadow rays must look for panes."""
        return self.first_glass < len(self.triangles)

    def arrays(self) -> tuple[NDArray, ...]:
        """What the kernels take, in their order."""
        return (
            self.normals,
            self.uvs,
            self.triangles,
            self.triangle_material,
            self.smooth,
            self.materials,
            self.texels,
            self.pictures,
        )


def _gloss(roughness: float) -> float:
    x = min(max((roughness - GLOSS_FADES_FROM) / (1.0 - GLOSS_FADES_FROM), 0.0), 1.0)
    return 1.0 - x * x * (3.0 - 2.0 * x)


def _material_row(m: Material) -> NDArray[np.float32]:
    row = np.zeros(MATERIAL_WORDS, np.float32)
    row[RED : RED + 3] = np.maximum(REC709_TO_AP1 @ np.asarray(m.base_colour), 0.0)
    row[ROUGHNESS], row[METALNESS], row[IOR], row[THIN] = m.roughness, m.metalness, m.ior, float(m.thin)
    row[BASE_PICTURE] = -1 if m.base_texture is None else m.base_texture
    row[SURFACE_PICTURE] = -1 if m.surface_texture is None else m.surface_texture
    row[SPECULAR] = _gloss(m.roughness)
    row[FACTOR : FACTOR + 3] = m.base_colour
    row[TRANSMISSION] = m.transmission
    row[KIND] = GLOSSY
    if m.transmission > GLASS_FROM:
        row[KIND] = GLASS
    elif m.surface_texture is None and m.metalness == 0.0 and row[SPECULAR] == 0.0:
        row[KIND] = MATT
    return row


def _flat_normals(part: Part) -> NDArray[np.float32]:
    return np.zeros((len(part.positions), 3), np.float32)


def _pictures(scene: Scene) -> tuple[NDArray[np.uint8], NDArray[np.int32]]:
    rows, first = [], 0
    for texture in scene.textures:
        height, width = texture.pixels.shape[:2]
        rows.append((first, width, height))
        first += width * height
    texels = [t.pixels.reshape(-1, 4) for t in scene.textures] or [np.zeros((1, 4), np.uint8)]
    return np.ascontiguousarray(np.concatenate(texels)), np.asarray(rows or [(0, 1, 1)], np.int32)


def compile_scene(scene: Scene) -> Compiled:
    """Flatten a scene and build its ray structure. Raises GloametError when it has no triangles."""
    if not scene.parts:
        raise GloametError("The scene has no triangles: open a model first.")
    materials = np.stack([_material_row(m) for m in scene.materials])
    glass_of = materials[:, KIND] == GLASS
    parts = sorted(scene.parts, key=lambda part: bool(glass_of[part.material]))
    offsets = np.cumsum([0, *(len(part.positions) for part in parts)])
    triangles = np.concatenate(
        [part.triangles.astype(np.int64) + o for part, o in zip(parts, offsets[:-1], strict=True)]
    ).astype(np.uint32)
    counts = [len(part.triangles) for part in parts]
    first_glass = sum(n for part, n in zip(parts, counts, strict=True) if not glass_of[part.material])
    vertices = np.concatenate([part.positions for part in parts])
    texels, pictures = _pictures(scene)
    return Compiled(
        vertices,
        np.concatenate([_flat_normals(p) if p.normals is None else p.normals for p in parts]),
        np.concatenate(
            [np.zeros((len(p.positions), 2), np.float32) if p.uvs is None else p.uvs for p in parts]
        ),
        triangles,
        np.repeat([part.material for part in parts], counts).astype(np.int32),
        np.repeat([part.normals is not None for part in parts], counts).astype(np.uint8),
        first_glass,
        materials,
        texels,
        pictures,
        RayScene(vertices, triangles[:first_glass], triangles[first_glass:]),
    )
