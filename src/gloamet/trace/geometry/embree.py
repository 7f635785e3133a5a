# SPDX-License-Identifier: Apache-2.0
"""Embree through ctypes: the library of the `embreex` wheel, scenes built from flat arrays.

Vertices (V, 3) float32 and triangles (T, 3) uint32 enter; a scene handle for the kernels leaves. Triangles
come in RAY_CLASSES classes, one geometry each, whose mask bit is 1 << class: OPAQUE or TRANSMISSIVE (glass, and
leaves with alpha), plus CAMERA_INVISIBLE or NO_SHADOW. Rays have a mask of classes. Instances follow as geometries
RAY_CLASSES, RAY_CLASSES + 1, ...
"""

from __future__ import annotations

import ctypes
import importlib.util
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gloamet.errors import GloametError

HAS_VERTEX_NORMALS, HAS_VERTEX_COLOUR = 1, 2  # flags of triangles: with vertex normals, with vertex colours
OPAQUE, TRANSMISSIVE = 0, 1
CAMERA_INVISIBLE, NO_SHADOW = 2, 4  # added to the above
RAY_CLASSES = 6
SPARE_VERTICES = 1  # Embree reads 16 bytes at the last vertex
CAMERA_MASK = 0b110011  # all but CAMERA_INVISIBLE
PATH_MASK = 0b001111  # all but NO_SHADOW
OPAQUE_MASK, TRANSMISSIVE_MASK = 0b000101, 0b001010  # of PATH_MASK
_TRIANGLE, _INSTANCE, _INDEX, _VERTEX = 0, 121, 0, 1
_UINT3, _FLOAT3, _FLOAT3X4_ROWS = 0x5003, 0x9003, 0x9134
_POINTER = ctypes.c_void_p
_SIGNATURES: dict[str, tuple[Any, list[Any]]] = {
    "rtcNewDevice": (_POINTER, [ctypes.c_char_p]),
    "rtcGetDeviceError": (ctypes.c_int, [_POINTER]),
    "rtcNewScene": (_POINTER, [_POINTER]),
    "rtcReleaseScene": (None, [_POINTER]),
    "rtcSetSceneBuildQuality": (None, [_POINTER, ctypes.c_int]),
    "rtcCommitScene": (None, [_POINTER]),
    "rtcNewGeometry": (_POINTER, [_POINTER, ctypes.c_int]),
    "rtcReleaseGeometry": (None, [_POINTER]),
    "rtcSetGeometryMask": (None, [_POINTER, ctypes.c_uint]),
    "rtcCommitGeometry": (None, [_POINTER]),
    "rtcAttachGeometryByID": (None, [_POINTER, _POINTER, ctypes.c_uint]),
    "rtcSetSharedGeometryBuffer": (
        None,
        [_POINTER, ctypes.c_int, ctypes.c_uint, ctypes.c_int, _POINTER]
        + [ctypes.c_size_t, ctypes.c_size_t, ctypes.c_size_t],
    ),
    "rtcSetGeometryInstancedScene": (None, [_POINTER, _POINTER]),
    "rtcSetGeometryTransform": (None, [_POINTER, ctypes.c_uint, ctypes.c_int, _POINTER]),
    "rtcIntersect1": (None, [_POINTER, _POINTER, _POINTER]),
    "rtcOccluded1": (None, [_POINTER, _POINTER, _POINTER]),
    "rtcOccluded8": (None, [_POINTER, _POINTER, _POINTER, _POINTER]),
}
_MEDIUM_QUALITY = 1  # robust mode and spatial splits together took a fifth of the paths a second


@dataclass(frozen=True)
class _Library:
    handle: ctypes.CDLL
    path: str
    device: int


def library_path() -> str:
    """The Embree library inside the installed `embreex` wheel."""
    spec = importlib.util.find_spec("embreex")
    folders = spec.submodule_search_locations if spec else None
    if not folders:
        raise GloametError("The package embreex is not installed: run ./run demo once to set everything up.")
    found = sorted(Path(folders[0]).parent.glob("embreex.libs/libembree4*.so*"))
    if not found:
        raise GloametError(
            "The installed embreex wheel holds no Embree 4 library: install embreex 4.4 or newer."
        )
    return str(found[0])


@lru_cache(maxsize=1)
def library() -> _Library:
    """The loaded library with every symbol checked: a missing one would crash much later."""
    path = library_path()
    handle = ctypes.CDLL(path)
    for name, (result, arguments) in _SIGNATURES.items():
        function = getattr(handle, name, None)
        if function is None:
            raise GloametError(f"The installed Embree lacks {name}: install embreex 4.4 or newer.")
        function.restype, function.argtypes = result, arguments
    device = handle.rtcNewDevice(b"")
    if not device:
        raise GloametError("Embree does not run on this processor: it needs at least SSE2.")
    return _Library(handle, path, device)


@dataclass(frozen=True, eq=False)
class Instance:
    """Places of one shape: triangles (T, 3), matrices (N, 3, 4) float32, and the class of its surface."""

    triangles: NDArray[np.uint32]
    matrices: NDArray[np.float32]
    surface: int


class RayScene:
    """A built acceleration structure; `handle` goes to the kernels, the arrays stay alive with it.

    vertices (V + SPARE_VERTICES, 3) float32 end with unused rows; classes are RAY_CLASSES arrays of triangles (T, 3).
    """

    def __init__(
        self,
        vertices: NDArray[np.float32],
        classes: list[NDArray[np.uint32]],
        instances: list[Instance] | None = None,
    ) -> None:
        self._lib = library().handle
        self._device = library().device
        self.vertices = vertices
        self._kept: list[Any] = []
        self._scenes: list[int] = []
        self.handle: np.uint64 | None = None
        scene = self._new_scene()
        for surface, triangles in enumerate(classes):
            if len(triangles):
                self._attach(scene, surface, surface, triangles)
        geometry_id = RAY_CLASSES
        for instance in instances or []:
            inner = self._new_scene()
            self._attach(inner, 0, instance.surface, instance.triangles)
            self._lib.rtcCommitScene(inner)
            for matrix in instance.matrices:
                self._place(scene, geometry_id, instance.surface, inner, matrix)
                geometry_id += 1
        self._lib.rtcCommitScene(scene)
        error = self._lib.rtcGetDeviceError(self._device)
        if error:
            raise GloametError(
                f"The scene could not be prepared for rays (Embree error {error}): is memory full?"
            )
        self.handle = np.uint64(scene)

    def _new_scene(self) -> int:
        scene: int = self._lib.rtcNewScene(self._device)
        self._lib.rtcSetSceneBuildQuality(scene, _MEDIUM_QUALITY)
        self._scenes.append(scene)
        return scene

    def _attach(self, scene: int, geometry_id: int, surface: int, triangles: NDArray[np.uint32]) -> None:
        lib = self._lib
        triangles = np.ascontiguousarray(triangles, np.uint32)
        self._kept.append(triangles)
        geometry = lib.rtcNewGeometry(self._device, _TRIANGLE)
        lib.rtcSetSharedGeometryBuffer(
            geometry, _INDEX, 0, _UINT3, triangles.ctypes.data, 0, 12, len(triangles)
        )
        lib.rtcSetSharedGeometryBuffer(
            geometry,
            _VERTEX,
            0,
            _FLOAT3,
            self.vertices.ctypes.data,
            0,
            12,
            len(self.vertices) - SPARE_VERTICES,
        )
        lib.rtcSetGeometryMask(geometry, 1 << surface)
        lib.rtcCommitGeometry(geometry)
        lib.rtcAttachGeometryByID(scene, geometry, geometry_id)
        lib.rtcReleaseGeometry(geometry)

    def _place(
        self, scene: int, geometry_id: int, surface: int, inner: int, matrix: NDArray[np.float32]
    ) -> None:
        lib = self._lib
        rows = np.ascontiguousarray(matrix, np.float32)
        geometry = lib.rtcNewGeometry(self._device, _INSTANCE)
        lib.rtcSetGeometryInstancedScene(geometry, inner)
        lib.rtcSetGeometryTransform(geometry, 0, _FLOAT3X4_ROWS, rows.ctypes.data)
        lib.rtcSetGeometryMask(geometry, 1 << surface)
        lib.rtcCommitGeometry(geometry)
        lib.rtcAttachGeometryByID(scene, geometry, geometry_id)
        lib.rtcReleaseGeometry(geometry)

    def __del__(self) -> None:
        for scene in getattr(self, "_scenes", []):
            self._lib.rtcReleaseScene(scene)
