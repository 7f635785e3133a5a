# SPDX-License-Identifier: Apache-2.0
"""Actions of Expose in the picture: placing the spot meter, picking grey, creating masks."""

from __future__ import annotations

import numpy as np

from gloamet.colour.spaces import AP1_TO_XYZ
from gloamet.colour.temperature import balance_on
from gloamet.desk.actions import stage_actions
from gloamet.desk.state.session import Session
from gloamet.develop.colour_table import apply_table
from gloamet.document.expose import MaskState
from gloamet.errors import GloametError

SPOT, GREY, TARGET = "exposure spot", "grey", "mask target"  # tools
CLICK_TOOLS = (SPOT, GREY, TARGET)
GREY_RADIUS = 0.006  # of the picture's height: the patch that is made grey
MOST_MASKS = 16


def click(session: Session, tool: str, x: float, y: float, aspect: float) -> None:
    """What one of CLICK_TOOLS does at fractions of the picture."""
    if tool == SPOT:
        session.change("expose", metering="spot", spot_x=round(x, 3), spot_y=round(y, 3))
    elif tool == GREY:
        _make_grey(session, x, y)
    else:
        _take_target(session, x, y, aspect)


def use_table(session: Session, name: str) -> bool:
    """Apply a look-up table of a file to the finished colours, if it can be read; whether it can."""
    try:
        apply_table(np.full((1, 3), 0.5, np.float32), name)
    except GloametError as error:
        session.noticed.emit(str(error), "warning")
        return False
    session.change("expose.colour", None, table=name)
    return True


def lock_exposure(session: Session, on: bool) -> None:
    """Keep the present exposure as a manual one, or return to the metering before."""
    frame, expose = session.results.frame, session.document.expose
    if on and expose.automatic and frame is not None:
        session.change("expose", metering="manual", ev=round(frame.ev, 2))
    elif not on and not expose.automatic:
        session.change("expose", metering=session.state.automatic_metering)


def _make_grey(session: Session, x: float, y: float) -> None:
    """Balance on the light of a patch: its colour becomes neutral."""
    light = session.results.frame.light if session.results.frame is not None else None
    if light is None:
        return
    height, width = light.shape[:2]
    r = max(1, round(GREY_RADIUS * height))
    i, j = int(y * height), int(x * width)
    patch = light[max(0, i - r) : i + r + 1, max(0, j - r) : j + r + 1].reshape(-1, 3).astype(float)
    xyz = AP1_TO_XYZ @ np.nan_to_num(patch).mean(0)
    kelvin, tint = balance_on(xyz)
    if not (2000.0 <= kelvin <= 15000.0 and abs(tint) <= 30.0):
        session.noticed.emit(
            "That is too saturated to be neutral: click on something closer to grey.", "warning"
        )
        return
    session.change("expose", balance=True, kelvin=round(kelvin), tint=round(tint, 1), warmth_kept=0.0)


def _take_target(session: Session, x: float, y: float, aspect: float) -> None:
    """The part, or its material, under the click becomes what the mask covers."""
    mask = current_mask(session)
    name = stage_actions.pick(session, x, y, aspect)
    part = stage_actions.part_named(session, name) if name else None
    if mask is None or part is None or session.loaded.scene is None:
        session.noticed.emit("There is no part at that point: click on the model.", "note")
        return
    target = part.name if mask.kind == "part" else session.loaded.scene.materials[part.material].name
    change_mask(session, target=target)


def current_mask(session: Session) -> MaskState | None:
    """The mask that is worked on."""
    masks, index = session.document.expose.masks, session.state.mask
    return masks[index] if 0 <= index < len(masks) else None


def change_mask(session: Session, key: str | None = None, **values: object) -> None:
    """Replace fields of the mask that is worked on."""
    session.change(("expose", "masks", session.state.mask), key, **values)


def add_mask(session: Session, kind: str) -> None:
    """A new mask of a kind, which is then worked on."""
    masks = session.document.expose.masks
    if len(masks) >= MOST_MASKS:
        session.noticed.emit(f"There are {MOST_MASKS} masks already: remove one first.", "note")
        return
    part = stage_actions.part_named(session, session.state.selection) if session.state.selection else None
    target = ""
    if part is not None and session.loaded.scene is not None:
        target = {"part": part.name, "material": session.loaded.scene.materials[part.material].name}.get(
            kind, ""
        )
    names = {mask.name for mask in masks}
    name = next(n for n in (kind, *(f"{kind} {k}" for k in range(2, 99))) if n not in names)
    new = MaskState.model_validate({"name": name, "kind": kind, "target": target})
    session.state.mask = len(masks)
    session.change("expose", None, masks=(*masks, new))


def remove_mask(session: Session, index: int) -> None:
    """Take a mask away."""
    masks = session.document.expose.masks
    session.state.mask = min(session.state.mask, len(masks) - 2)
    session.change("expose", None, masks=masks[:index] + masks[index + 1 :])
