# SPDX-License-Identifier: Apache-2.0
"""Embree's ray queries as Numba intrinsics, so that kernels call them at C speed.

A ray is origin, direction, its near and far end and a geometry mask, all float32; the scene is the uint64
handle of a RayScene. Each call keeps a 64-byte-aligned RTCRayHit of 24 words on the stack: words 0-11 the
ray (origin, near, direction, time, far, mask, id, flags), 12-14 the geometric normal, 15-16 u and v,
17 primitive, 18 geometry, 19 instance. Eight rays at once lie in a row of PACKET_WORDS float32 that is aligned to
64 bytes: the words of a ray one after another, each for eight rays, then eight integers that are -1 for a ray
that counts and 0 for one that does not.
"""

from __future__ import annotations

from typing import Any

import llvmlite.binding as llvm
import numpy as np
from llvmlite import ir
from numba import njit
from numba.core import cgutils, types
from numba.extending import intrinsic

from gloamet.jit import INLINE_KERNEL_OPTIONS, F
from gloamet.trace.geometry.embree import library
from gloamet.trace.geometry.records import Hit

llvm.load_library_permanently(library().path)

_F32, _I32, _I64 = ir.FloatType(), ir.IntType(32), ir.IntType(64)
_BYTES = ir.IntType(8).as_pointer()
_WORDS, _NEAR, _DIRECTION, _TIME, _FAR, _MASK = 24, 3, 4, 7, 8, 9


def _word(builder: Any, slot: Any, index: int, kind: Any) -> Any:
    element = builder.gep(slot, [_I32(0), _I32(index)])
    return builder.bitcast(element, kind.as_pointer())


def _query(builder: Any, args: Any, name: str) -> Any:
    """Store the ray of the arguments in a stack slot, call Embree, return the slot."""
    scene, origin, direction, near, far, mask = args
    slot = cgutils.alloca_once(builder, ir.ArrayType(_I32, _WORDS))
    slot.align = 64
    for axis in range(3):
        builder.store(builder.extract_value(origin, axis), _word(builder, slot, axis, _F32))
        builder.store(builder.extract_value(direction, axis), _word(builder, slot, _DIRECTION + axis, _F32))
    for index, value in ((_NEAR, near), (_TIME, _F32(0)), (_FAR, far)):
        builder.store(value, _word(builder, slot, index, _F32))
    builder.store(mask, _word(builder, slot, _MASK, _I32))
    for index, number in ((10, 0), (11, 0), (17, -1), (18, -1), (19, -1)):
        builder.store(_I32(number), _word(builder, slot, index, _I32))
    kind = ir.FunctionType(ir.VoidType(), [_I64, _BYTES, _I64])
    function = cgutils.get_or_insert_function(builder.module, kind, name)
    builder.call(function, [scene, builder.bitcast(slot, _BYTES), _I64(0)])
    return slot


_TRIPLE = types.UniTuple(types.float32, 3)  # type: ignore[attr-defined]
_RAY = (types.uint64, _TRIPLE, _TRIPLE, types.float32, types.float32, types.int32)


@intrinsic
def _intersect1(context, scene, origin, direction, near, far, mask):
    """(t, nx, ny, nz, u, v, primitive, geometry, instance) of the closest hit."""
    result = types.Tuple(  # type: ignore[attr-defined]
        [types.float32] * 6 + [types.int32] * 3
    )

    def generate(ctx, builder, signature, args):
        slot = _query(builder, args, "rtcIntersect1")
        values = [builder.load(_word(builder, slot, i, _F32)) for i in (_FAR, 12, 13, 14, 15, 16)]
        values += [builder.load(_word(builder, slot, i, _I32)) for i in (17, 18, 19)]
        return ctx.make_tuple(builder, signature.return_type, values)

    return result(*_RAY), generate


@intrinsic
def _occluded1(context, scene, origin, direction, near, far, mask):
    """Whether anything lies between near and far."""

    def generate(ctx, builder, signature, args):
        slot = _query(builder, args, "rtcOccluded1")
        far = builder.load(_word(builder, slot, _FAR, _F32))
        return builder.fcmp_ordered("<", far, _F32(0))

    return types.boolean(*_RAY), generate


@njit(**INLINE_KERNEL_OPTIONS)
def intersect(handle, ray, near, far, mask):
    """The closest hit among the classes of the mask, a `Hit`."""
    t, nx, ny, nz, u, v, primitive, geometry, instance = _intersect1(
        handle, ray.origin, ray.direction, near, far, mask
    )
    return Hit(t, (nx, ny, nz), (u, v), primitive, geometry, instance)


@njit(**INLINE_KERNEL_OPTIONS)
def occluded(handle, ray, far, mask):
    """Whether anything of the mask lies on the ray before `far`."""
    return _occluded1(handle, ray.origin, ray.direction, F(0), far, mask)


PACKET_WORDS = 128  # of a row; Embree's words come first, FREE and after are the caller's
LANES, FREE = 8, 104
_NEAR_AT, FAR_AT, _MASK_AT, _VALID_AT = 24, 64, 72, 96


@intrinsic
def occluded8(context, scene, packets, row, count, mask):
    """Ask for the first `count` rays of a row of packets: the far end of those blocked becomes negative.

    Origins, directions and far ends (from words 0, 32 and 64 on, eight of each number) are the caller's.
    """

    def generate(ctx, builder, signature, args):
        array = ctx.make_array(signature.args[1])(ctx, builder, args[1])
        start = builder.gep(array.data, [builder.mul(args[2], _I64(PACKET_WORDS))])
        whole = builder.bitcast(start, _I32.as_pointer())
        for k in range(LANES):
            counts = builder.icmp_signed("<", _I64(k), args[3])
            valid = builder.select(counts, _I32(-1), _I32(0))
            for word, value in ((_VALID_AT, valid), (_MASK_AT, args[4]), (_NEAR_AT, _I32(0))):
                builder.store(value, builder.gep(whole, [_I64(word + k)]))
        kind = ir.FunctionType(ir.VoidType(), [_BYTES, _I64, _BYTES, _I64])
        function = cgutils.get_or_insert_function(builder.module, kind, "rtcOccluded8")
        valid_at = builder.bitcast(builder.gep(whole, [_I64(_VALID_AT)]), _BYTES)
        builder.call(function, [valid_at, args[0], builder.bitcast(start, _BYTES), _I64(0)])
        return ctx.get_dummy_value()

    return types.void(types.uint64, packets, types.int64, types.int64, types.int32), generate


def empty_packets(rows: int) -> Any:
    """Packets (rows, PACKET_WORDS) float32 of zeros, aligned as Embree wants them."""
    room = np.zeros(rows * PACKET_WORDS + 16, np.float32)
    start = -room.ctypes.data % 64 // 4
    return room[start : start + rows * PACKET_WORDS].reshape(rows, PACKET_WORDS)
