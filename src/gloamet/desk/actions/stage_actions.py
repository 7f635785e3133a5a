# SPDX-License-Identifier: Apache-2.0
"""Actions on the stage: parts, materials, props, views, as changes of the document.

Each function takes a session and asks it for one change; a change is one step of undo.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from gloamet.desk.state.session import Session
from gloamet.desk.state.view_conversion import camera_from_document
from gloamet.document.stage import FLAGS, CameraView, MaterialEdit, NamedView, Prop, PropKind
from gloamet.stage.camera import EYE_HEIGHT_M, Camera, look_over
from gloamet.stage.props import LIFT_M
from gloamet.stage.scene import Material, Part, bounds_of

if TYPE_CHECKING:
    from gloamet.trace.first_hits import SurfacePoint

RIDGE_SIZE_M, POLES_SIZE_M = (250.0, 9000.0), (7.0, 1500.0)  # height and length
FLAG_AWAY, FLAG_SIZE, FLAG_LEAST_M = 0.3, 0.8, 0.5  # fractions of the camera's distance, and of that
RIDGE_AWAY_M = 4000.0  # from the eye

# -- parts


def set_camera(session: Session, camera: Camera, key: str | None = None) -> None:
    """Look through another camera; lens settings stay."""
    session.change("stage.view", key, eye=camera.eye, target=camera.target, fov_deg=camera.fov_deg)


def part_named(session: Session, name: str) -> Part | None:
    """A part of the model by its name, in world space."""
    if session.loaded.scene is None:
        return None
    return next((part for part in session.loaded.scene.parts if part.name == name), None)


def mute(session: Session, names: set[str], back: set[str]) -> None:
    """Leave parts out of the picture, and bring others back."""
    kept = [name for name in session.document.stage.muted if name not in names | back]
    session.change("stage", muted=(*kept, *sorted(names)))


def light_only_with(session: Session, names: set[str]) -> None:
    """Mute everything else."""
    if session.loaded.scene is not None:
        others = tuple(part.name for part in session.loaded.scene.parts if part.name not in names)
        session.change("stage", muted=others)


def lock(session: Session, names: set[str], locked: bool) -> None:
    """Let clicks in the picture pass over parts, or not."""
    kept = [name for name in session.document.stage.locked if name not in names]
    session.change("stage", locked=(*kept, *(sorted(names) if locked else [])))


def pick(session: Session, x: float, y: float, aspect: float) -> str:
    """The name of the part at a point of the picture, "" for none; locked parts are passed over."""
    from gloamet.trace.first_hits import probe

    compiled, camera = session.loaded.compiled, camera_from_document(session.document)
    if compiled is None:
        return ""
    origin, ray = camera.origin(x, y, aspect), camera.ray(x, y, aspect)
    for _ in range(32):
        hit = probe(compiled, origin, ray)
        if hit is None or hit.part < 0:
            return ""
        name = str(compiled.scene.parts[hit.part].name)
        if name not in session.document.stage.locked:
            return name
        origin = hit.point + 1e-3 * ray
    return ""


def hit_at(session: Session, x: float, y: float, aspect: float) -> SurfacePoint | None:
    """The surface at a point of the picture, None for the sky."""
    from gloamet.trace.first_hits import probe

    camera, compiled = camera_from_document(session.document), session.loaded.compiled
    if compiled is None:
        return None
    return probe(compiled, camera.origin(x, y, aspect), camera.ray(x, y, aspect))


def point_at(session: Session, x: float, y: float, aspect: float) -> NDArray[np.float64] | None:
    """The world point at a point of the picture, None for the sky."""
    hit = hit_at(session, x, y, aspect)
    return None if hit is None else hit.point


def frame_parts(session: Session, names: set[str]) -> None:
    """Bring parts into view from where the camera looks now."""
    if session.loaded.scene is None:
        return
    parts = [part for part in session.loaded.scene.parts if part.name in names]
    low, high = bounds_of(parts) if parts else session.loaded.scene.subject_bounds()
    camera = camera_from_document(session.document)
    centre, radius = 0.5 * (low + high), 0.5 * float(np.linalg.norm(high - low))
    away = np.subtract(camera.eye, camera.target).astype(float)
    away /= max(float(np.linalg.norm(away)), 1e-9)
    eye = centre + away * 1.15 * max(radius, 0.05) / math.sin(math.radians(min(camera.fov_deg, 120.0)) / 2.0)
    eye[2] = max(eye[2], session.loaded.ground_m + 0.05)
    set_camera(session, Camera(_to_tuple(eye), _to_tuple(centre), camera.fov_deg))


def _to_tuple(point: NDArray[np.float64]) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in point)
    return x, y, z


# -- materials


def material_of(session: Session, part_name: str) -> Material | None:
    """The file's material of a part."""
    part = part_named(session, part_name)
    if part is None or session.loaded.scene is None:
        return None
    return session.loaded.scene.materials[part.material]


def edit_material(session: Session, name: str, key: str | None = None, **values: Any) -> None:
    """Correct a material; the file is never touched."""
    edits = dict(session.document.stage.materials)
    old = edits.get(name, MaterialEdit())
    edits[name] = MaterialEdit.model_validate({**old.model_dump(), **values})
    session.change("stage", key, materials=edits)


def reset_material(session: Session, name: str) -> None:
    """Back to what the file has."""
    edits = {key: edit for key, edit in session.document.stage.materials.items() if key != name}
    session.change("stage", materials=edits)


# -- props


def free_name(wanted: str, taken: set[str]) -> str:
    """The name, numbered when it is taken."""
    name, k = wanted, 2
    while name in taken:
        name, k = f"{wanted} {k}", k + 1
    return name


def add_prop(session: Session, kind: PropKind) -> int:
    """A new prop where the camera looks; returns its index."""
    props = session.document.stage.props
    lift = LIFT_M if kind in ("mirror ball", "grey ball", "grey card") else 0.0
    target = session.document.stage.view.target
    ground = surface_height(session, target[0], target[1], target[2] + 1.0)
    size = {"screen": (4.0, 5.0), "ridge": RIDGE_SIZE_M, "poles": POLES_SIZE_M}.get(kind, (8.0, 5.0))
    position, turn = (target[0], target[1], ground + lift), 0.0
    if kind in FLAGS:
        position, turn, size = _beside_subject(session)
    if kind in ("ridge", "poles"):
        eye = session.document.stage.view.eye
        east, north = target[0] - eye[0], target[1] - eye[1]
        turn = math.degrees(math.atan2(east, north))
        away = RIDGE_AWAY_M / max(math.hypot(east, north), 1e-6)
        if kind == "ridge":
            position = (eye[0] + away * east, eye[1] + away * north, session.loaded.ground_m)
    prop = Prop(
        name=free_name(kind, {p.name for p in props}),
        kind=kind,
        position=position,
        rotation_deg=turn,
        seed=len(props) + 1,
        height_m=size[0],
        extent_m=size[1],
        visible=kind not in FLAGS,
    )
    session.change("stage", props=(*props, prop))
    return len(props)


def _beside_subject(session: Session) -> tuple[tuple[float, float, float], float, tuple[float, float]]:
    """Place, turn and size (height, width) of a flag: on the shade side of what the camera looks at, facing it, where a
    white one throws the sun back into its shade."""
    view, light = session.document.stage.view, session.results.light
    away = FLAG_AWAY * math.dist(view.eye, view.target)
    azimuth = light.sun_azimuth_deg if light is not None else 0.0
    a = math.radians(azimuth)
    x, y = view.target[0] - away * math.sin(a), view.target[1] - away * math.cos(a)
    side = max(FLAG_LEAST_M, FLAG_SIZE * away)
    ground = surface_height(session, x, y, view.target[2] + 1.0)
    turn = (azimuth + 180.0) % 360.0 - 180.0
    return (x, y, ground), turn, (min(side, 40.0), min(side, 40.0))


def place_prop(session: Session, index: int, point: NDArray[np.float64], key: str | None = None) -> None:
    """Place a prop."""
    prop = session.document.stage.props[index]
    lift = LIFT_M if prop.kind in ("mirror ball", "grey ball", "grey card") else 0.0
    session.change(("stage", "props", index), key, position=_to_tuple(point + [0.0, 0.0, lift]))


def remove_prop(session: Session, index: int) -> None:
    """Remove a prop."""
    props = session.document.stage.props
    session.change("stage", props=props[:index] + props[index + 1 :])


# -- standing


def surface_height(session: Session, x: float, y: float, from_z: float) -> float:
    """Height of the surface under a place."""
    from gloamet.trace.camera_placement import surface_under

    return (
        session.loaded.ground_m
        if session.loaded.compiled is None
        else surface_under(session.loaded.compiled, x, y, from_z)
    )


def stand_at(session: Session, x: float, y: float, from_z: float, key: str | None = None) -> None:
    """Stand at a place of the plan at eye height, looking where the camera looked."""
    from gloamet.trace.camera_placement import place_eye

    if session.loaded.compiled is None:
        return
    camera = camera_from_document(session.document)
    eye = place_eye(session.loaded.compiled, x, y, from_z)
    ahead = np.subtract(camera.target, camera.eye).astype(float)
    set_camera(session, Camera(_to_tuple(eye), _to_tuple(eye + ahead), camera.fov_deg), key)


def look_at(session: Session, x: float, y: float, key: str | None = None) -> None:
    """Look towards a place of the plan, level with the eye."""
    camera = camera_from_document(session.document)
    if math.hypot(x - camera.eye[0], y - camera.eye[1]) > 0.01:
        set_camera(session, Camera(camera.eye, (x, y, camera.eye[2]), camera.fov_deg), key)


def stand_here(session: Session) -> None:
    """Move the eye to 1.6 m above the surface below it."""
    camera = camera_from_document(session.document)
    z = surface_height(session, camera.eye[0], camera.eye[1], camera.eye[2])
    lift = z + EYE_HEIGHT_M - camera.eye[2]
    eye = (camera.eye[0], camera.eye[1], z + EYE_HEIGHT_M)
    target = (camera.target[0], camera.target[1], camera.target[2] + lift)
    set_camera(session, Camera(eye, target, camera.fov_deg))


def level_horizon(session: Session) -> None:
    """Look straight ahead."""
    camera = camera_from_document(session.document)
    ahead = np.subtract(camera.target, camera.eye).astype(float)
    length, flat = float(np.linalg.norm(ahead)), math.hypot(ahead[0], ahead[1])
    if flat > 1e-6:
        ahead[2] = 0.0
        target = np.asarray(camera.eye) + ahead / flat * length
        set_camera(session, Camera(camera.eye, _to_tuple(target), camera.fov_deg))


def show_everything(session: Session) -> None:
    """A view over the whole model, its eye never inside anything."""
    from gloamet.trace.camera_placement import lift_out_of_surfaces

    if session.loaded.scene is None:
        return
    camera = look_over(*session.loaded.scene.subject_bounds())
    if session.loaded.compiled is not None:
        eye = lift_out_of_surfaces(session.loaded.compiled, np.asarray(camera.eye, float))
        camera = Camera(_to_tuple(eye), camera.target, camera.fov_deg)
    set_camera(session, camera)


# -- views


def keep_view(session: Session) -> None:
    """Keep the view shown now under a new name."""
    views = session.document.stage.views
    name = free_name("view", {named.name for named in views})
    session.change("stage", views=(*views, NamedView(name=name, view=session.document.stage.view)))


def look_through(session: Session, index: int) -> None:
    """Show a kept view, with its own exposure if it remembers one."""
    named = session.document.stage.views[index]
    stage = session.document.stage.model_copy(update={"view": named.view})
    document = session.document.model_copy(update={"stage": stage})
    if named.ev is not None:
        document = document.change("expose", metering="manual", ev=named.ev)
    session.commit(document)


def change_view(session: Session, index: int, **values: Any) -> None:
    """Change a kept view: its name, lock, camera or exposure."""
    session.change(("stage", "views", index), **values)


def retake_view(session: Session, index: int) -> None:
    """Put the camera of now under a kept name; a locked one stays."""
    if not session.document.stage.views[index].locked:
        change_view(session, index, view=session.document.stage.view)


def move_view(session: Session, index: int, by: int) -> None:
    """Move a kept view up or down the list."""
    views = list(session.document.stage.views)
    to = min(max(index + by, 0), len(views) - 1)
    views.insert(to, views.pop(index))
    session.change("stage", views=tuple(views))


def copy_view(session: Session, index: int) -> None:
    """A second view like this one, after it."""
    views = session.document.stage.views
    old = views[index]
    twin = old.model_copy(
        update={"name": free_name(old.name, {named.name for named in views}), "locked": False}
    )
    session.change("stage", views=(*views[: index + 1], twin, *views[index + 1 :]))


def drop_view(session: Session, index: int) -> None:
    """Forget a kept view; a locked one stays."""
    views = session.document.stage.views
    if not views[index].locked:
        session.change("stage", views=views[:index] + views[index + 1 :])


def current_view(session: Session) -> int:
    """Index of the kept view that is shown now, -1 for none."""
    view: CameraView = session.document.stage.view
    for index, named in enumerate(session.document.stage.views):
        if named.view == view:
            return index
    return -1
