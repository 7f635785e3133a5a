"""Embree through ctypes: the library of the `embreex` wheel, scenes built from flat arrays.

Vertices (V, 3) float32 and triangles (T, 3) uint32 enter; a scene handle for the kernels leaves. Two
geometries at most: 0 opaque (mask 1), 1 glass (mask 2), so that shadow rays can ask for either.
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

OPAQUE_MASK, GLASS_MASK, ANY_MASK = 1, 2, -1
_TRIANGLE, _INDEX, _VERTEX = 0, 0, 1
_UINT3, _FLOAT3 = 0x5003, 0x9003
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
    "rtcIntersect1": (None, [_POINTER, _POINTER, _POINTER]),
    "rtcOccluded1": (None, [_POINTER, _POINTER, _POINTER]),
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


class RayScene:
    """A built acceleration structure; `handle` goes to the kernels, the arrays stay alive with it."""

    def __init__(
        self, vertices: NDArray[np.float32], opaque: NDArray[np.uint32], glass: NDArray[np.uint32]
    ) -> None:
        self._lib = library().handle
        device = library().device
        # Embree reads 16 bytes at the last vertex
        self._vertices = np.zeros((len(vertices) + 1, 3), np.float32)
        self._vertices[:-1] = vertices
        self._triangles = [np.ascontiguousarray(t, np.uint32) for t in (opaque, glass)]
        scene = self._lib.rtcNewScene(device)
        self._lib.rtcSetSceneBuildQuality(scene, _MEDIUM_QUALITY)
        for geometry_id, triangles in enumerate(self._triangles):
            if len(triangles):
                self._attach(device, scene, geometry_id, triangles)
        self._lib.rtcCommitScene(scene)
        error = self._lib.rtcGetDeviceError(device)
        if error:
            self._lib.rtcReleaseScene(scene)
            raise GloametError(
                f"The scene could not be prepared for rays (Embree error {error}): is memory full?"
            )
        self.handle = np.uint64(scene)

    def _attach(self, device: int, scene: int, geometry_id: int, triangles: NDArray[np.uint32]) -> None:
        lib, vertices = self._lib, self._vertices
        geometry = lib.rtcNewGeometry(device, _TRIANGLE)
        lib.rtcSetSharedGeometryBuffer(
            geometry, _INDEX, 0, _UINT3, triangles.ctypes.data, 0, 12, len(triangles)
        )
        lib.rtcSetSharedGeometryBuffer(
            geometry, _VERTEX, 0, _FLOAT3, vertices.ctypes.data, 0, 12, len(vertices) - 1
        )
        lib.rtcSetGeometryMask(geometry, OPAQUE_MASK if geometry_id == 0 else GLASS_MASK)
        lib.rtcCommitGeometry(geometry)
        lib.rtcAttachGeometryByID(scene, geometry, geometry_id)
        lib.rtcReleaseGeometry(geometry)

    def __del__(self) -> None:
        handle = getattr(self, "handle", None)
        if handle is not None:
            self._lib.rtcReleaseScene(int(handle))
