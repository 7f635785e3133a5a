# SPDX-License-Identifier: Apache-2.0
"""The stage as rendered: the scene file with the document's decisions applied.

A Scene as read and the document's Stage enter; a Scene in the world with material corrections, muted parts,
props and plaster, and the ground it stands on, leave.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.document.stage import CameraView, Ground, LampEdit, MaterialEdit, Prop, Stage
from gloamet.stage.camera import Camera
from gloamet.stage.ground import GroundPlane, own_ground, rest_height
from gloamet.stage.placing import Placement, to_world_scene
from gloamet.stage.props import grow, prop_parts
from gloamet.stage.scene import Lamp, Material, Origin, Scene

FILM_HEIGHT_MM = 24.0


def placement_from_stage(stage: Stage, origin: Origin) -> Placement:
    """Make the placement of the model from the document.

    Parameters
    ----------
    stage : Stage
        Settings of the stage.
    origin : Origin
        Units and up axis of the file.

    Returns
    -------
    Placement
        The placement.
    """
    units = origin.units if stage.units == "file" else stage.units
    up = origin.up if stage.up == "file" else stage.up
    return Placement(units, up, stage.rotation_deg, stage.drop_to_ground, stage.offset)


def camera_from_view(view: CameraView) -> Camera:
    """Make the camera of a view.

    Parameters
    ----------
    view : CameraView
        The view.

    Returns
    -------
    Camera
        The camera; its aperture follows from the focal length on 36 × 24 mm.
    """
    aperture = focal_mm(view.fov_deg) / 1000.0 / view.f_number if view.depth_of_field else 0.0
    return Camera(
        view.eye,
        view.target,
        view.fov_deg,
        view.shift_x,
        view.shift_y,
        view.keep_verticals,
        aperture,
        view.focus_m,
    )


def view_from_camera(camera: Camera) -> CameraView:
    """Convert a camera to a view of the document.

    Parameters
    ----------
    camera : Camera
        The camera.

    Returns
    -------
    CameraView
        The view.
    """
    return CameraView(
        eye=camera.eye,
        target=camera.target,
        fov_deg=min(max(camera.fov_deg, 1.0), 150.0),
        shift_x=camera.shift_x,
        shift_y=camera.shift_y,
        keep_verticals=camera.keep_verticals,
    )


def focal_mm(fov_deg: float) -> float:
    """Compute the focal length of a vertical field of view on a frame 24 mm high.

    Parameters
    ----------
    fov_deg : float
        Vertical field of view, degrees.

    Returns
    -------
    float
        Focal length, millimetres.

    Examples
    --------
    >>> round(focal_mm(27.0), 1)
    50.0
    """
    return 0.5 * FILM_HEIGHT_MM / math.tan(math.radians(fov_deg) / 2.0)


def fov_of_focal(mm: float) -> float:
    """Compute the vertical field of view of a focal length on a frame 24 mm high.

    Parameters
    ----------
    mm : float
        Focal length, millimetres.

    Returns
    -------
    float
        Field of view, degrees.
    """
    return 2.0 * math.degrees(math.atan(0.5 * FILM_HEIGHT_MM / mm))


def edit_material_values(material: Material, edit: MaterialEdit) -> Material:
    """Apply corrections to a material.

    Parameters
    ----------
    material : Material
        The material of the file.
    edit : MaterialEdit
        The corrections.

    Returns
    -------
    Material
        The material.
    """
    names = (
        "texture_strength",
        "roughness",
        "metalness",
        "transmission",
        "ior",
        "thin",
        "diffuse_transmission",
        "normal_strength",
    )
    changes: dict[str, Any] = {n: getattr(edit, n) for n in names if getattr(edit, n) is not None}
    if edit.alpha_cutoff is not None:
        changes["alpha_cutoff"] = edit.alpha_cutoff if edit.alpha_cutoff > 0.0 else None
    if edit.colour is not None:
        changes["base_colour"] = edit.colour
    if edit.emission_cd_m2 is not None:
        old = np.asarray(material.emission if material.glows else (1.0, 1.0, 1.0))
        scaled = old / max(float(old @ [0.2126, 0.7152, 0.0722]), 1e-9) * edit.emission_cd_m2
        changes["emission"] = tuple(scaled.tolist())
    return replace(material, **changes)


def lumens(lamp: Lamp) -> float:
    """Compute the luminous flux of a point or spot lamp.

    Parameters
    ----------
    lamp : Lamp
        The lamp.

    Returns
    -------
    float
        Lumens.
    """
    if lamp.kind != "spot":
        return 4.0 * math.pi * lamp.intensity_cd
    # between the full and the outer cone it falls as the square of a ramp in the cosine
    full, outer = math.cos(math.radians(lamp.full_deg)), math.cos(math.radians(lamp.outer_deg))
    return 2.0 * math.pi * lamp.intensity_cd * ((1.0 - full) + (full - outer) / 3.0)


def _lamp(lamp: Lamp, edit: LampEdit | None) -> Lamp:
    if edit is None or lamp.intensity_cd <= 0.0:
        return lamp
    return replace(lamp, intensity_cd=lamp.intensity_cd * edit.lumens / max(lumens(lamp), 1e-12))


def prop_matrix(prop: Prop) -> NDArray[np.float64]:
    """The world matrix of a prop."""
    angle = math.radians(prop.rotation_deg)
    matrix = np.eye(4)
    matrix[:2, :2] = [[math.cos(angle), math.sin(angle)], [-math.sin(angle), math.cos(angle)]]
    matrix[:3, 3] = prop.position
    return matrix


def with_props(scene: Scene, props: tuple[Prop, ...]) -> Scene:
    """The scene with props added."""
    parts, materials = list(scene.parts), list(scene.materials)
    known: dict[Material, int] = {}
    for prop in props:
        if not (prop.casts_shadow or prop.visible):
            continue
        shapes = grow(
            prop.kind, prop.seed, prop.height_m, prop.extent_m, prop.density, prop.leaf_m, prop.leafed
        )
        made = prop_parts(prop.name, shapes, 0, prop_matrix(prop), prop.casts_shadow, prop.visible)
        for part, (_, material) in zip(made, shapes, strict=True):
            if material not in known:
                known[material] = len(materials)
                materials.append(material)
            parts.append(replace(part, material=known[material]))
    return replace(scene, parts=tuple(parts), materials=tuple(materials))


def place_in_world(file_scene: Scene, stage: Stage) -> Scene:
    """Place the scene of a file in the world.

    Parameters
    ----------
    file_scene : Scene
        The scene as read.
    stage : Stage
        Settings of the stage.

    Returns
    -------
    Scene
        The scene in metres, Z up, with all parts.
    """
    return to_world_scene(file_scene, placement_from_stage(stage, file_scene.origin))


class StageEdits(NamedTuple):
    """The decisions of a stage that change its scene: those about parts, materials, lamps, props and plaster."""

    muted: tuple[str, ...]
    materials: Mapping[str, MaterialEdit]
    lamps: Mapping[str, LampEdit]
    props: tuple[Prop, ...]
    plaster: tuple[float, bool] | None  # reflectance, and whether glass stays clear

    @classmethod
    def of(cls, stage: Stage) -> StageEdits:
        """Those of a stage."""
        plaster = (stage.plaster.reflectance, stage.plaster.keep_glass) if stage.plaster.on else None
        return cls(stage.muted, stage.materials, stage.lamps, stage.props, plaster)


def apply_edits(scene: Scene, edits: StageEdits) -> Scene:
    """Apply material, lamp and part edits to a placed scene.

    Parameters
    ----------
    scene : Scene
        The render scene.
    edits : StageEdits
        The edits.

    Returns
    -------
    Scene
        The scene as it is rendered.
    """
    if edits.muted:
        muted = set(edits.muted)
        scene = replace(scene, parts=tuple(part for part in scene.parts if part.name not in muted))
    if edits.materials:
        materials = tuple(
            edit_material_values(m, edits.materials[m.name]) if m.name in edits.materials else m
            for m in scene.materials
        )
        scene = replace(scene, materials=materials)
    if edits.lamps:
        scene = replace(scene, lamps=tuple(_lamp(lamp, edits.lamps.get(lamp.name)) for lamp in scene.lamps))
    scene = with_props(scene, edits.props)
    if edits.plaster is not None:
        dressed = tuple(plaster_material(m, *edits.plaster) for m in scene.materials)
        scene = replace(scene, materials=dressed)
    return scene


def plaster_material(m: Material, reflectance: float, keep_glass: bool) -> Material:
    """A material in plaster: one matt grey; glass stays clear when asked, lamps glow, holes stay holes."""
    grey = (reflectance, reflectance, reflectance)
    if m.transmission > 0.05:
        return (
            replace(m, base_colour=(1.0, 1.0, 1.0), base_texture=None)
            if keep_glass
            else Material(m.name, grey)
        )
    return Material(
        m.name,
        grey,
        base_texture=m.base_texture if m.alpha_cutoff is not None else None,
        texture_strength=0.0,
        emission=m.emission,
        emission_texture=m.emission_texture,
        emits_back=m.emits_back,
        alpha_cutoff=m.alpha_cutoff,
    )


def ground_from_stage(
    ground: Ground, muted: tuple[str, ...], reflectance: float, scene: Scene
) -> GroundPlane:
    """Make the ground plane under a placed scene.

    Parameters
    ----------
    ground : Ground
        Settings of the ground.
    muted : tuple of str
        Names of muted parts.
    reflectance : float
        Reflectance of the ground, 0 to 1.
    scene : Scene
        The placed scene with all parts.

    Returns
    -------
    GroundPlane
        The ground plane.
    """
    own = own_ground(scene)
    height, hole = rest_height(scene, own)
    if own is not None and own.name in muted:
        hole = None
    if not ground.automatic:
        height, hole = ground.height_m, None
    low, high = scene.bounds()
    radius = {"endless": math.inf, "disc": ground.radius_m, "none": 0.0}[ground.kind]
    return GroundPlane(
        height,
        radius,
        (0.5 * float(low[0] + high[0]), 0.5 * float(low[1] + high[1])),
        reflectance,
        ground.colour,
        ground.water,
        ground.ripple,
        hole,
        ground.horizon_deg,
        ground.softness_deg,
    )
