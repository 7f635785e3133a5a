"""What the artist decides about the stage: the model's place, parts, materials, ground, shade makers, views."""

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
Quality = Literal["draft", "steady", "final"]


class CameraView(DocumentModel):
    """A camera."""

    eye: Point = Field((12.0, -12.0, 4.0), description="Where the camera stands, metres.")
    target: Point = Field((0.0, 0.0, 1.5), description="Where it looks, metres.")
    fov_deg: float = number(40.0, 1, 150, "Vertical field of view.", "°", 1, 1)
    shift_x: float = number(
        0.0, -2, 2, "Moves the frame sideways without turning the camera, in picture heights.", "", 0.01, 3
    )
    shift_y: float = number(
        0.0, -2, 2, "Moves the frame up or down without tilting the camera, in picture heights.", "", 0.01, 3
    )
    keep_verticals: bool = Field(
        False, description="Keeps verticals vertical: the lens shifts instead of tilting."
    )
    depth_of_field: bool = Field(False, description="What is nearer or farther than the focus turns soft.")
    f_number: float = number(5.6, 0.7, 64, "Aperture as f-number; smaller numbers blur more.", "", 0.1, 1)
    focus_m: float = number(10.0, 0.05, 10000, "Focus distance: what is sharp.", "m", 0.1, 2)


class NamedView(DocumentModel):
    """A view kept under a name."""

    name: str = Field("view", min_length=1, max_length=80, description="Name of the view.")
    view: CameraView = Field(CameraView(), description="The camera.")
    locked: bool = Field(False, description="A locked view is not overwritten or removed.")
    ev: float | None = Field(
        None, ge=-8, le=22, description="Exposure this view remembers, none for the project’s."
    )


class MaterialEdit(DocumentModel):
    """Corrections to one material of the model; what is not set stays as the file has it."""

    colour: Colour | None = Field(None, description="Base colour, linear.")
    texture_strength: float | None = number(
        None, 0, 1, "How much of the colour picture shows; 0 is its mean colour.", "", 0.01, 2
    )
    roughness: float | None = number(None, 0, 1, "0 mirrors, 1 is matt.", "", 0.01, 2)
    metalness: float | None = number(None, 0, 1, "1 for bare metal, 0 for everything else.", "", 0.01, 2)
    transmission: float | None = number(
        None, 0, 1, "Share of light that passes straight, as in glass.", "", 0.01, 2
    )
    ior: float | None = number(None, 1, 3, "Refractive index: glass 1.5, water 1.33.", "", 0.01, 2)
    thin: bool | None = Field(None, description="A thin sheet with two faces, not a solid body.")
    emission_cd_m2: float | None = number(None, 0, 1e7, "Luminance of its own light.", "cd/m²", 10, 0)
    diffuse_transmission: float | None = number(
        None, 0, 1, "Share of diffuse light that goes through, as in leaves and paper.", "", 0.01, 2
    )
    alpha_cutoff: float | None = number(
        None, 0, 1, "Below this alpha of its picture there is a hole.", "", 0.01, 2
    )
    normal_strength: float | None = number(
        None, 0, 4, "How strongly its normal map tilts the surface.", "", 0.05, 2
    )


class LampEdit(DocumentModel):
    """Correction to one lamp of the model."""

    lumens: float = number(800.0, 0, 1e8, "Light the lamp gives in all.", "lm", 50, 0)


class Plaster(DocumentModel):
    """One matt surface for everything, to judge light before materials."""

    on: bool = Field(False, description="Shows every opaque surface in one matt plaster.")
    reflectance: float = number(0.6, 0.18, 0.9, "Share of light the plaster sends back.", "", 0.01, 2)
    keep_glass: bool = Field(True, description="Glass stays clear under the plaster.")
    contours: bool = Field(False, description="Draws the contours of shapes in ink.")
    contour_px: float = number(
        1.4, 0.5, 6, "Width of the ink lines, for a picture 1000 pixels high.", "px", 0.1, 1
    )


class Ground(DocumentModel):
    """What lies below the horizon."""

    kind: Literal["endless", "disc", "none"] = Field(
        "endless", description="A level ground without end, a round one, or none."
    )
    water: bool = Field(False, description="A water surface instead of dry ground.")
    ripple: float = number(0.25, 0, 1, "How rough the water is.", "", 0.01, 2)
    colour: Colour = Field(
        (0.5, 0.47, 0.43), description="Hue of the ground; its brightness is the reflectance."
    )
    automatic: bool = Field(True, description="Lies under the model, level with a ground of the model’s own.")
    height_m: float = number(0.0, -10000, 10000, "Height of the ground.", "m", 0.1, 2)
    radius_m: float = number(50.0, 0.1, 100000, "Radius of the round ground.", "m", 1, 1)
    horizon_deg: float = number(0.0, -2, 10, "Height of the horizon line, as of hills far away.", "°", 0.1, 2)
    softness_deg: float = number(0.3, 0, 6, "How softly the far edge melts into the sky.", "°", 0.05, 2)


class Prop(DocumentModel):
    """A shade maker or a reference, grown from a few numbers."""

    name: str = Field("tree", min_length=1, max_length=80, description="Its name in the lists.")
    kind: PropKind = Field("tree", description="What it is.")
    position: Point = Field((0.0, 0.0, 0.0), description="Where its foot stands, metres.")
    rotation_deg: float = number(
        0.0, -180, 180, "Turned about the vertical, clockwise from above.", "°", 1, 0
    )
    height_m: float = number(8.0, 0.5, 3000, "Height.", "m", 0.1, 1)
    extent_m: float = number(
        5.0, 0.3, 30_000, "Width of the crown or screen, length of a ridge or row.", "m", 0.1, 1
    )
    density: float = number(0.6, 0.05, 1, "How closely the leaves stand.", "", 0.01, 2)
    leaf_m: float = number(0.09, 0.02, 0.6, "Length of a leaf.", "m", 0.01, 2)
    leafed: bool = Field(True, description="In leaf, or bare.")
    seed: int = number(1, 0, 9999, "Another number grows another one.", "", 1, 0)
    casts_shadow: bool = Field(True, description="Throws shade and shows in mirrors.")
    visible: bool = Field(True, description="The camera sees it.")


class Stage(DocumentModel):
    """The model and everything set up round it."""

    scene_file: str | None = Field(None, description="Model file, written relative to the project file.")
    units: Literal["file", "m", "cm", "mm", "in", "ft"] = Field(
        "file", description="Length unit of the model file; as the file says, or seems to say."
    )
    up: Literal["file", "y", "z"] = Field(
        "file", description="Which axis of the model file points up; as the file says, or seems to say."
    )
    rotation_deg: float = number(
        0.0, -180, 180, "Turns the model about the vertical, clockwise from above.", "°", 1, 1
    )
    drop_to_ground: bool = Field(False, description="Puts the model’s lowest point at height 0.")
    offset: Point = Field((0.0, 0.0, 0.0), description="Moves the model, metres.")
    outside_files: bool = Field(False, description="Lets the model read files outside its own folder.")
    muted: tuple[str, ...] = Field((), description="Parts that are not rendered.")
    locked: tuple[str, ...] = Field((), description="Parts a click in the picture passes over.")
    materials: dict[str, MaterialEdit] = Field({}, description="Corrections by the material’s name.")
    lamps: dict[str, LampEdit] = Field({}, description="Corrections by the lamp’s name.")
    plaster: Plaster = Field(Plaster(), description="Plaster for judging light.")
    ground: Ground = Field(Ground(), description="What lies below the horizon.")
    props: tuple[Prop, ...] = Field((), description="Shade makers and references.")
    view: CameraView = Field(CameraView(), description="The camera.")
    views: tuple[NamedView, ...] = Field((), description="Views kept under names.")
    quality: Quality = Field("steady", description="How far the picture on the desk is refined.")
    rectangle: tuple[Fraction, Fraction, Fraction, Fraction] | None = Field(
        None, description="Refine only here: left, top, right, bottom as shares of the picture."
    )
