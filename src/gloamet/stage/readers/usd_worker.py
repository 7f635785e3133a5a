# SPDX-License-Identifier: Apache-2.0
"""The process behind `usd`: walks a USD stage with the USD libraries and writes plain rows and arrays.

It runs in a process of its own (see `apart`), since those libraries may crash on damaged files. Arrays are
named s0.points, s0.triangles and so on for shapes and t0 for the bytes of pictures; everything else is JSON.
"""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Ar, Gf, Sdf, Tf, Usd, UsdGeom, UsdLux, UsdShade

from gloamet.errors import GloametError
from gloamet.stage.readers import usd_shapes as shapes

MAX_SAMPLES = 10_000
MOST_EMPTIES = 200
MAX_PARTS = 1_000_000
Row = dict[str, Any]


def _matrix(value: Any) -> list[list[float]]:
    return np.asarray(value, float).T.tolist()


class _Walk:
    def __init__(self, stage: Any, path: Path, outside: bool) -> None:
        self.stage, self.path, self.outside = stage, path, outside
        self.time = Usd.TimeCode.EarliestTime()
        self.cache = UsdGeom.XformCache(self.time)
        self.arrays: dict[str, NDArray] = {}
        self.rows: Row = {
            "metres": float(UsdGeom.GetStageMetersPerUnit(stage)),
            "metres_said": bool(stage.HasAuthoredMetadata("metersPerUnit")),
            "up": str(UsdGeom.GetStageUpAxis(stage)).lower(),
            "up_said": bool(stage.HasAuthoredMetadata("upAxis")),
            "parts": [],
            "materials": [],
            "pictures": [],
            "views": [],
            "lamps": [],
            "motions": [],
            "empties": [],
            "notes": [],
        }
        self._shape_of: dict[Any, list[tuple[int, int]]] = {}
        self._material_of: dict[str, int] = {}
        self._picture_of: dict[str, int] = {}
        self.shape_count = 0
        self.material({"name": "unnamed"}, "")

    def note(self, text: str) -> None:
        """Say something once."""
        if text not in self.rows["notes"]:
            self.rows["notes"].append(text)

    def material(self, row: Row, key: str) -> int:
        """Keep a material under its path; its number."""
        self._material_of[key] = len(self.rows["materials"])
        self.rows["materials"].append(row)
        return self._material_of[key]

    def run(self) -> None:
        """Read every prim that can be seen."""
        for prim in Usd.PrimRange(self.stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
            if prim.IsA(UsdGeom.Imageable):
                if UsdGeom.Imageable(prim).ComputeVisibility(self.time) == UsdGeom.Tokens.invisible:
                    continue
                if str(UsdGeom.Imageable(prim).ComputePurpose()) in ("guide", "proxy"):
                    continue
            if self._inside_instancer(prim):
                continue
            self._prim(prim)

    @staticmethod
    def _inside_instancer(prim: Any) -> bool:
        while prim and not prim.IsPseudoRoot():
            prim = prim.GetParent()
            if prim and prim.IsA(UsdGeom.PointInstancer):
                return True
        return False

    def _prim(self, prim: Any) -> None:
        if prim.IsA(UsdGeom.PointInstancer):
            self._instancer(prim)
        elif prim.IsA(UsdGeom.Gprim):
            self._place(prim, self.cache.GetLocalToWorldTransform(prim))
        elif prim.IsA(UsdGeom.Camera):
            self._camera(prim)
        elif prim.HasAPI(UsdLux.LightAPI):
            self._light(prim)
        elif (
            prim.GetTypeName() == "Xform"
            and not prim.GetChildren()
            and len(self.rows["empties"]) < MOST_EMPTIES
        ):
            matrix = _matrix(self.cache.GetLocalToWorldTransform(prim))
            self.rows["empties"].append({"name": prim.GetName(), "matrix": matrix})
            self._motion(prim, None)

    # -- shapes

    def shapes(self, prim: Any) -> list[tuple[int, int]]:
        """Shape and material numbers of a mesh, one for each material; instances share them."""
        source = prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim
        key = (
            str(source.GetPath()),
            str(UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0].GetPath()),
        )
        if key not in self._shape_of:
            self._shape_of[key] = self._new_shapes(prim)
        return self._shape_of[key]

    def _new_shapes(self, prim: Any) -> list[tuple[int, int]]:
        made = (
            shapes.mesh(prim, self.time, self.note)
            if prim.IsA(UsdGeom.Mesh)
            else shapes.solid(prim, self.note)
        )
        if made is None:
            return []
        rest = np.ones(made.face_count, bool)
        out = []
        if prim.IsA(UsdGeom.Mesh):
            for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
                faces = np.asarray(subset.GetIndicesAttr().Get(self.time) or [], np.int64)
                faces = faces[(faces >= 0) & (faces < made.face_count)]
                chosen = np.zeros(made.face_count, bool)
                chosen[faces] = True
                rest &= ~chosen
                out.append((chosen, self._bound(subset.GetPrim())))
        out.append((rest, self._bound(prim)))
        found = []
        for chosen, material in out:
            triangles = made.triangles[chosen[made.face_of]]
            if len(triangles):
                name = f"s{self.shape_count}"
                self.shape_count += 1
                self.arrays[f"{name}.triangles"] = triangles.astype(np.uint32)
                for attribute, values in made.columns.items():
                    self.arrays[f"{name}.{attribute}"] = values
                found.append((self.shape_count - 1, material))
        return found

    def _place(self, prim: Any, world: Any, name: str = "") -> None:
        if len(self.rows["parts"]) > MAX_PARTS:
            raise GloametError(f"{self.path.name} places more than {MAX_PARTS} parts: split it.")
        group = [str(p.name) for p in prim.GetPath().GetParentPath().GetPrefixes()]
        for shape, material in self.shapes(prim):
            row = {"name": name or prim.GetName(), "group": group, "shape": shape, "material": material}
            self.rows["parts"].append({**row, "matrix": _matrix(world)})

    def _instancer(self, prim: Any) -> None:
        instancer = UsdGeom.PointInstancer(prim)
        indices = instancer.GetProtoIndicesAttr().Get(self.time)
        targets = instancer.GetPrototypesRel().GetForwardedTargets()
        transforms = instancer.ComputeInstanceTransformsAtTime(self.time, self.time)
        if not indices or not transforms or len(transforms) != len(indices):
            self.note(f"{prim.GetName()} places nothing that can be read.")
            return
        world = self.cache.GetLocalToWorldTransform(prim)
        for index, transform in zip(indices, transforms, strict=True):
            if 0 <= index < len(targets):
                root = self.stage.GetPrimAtPath(targets[index])
                inverse = self.cache.GetLocalToWorldTransform(root).GetInverse()
                for inner in Usd.PrimRange(root, Usd.TraverseInstanceProxies()):
                    if inner.IsA(UsdGeom.Gprim):
                        local = self.cache.GetLocalToWorldTransform(inner) * inverse
                        moved = local * transform * world if inner != root else transform * world
                        self._place(inner, moved, prim.GetName())

    # -- materials

    def _bound(self, prim: Any) -> int:
        material = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        key = str(material.GetPath()) if material else ""
        if key in self._material_of:
            return self._material_of[key]
        shader = material.ComputeSurfaceSource()[0] if material else None
        row: Row = {"name": material.GetPrim().GetName()}
        if not shader or shader.GetIdAttr().Get() != "UsdPreviewSurface":
            self.note(f"Material {row['name']} is not of the kind that is read: it is plain grey.")
            return self.material(row, key)
        for name in (
            "diffuseColor",
            "roughness",
            "metallic",
            "opacity",
            "opacityThreshold",
            "ior",
            "emissiveColor",
            "clearcoat",
            "clearcoatRoughness",
            "normal",
        ):
            given = shader.GetInput(name)
            if given:
                self._input(row, name, given)
        return self.material(row, key)

    def _input(self, row: Row, name: str, given: Any) -> None:
        source = given.GetConnectedSources()[0] if given.HasConnectedSource() else []
        if not source:
            value = given.Get(self.time)
            if value is not None:
                row[name] = [float(v) for v in value] if hasattr(value, "__len__") else float(value)
            return
        shader = UsdShade.Shader(source[0].source.GetPrim())
        if shader.GetIdAttr().Get() != "UsdUVTexture":
            self.note(f"Material {row['name']}: {name} comes from a node that is not read.")
            return
        file = shader.GetInput("file")
        asset = file.Get(self.time) if file else None
        if isinstance(asset, Sdf.AssetPath):
            row[f"{name}.picture"] = self._picture(asset)
            row[f"{name}.output"] = str(source[0].sourceName)
        scale = shader.GetInput("scale")
        if scale and name == "diffuseColor" and scale.Get():
            row["diffuseColor"] = [float(v) for v in scale.Get()][:3]

    def _picture(self, asset: Any) -> int:
        key = asset.resolvedPath or asset.path
        if key not in self._picture_of:
            self._picture_of[key] = index = len(self.rows["pictures"])
            self.rows["pictures"].append(Path(asset.path).name)
            data = b""
            if asset.resolvedPath and self._allowed(asset.resolvedPath):
                opened = Ar.GetResolver().OpenAsset(Ar.ResolvedPath(asset.resolvedPath))
                data = bytes(opened.GetBuffer()) if opened else b""
            self.arrays[f"t{index}"] = np.frombuffer(data, np.uint8)
        return self._picture_of[key]

    def _allowed(self, name: str) -> bool:
        """Whether a file may be read: beside the model, inside its package, or the artist said so."""
        plain = Path(name.split("[")[0]).resolve()
        if self.outside or plain.is_relative_to(self.path.parent.resolve()):
            return True
        self.note(f"{plain.name} lies outside the model’s folder: allow that on the import sheet.")
        return False

    # -- cameras and lights

    def _camera(self, prim: Any) -> None:
        lens = UsdGeom.Camera(prim).GetCamera(self.time)
        if lens.projection != Gf.Camera.Perspective or lens.focalLength <= 0:
            self.note(f"The camera {prim.GetName()} has no perspective and is left out.")
            return
        fov = 2.0 * math.degrees(math.atan(0.5 * lens.verticalAperture / lens.focalLength))
        matrix = _matrix(self.cache.GetLocalToWorldTransform(prim))
        self.rows["views"].append({"name": prim.GetName(), "matrix": matrix, "fov": fov})
        self._motion(prim, fov)

    def _motion(self, prim: Any, fov: float | None) -> None:
        times: set[float] = set()
        above = prim
        while above and not above.IsPseudoRoot():
            if above.IsA(UsdGeom.Xformable):
                times |= set(UsdGeom.Xformable(above).GetTimeSamples())
            above = above.GetParent()
        if len(times) < 2 or len(times) > MAX_SAMPLES:
            return
        rate, poses = float(self.stage.GetTimeCodesPerSecond()) or 24.0, []
        for time in sorted(times):
            world = UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(Usd.TimeCode(time))
            poses.append(_matrix(world))
        row = {"name": prim.GetName(), "times": [t / rate for t in sorted(times)], "matrices": poses}
        self.rows["motions"].append({**row, "fov": fov})

    def _light(self, prim: Any) -> None:
        light = UsdLux.LightAPI(prim)

        def value(attribute: Any, default: float) -> float:
            found = attribute.Get(self.time)
            return default if found is None else float(found)

        power = value(light.GetIntensityAttr(), 1.0) * 2.0 ** value(light.GetExposureAttr(), 0.0)
        colour = light.GetColorAttr().Get(self.time)
        row: Row = {
            "name": prim.GetName(),
            "kind": str(prim.GetTypeName()),
            "power": power,
            "colour": [float(v) for v in colour] if colour is not None else [1.0, 1.0, 1.0],
            "normalize": bool(light.GetNormalizeAttr().Get(self.time)),
            "matrix": _matrix(self.cache.GetLocalToWorldTransform(prim)),
        }
        if prim.IsA(UsdLux.SphereLight):
            row["radius"] = value(UsdLux.SphereLight(prim).GetRadiusAttr(), 0.5)
        elif prim.IsA(UsdLux.RectLight):
            row["width"] = value(UsdLux.RectLight(prim).GetWidthAttr(), 1.0)
            row["height"] = value(UsdLux.RectLight(prim).GetHeightAttr(), 1.0)
        elif not (prim.IsA(UsdLux.DistantLight) or prim.IsA(UsdLux.DomeLight)):
            self.note(f"The light {prim.GetName()} is of a kind that is left out.")
            return
        self.rows["lamps"].append(row)
        self._motion(prim, None)


def dump(path: Path, outside: bool, target: Path) -> None:
    """Write the rows and arrays of a USD file. Raises GloametError with one sentence."""
    try:
        stage = Usd.Stage.Open(str(path))
    except Tf.ErrorException:
        stage = None
    if not stage:
        raise GloametError(f"{path.name} is damaged or no USD: export it again.")
    walk = _Walk(stage, path, outside)
    for layer in stage.GetUsedLayers():
        if layer.realPath and not walk._allowed(layer.realPath):
            raise GloametError(
                f"{path.name} points outside its own folder ({Path(layer.realPath).name}): allow that on the "
                "import sheet, or export it whole."
            )
    walk.run()
    np.savez(target, **walk.arrays)  # type: ignore[arg-type]
    target.with_suffix(".json").write_text(json.dumps(walk.rows))
