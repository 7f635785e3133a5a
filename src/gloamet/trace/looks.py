"""What a surface is at a place that a ray has met: its shading normal, colour, roughness and metalness.

Arrays are those of `compiled.Compiled.arrays`.
"""

from __future__ import annotations

from numba import njit

from gloamet.jit import JIT
from gloamet.trace.materials import NORMAL_PICTURE
from gloamet.trace.plane import WATER, ripples
from gloamet.trace.surface import bumped, look_up, smooth_normal, vertex_colour


@njit(inline="always", **JIT)
def looks(arrays, m, prim, instance, barycentric, texture, place, normal, direction, travelled):
    """Shading normal turned to the looker, base colour, roughness, metalness; prim is -1 on the ground plane.

    barycentric and texture are pairs, place, normal (of the face, turned to the looker) and direction triples;
    travelled in metres decides how fine ripples are.
    """
    (
        vertices, normals, uvs, colours, triangles, _tm, flags, _first, _if, turns, materials, texels, pictures,
        _lamps, plane, _portals, _halos,
    ) = arrays  # fmt: skip
    hu, hv = barycentric
    tu, tv = texture
    nx, ny, nz = normal
    dx, dy, dz = direction
    r, g, b, rough, metal = look_up(materials, m, texels, pictures, tu, tv)
    sx, sy, sz = nx, ny, nz
    if prim >= 0:
        sx, sy, sz = smooth_normal(
            flags, triangles, normals, turns, instance, prim, hu, hv, nx, ny, nz, dx, dy, dz
        )
        if materials[m, NORMAL_PICTURE] >= 0:
            sx, sy, sz = bumped(
                vertices, uvs, triangles, turns, instance, prim, materials, m, texels, pictures, tu, tv,
                (sx, sy, sz), (dx, dy, dz),
            )  # fmt: skip
        a, c, d = vertex_colour(flags, colours, triangles, prim, hu, hv)
        r, g, b = r * a, g * c, b * d
    elif plane[WATER] > 0:
        sx, sy, sz = ripples(plane, place[0], place[1], travelled)
        if sx * dx + sy * dy + sz * dz > -0.02:
            sx, sy, sz = nx, ny, nz
    return sx, sy, sz, r, g, b, rough, metal
