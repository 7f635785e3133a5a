# SPDX-License-Identifier: Apache-2.0
"""Projects and looks of earlier versions of the file format, brought to the present one.

A tree as it was written enters, a tree of the present version leaves. Version 2 gave fields the names of their trade.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

FORMAT_VERSION = 2

# fields by their path in version 1, "*" for every item of a list or dictionary, and their last name in version 2
RENAMED_IN_2: dict[str, str] = {
    "shafts": "light_shafts",
    "sun.leader": "driver",
    "sun.leader_axis": "driver_axis",
    "sun.leader_s": "driver_time_s",
    "air.model": "sky_model",
    "air.haze_km": "haze_visibility_km",
    "air.aerial": "aerial_perspective",
    "air.aerial_km": "aerial_visibility_km",
    "air.aerial_begin_m": "aerial_start_m",
    "air.aerial_dims_sky": "aerial_on_sky",
    "sky.disc": "disc_brightness",
    "sky.backdrop_above": "backdrop_top_colour",
    "shafts.where": "region",
    "shafts.forward": "anisotropy",
    "shafts.low": "box_min",
    "shafts.high": "box_max",
    "panorama.turn_deg": "rotation_deg",
    "panorama.flip": "mirrored",
    "panorama.height_scale": "elevation_scale",
    "panorama.level_lx": "illuminance_lx",
    "panorama.level_by_sky": "illuminance_from_sky",
    "panorama.lights": "lights_scene",
    "panorama.reflected": "in_reflections",
    "panorama.behind": "as_background",
    "panorama.behind_file": "background_file",
    "panorama.locked": "locked_to_sun",
    "panorama.lifted": "sun_removed",
    "fill.sun_bounced_stops": "sun_indirect_stops",
    "fill.sky_bounced_stops": "sky_indirect_stops",
    "fill.lamps_bounced_stops": "lamps_indirect_stops",
    "fill.panorama_bounced_stops": "panorama_indirect_stops",
    "fill.contact": "contact_shadow",
    "fill.wanted": "dismissed",
    "expose.clipped": "allowed_clipping",
    "expose.follows": "dependent_setting",
    "expose.glare.veil": "veiling_glare",
    "expose.glare.glow_from": "glow_threshold",
    "expose.glare.star": "starburst",
    "expose.glare.star_turn_deg": "starburst_rotation_deg",
    "expose.tone.local_size": "local_radius",
    "expose.colour.shade_tone": "shadow_tone",
    "expose.colour.shade_toning": "shadow_toning",
    "expose.colour.light_tone": "highlight_tone",
    "expose.colour.light_toning": "highlight_toning",
    "expose.masks.*.turn_deg": "rotation_deg",
    "stage.model": "scene_file",
    "stage.turn_deg": "rotation_deg",
    "stage.drop": "drop_to_ground",
    "stage.outside": "outside_files",
    "stage.view.level": "keep_verticals",
    "stage.views.*.view.level": "keep_verticals",
    "stage.materials.*.translucency": "diffuse_transmission",
    "stage.materials.*.cutout": "alpha_cutoff",
    "stage.plaster.ink": "contours",
    "stage.plaster.ink_px": "contour_px",
    "stage.props.*.place": "position",
    "stage.props.*.turn_deg": "rotation_deg",
    "stage.props.*.crown_m": "extent_m",
    "stage.props.*.casts": "casts_shadow",
    "output.denoise_desk": "denoise_viewport",
    "aim.pins.*.spot": "frame_position",
    "aim.measured": "measured_part",
    "aim.side": "face_direction",
    "aim.near": "face_point",
    "sequence.begin": "start",
}
# words of fields that changed, by the field's path in version 1
REWORDED_IN_2: dict[str, dict[str, str]] = {
    "sun.mode": {"hand": "manual", "follow": "driver"},
    "stage.quality": {"steady": "standard"},
    "sun.leader_axis": {"shines": "along", "points": "opposite"},
}


def _walk(tree: Any, path: tuple[str, ...], change: Callable[[tuple[str, ...], Any], tuple[str, Any]]) -> Any:
    """A copy of a tree in which every field has the name and value that `change` gives it by its path."""
    if isinstance(tree, dict):
        out = {}
        for key, value in tree.items():
            here = (*path, key)
            name, value = change(here, value)
            out[name] = _walk(value, here, change)
        return out
    if isinstance(tree, list):
        return [_walk(item, (*path, "*"), change) for item in tree]
    return tree


def _pattern(path: tuple[str, ...]) -> str:
    """A path as the tables write it: names that an artist gave are stars."""
    if path[:2] in (("stage", "materials"), ("stage", "lamps")) and len(path) > 2:
        path = (*path[:2], "*", *path[3:])
    return ".".join(path)


def _to_2(path: tuple[str, ...], value: Any) -> tuple[str, Any]:
    pattern = _pattern(path)
    if isinstance(value, str):
        value = REWORDED_IN_2.get(pattern, {}).get(value, value)
    return RENAMED_IN_2.get(pattern, path[-1]), value


def _early_exposure(tree: dict[str, Any]) -> dict[str, Any]:
    """The first projects of version 1 told of the exposure only whether it was automatic, and called the warmth that is
    kept otherwise."""
    expose = tree.get("expose")
    if not isinstance(expose, dict):
        return tree
    expose = dict(expose)
    if "automatic" in expose and "metering" not in expose:
        expose["metering"] = "scene" if expose.pop("automatic") else "manual"
    if "kept" in expose:
        expose["warmth_kept"] = expose.pop("kept")
    return {**tree, "expose": expose}


def of_present_version(tree: dict[str, Any]) -> dict[str, Any]:
    """A project's tree in the present version of the file format.

    Parameters
    ----------
    tree : dict
        A project as it was written, of version 1 or 2; its "version" says which.

    Returns
    -------
    dict
        The same project in version 2. What is not a field of version 1 stays as it is, for the document to refuse.
    """
    if tree.get("version") != 1:
        return tree
    changed: dict[str, Any] = _walk(_early_exposure(tree), (), _to_2)
    return {**changed, "version": FORMAT_VERSION}


def _present_fields(fields: dict[str, Any]) -> dict[str, Any]:
    """Values by dotted path, with the names and values of version 2."""
    out = {}
    for dotted, value in fields.items():
        path = tuple(dotted.split("."))
        _name, value = _to_2(path, value)
        outer = [_to_2(path[: k + 1], None)[0] for k in range(len(path))]
        out[".".join(outer)] = value
    return out


def present_look(tree: dict[str, Any]) -> dict[str, Any]:
    """A look's tree with the present names.

    Parameters
    ----------
    tree : dict
        A look as it was written; looks carry no version, early ones have "words" and a sun by "height_deg".

    Returns
    -------
    dict
        The same look as it would be written today.
    """
    tree = dict(tree)
    if "words" in tree:
        tree["description"] = tree.pop("words")
    if isinstance(tree.get("sun"), dict) and "height_deg" in tree["sun"]:
        sun = dict(tree["sun"])
        tree["sun"] = {"elevation_deg": sun.pop("height_deg"), **sun}
    if isinstance(tree.get("fields"), dict):
        tree["fields"] = _present_fields(tree["fields"])
    return tree
