# SPDX-License-Identifier: Apache-2.0
"""Fields of the stage: placement of the scene file, parts, materials, ground, props, views."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gloamet.document.field_types import DocumentModel, number

Fraction = Annotated[float, Field(ge=0.0, le=1.0)]
Colour = tuple[Fraction, Fraction, Fraction]
Metres = Annotated[float, Field(ge=-1e7, le=1e7)]
Point = tuple[Metres, Metres, Metres]
PropKind = Literal[
    "tree",
    "screen",
    "figure",
    "mirror ball",
    "grey ball",
    "grey card",
    "ridge",
    "poles",
    "white flag",
    "silver flag",
    "black flag",
]
FLAGS = ("white flag", "silver flag", "black flag")
Quality = Literal["draft", "standard", "final"]


class CameraView(DocumentModel):
    """A camera."""

    eye: Point = Field((12.0, -12.0, 4.0), description="Position of the camera, metres.")
    target: Point = Field((0.0, 0.0, 1.5), description="Point the camera looks at, metres.")
    fov_deg: float = number(40.0, 1, 150, "Vertical field of view.", "°", 1, 1)
    shift_x: float = number(0.0, -2, 2, "Horizontal lens shift, in picture heights.", "", 0.01, 3)
    shift_y: float = number(0.0, -2, 2, "Vertical lens shift, in picture heights.", "", 0.01, 3)
    keep_verticals: bool = Field(
        False, description="Keep verticals vertical: the lens shifts instead of tilting."
    )
    depth_of_field: bool = Field(False, description="Blur what is nearer or farther than the focus distance.")
    f_number: float = number(5.6, 0.7, 64, "Aperture as f-number; smaller numbers blur more.", "", 0.1, 1)
    focus_m: float = number(10.0, 0.05, 10000, "Focus distance.", "m", 0.1, 2)


class NamedView(DocumentModel):
    """A view kept under a name."""

    name: str = Field("view", min_length=1, max_length=80, description="Name of the view.")
    view: CameraView = Field(CameraView(), description="The camera.")
    locked: bool = Field(False, description="A locked view cannot be updated or removed.")
    ev: float | None = Field(
        None,
        ge=-8,
        le=22,
        description="Exposure stored with this view; none uses the exposure of the project.",
    )


class MaterialEdit(DocumentModel):
    """Corrections of one material of the model; fields that are not set keep the file's value."""

    colour: Colour | None = Field(None, description="Base colour, linear.")
    texture_strength: float | None = number(
        None, 0, 1, "Strength of the texture; 0 uses its mean colour.", "", 0.01, 2
    )
    roughness: float | None = number(None, 0, 1, "0 is a mirror, 1 is matt.", "", 0.01, 2)
    metalness: float | None = number(None, 0, 1, "1 for bare metal, 0 for everything else.", "", 0.01, 2)
    transmission: float | None = number(
        None, 0, 1, "Fraction of light that passes straight through, as in glass.", "", 0.01, 2
    )
    ior: float | None = number(None, 1, 3, "Refractive index: glass 1.5, water 1.33.", "", 0.01, 2)
    thin: bool | None = Field(None, description="A thin sheet with two faces, not a solid body.")
    emission_cd_m2: float | None = number(None, 0, 1e7, "Luminance of the emission.", "cd/m²", 10, 0)
    diffuse_transmission: float | None = number(
        None, 0, 1, "Fraction of diffuse light that passes through, as in leaves and paper.", "", 0.01, 2
    )
    alpha_cutoff: float | None = number(
        None, 0, 1, "Where the texture alpha is below this value the surface is cut out.", "", 0.01, 2
    )
    normal_strength: float | None = number(None, 0, 4, "Strength of the normal map.", "", 0.05, 2)


class LampEdit(DocumentModel):
    """Correction to one lamp of the model."""

    lumens: float = number(800.0, 0, 1e8, "Luminous flux of the lamp.", "lm", 50, 0)


class Plaster(DocumentModel):
    """One matt surface for everything, to judge light before materials."""

    on: bool = Field(False, description="Show every opaque surface in one matt plaster.")
    reflectance: float = number(0.6, 0.18, 0.9, "Reflectance of the plaster.", "", 0.01, 2)
    keep_glass: bool = Field(True, description="Glass stays clear under the plaster.")
    contours: bool = Field(False, description="Draw contour lines of shapes.")
    contour_px: float = number(
        1.4, 0.5, 6, "Width of the contour lines, for a picture 1000 pixels high.", "px", 0.1, 1
    )


class Ground(DocumentModel):
    """The ground."""

    kind: Literal["endless", "disc", "none"] = Field(
        "endless", description="A ground plane without end, a round one, or none."
    )
    water: bool = Field(False, description="A water surface instead of dry ground.")
    ripple: float = number(0.25, 0, 1, "Roughness of the water.", "", 0.01, 2)
    colour: Colour = Field(
        (0.5, 0.47, 0.43), description="Hue of the ground; its brightness is the ground reflectance."
    )
    automatic: bool = Field(
        True, description="Automatic height: under the model, or level with a ground of the model."
    )
    height_m: float = number(0.0, -10000, 10000, "Height of the ground.", "m", 0.1, 2)
    radius_m: float = number(50.0, 0.1, 100000, "Radius of the round ground.", "m", 1, 1)
    horizon_deg: float = number(
        0.0, -2, 10, "Elevation of the horizon line, as of distant hills.", "°", 0.1, 2
    )
    softness_deg: float = number(0.3, 0, 6, "Softness of the far edge against the sky.", "°", 0.05, 2)


class Prop(DocumentModel):
    """A prop, generated from a few numbers."""

    name: str = Field("tree", min_length=1, max_length=80, description="Name in the lists.")
    kind: PropKind = Field("tree", description="Kind of prop.")
    position: Point = Field((0.0, 0.0, 0.0), description="Position of its base, metres.")
    rotation_deg: float = number(
        0.0, -180, 180, "Rotation about the vertical axis, clockwise from above.", "°", 1, 0
    )
    height_m: float = number(8.0, 0.5, 3000, "Height.", "m", 0.1, 1)
    extent_m: float = number(
        5.0, 0.3, 30_000, "Width of a crown or screen, length of a ridge or row.", "m", 0.1, 1
    )
    density: float = number(0.6, 0.05, 1, "Density of the leaves.", "", 0.01, 2)
    leaf_m: float = number(0.09, 0.02, 0.6, "Length of a leaf.", "m", 0.01, 2)
    leafed: bool = Field(True, description="With leaves, or bare.")
    seed: int = number(1, 0, 9999, "Variation: another number grows another shape.", "", 1, 0)
    casts_shadow: bool = Field(True, description="Casts shadows and appears in mirrors.")
    visible: bool = Field(True, description="Visible to the camera.")


class Stage(DocumentModel):
    """The model and everything set up around it."""

    scene_file: str | None = Field(None, description="Scene file, stored relative to the project file.")
    units: Literal["file", "m", "cm", "mm", "in", "ft"] = Field(
        "file", description='Length unit of the scene file; "file" uses what the file declares, or a guess.'
    )
    up: Literal["file", "y", "z"] = Field(
        "file", description='Up axis of the scene file; "file" uses what the file declares, or a guess.'
    )
    rotation_deg: float = number(
        0.0, -180, 180, "Rotation of the model about the vertical axis, clockwise from above.", "°", 1, 1
    )
    drop_to_ground: bool = Field(False, description="Move the lowest point of the model to height 0.")
    offset: Point = Field((0.0, 0.0, 0.0), description="Offset of the model, metres.")
    outside_files: bool = Field(
        False, description="Allow the scene file to read files outside its own folder."
    )
    muted: tuple[str, ...] = Field((), description="Parts that are not rendered.")
    locked: tuple[str, ...] = Field((), description="Parts that clicks in the picture ignore.")
    materials: dict[str, MaterialEdit] = Field({}, description="Corrections by material name.")
    lamps: dict[str, LampEdit] = Field({}, description="Corrections by lamp name.")
    plaster: Plaster = Field(Plaster(), description="Plaster for judging light.")
    ground: Ground = Field(Ground(), description="What is below the horizon.")
    props: tuple[Prop, ...] = Field((), description="Props.")
    view: CameraView = Field(CameraView(), description="The camera.")
    views: tuple[NamedView, ...] = Field((), description="Saved views.")
    quality: Quality = Field("standard", description="How far the viewport refines.")
    rectangle: tuple[Fraction, Fraction, Fraction, Fraction] | None = Field(
        None, description="Refine only inside: left, top, right, bottom as fractions of the picture."
    )
