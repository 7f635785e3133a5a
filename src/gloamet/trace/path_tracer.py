"""The fused path-tracing kernel: a tile of rows, every sample from the camera to the sky.

Array layouts. camera as in `camerarays`. The film of one size: sun, sky, lamps, albedo and normal (H, W, 3), depth
(H, W), squares (H, W, 4), counts (H, W), all float32 sums over samples; squares of the luminance of sun, sky, lamps
and their sum. wanted (H, W) uint16: samples of each pixel in this pass. Arrays are a `compiled.SceneArrays`, lights
a `lights.LightArrays`. Light from the sun, the sky and lamps (with all their bounces) never mix, so that a gain is a
weighted sum afterwards. Stated limits: the sun's disc mirrored onto a diffuse surface (a caustic) is left out, a
small lamp so mirrored is dimmed (`materials.SMALL_LAMP_M2`); glass is passed straight.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.colour.spaces import AP1_LUMINANCE
from gloamet.jit import KERNEL_OPTIONS
from gloamet.sky.dome import dome_coordinates, sky_radiance
from gloamet.trace.bsdf import (
    MIRROR_ALPHA,
    alpha_cutout,
    eval_bsdf,
    fresnel,
    sample_cosine_hemisphere,
    sample_ggx_vndf,
    schlick_weight,
    thin_glass_fresnel,
)
from gloamet.trace.camera_rays import camera_ray, sample_pixel_filter
from gloamet.trace.direct_lighting import (
    emitted_radiance_mis,
    miss_radiance,
    sample_area_light,
    sample_sky_light,
)
from gloamet.trace.embree import CAMERA_MASK, PATH_MASK
from gloamet.trace.ground_plane import ground_distance, horizon_fade
from gloamet.trace.lamp_guiding import CONTINUE_PROBABILITY, NO_CONE, cone_pdf, sample_guided_direction
from gloamet.trace.materials import (
    COAT,
    COAT_ALPHA,
    CUTOUT,
    EMISSION,
    GLASS,
    KIND,
    MIRRORED_LAMP_WEIGHT,
    TRANSLUCENCY,
    TRANSMISSION,
)
from gloamet.trace.rays import intersect
from gloamet.trace.sampler import (
    GOLDEN,
    MIX2,
    PAIRS,
    PIXEL_HASH_MULTIPLIER,
    pixel_id,
    random_pair,
    sample_2d,
    sobol_pair,
)
from gloamet.trace.shading import evaluate_material, make_bsdf, resolve_hit
from gloamet.trace.sun_portals import bsdf_mis_weight, sample_sun, supports_patch_sampling
from gloamet.trace.visibility import MAX_PASSES, T_MAX, ray_epsilon

F = np.float32
_CAMERA, _PATH = np.int32(CAMERA_MASK), np.int32(PATH_MASK)
FIRST_SURFACE_DIMENSION = (
    2  # of even numbers for surfaces, after the place in the pixel and the one on the lens
)
_LUMINANCE = AP1_LUMINANCE.astype(np.float32)


@njit(inline="always", **KERNEL_OPTIONS)
def sample_bsdf(surface, u, v, c):
    """Where the path goes next: direction, weight per channel, density; density 0 means a mirror, -1 an end.

    c picks the glossy or the diffuse lobe.
    """
    sx, sy, sz, vx, vy, vz, r, g, b, alpha, metal, gloss, share = surface
    if c < share:
        dx, dy, dz = sample_ggx_vndf(sx, sy, sz, vx, vy, vz, alpha, u, v)
        if alpha < MIRROR_ALPHA:
            k = schlick_weight(sx * vx + sy * vy + sz * vz)
            f0, f90 = F(0.04) * gloss * (F(1) - metal), gloss * (F(1) - metal) + metal
            r, g, b = f0 + r * metal, f0 + g * metal, f0 + b * metal
            odds = F(1) / share
            return (
                dx,
                dy,
                dz,
                (r + (f90 - r) * k) * odds,
                (g + (f90 - g) * k) * odds,
                (b + (f90 - b) * k) * odds,
                F(0),
            )
    else:
        dx, dy, dz = sample_cosine_hemisphere(sx, sy, sz, u, v)
    fr, fg, fb, p = eval_bsdf(surface, dx, dy, dz)
    if p <= F(1e-9):
        return dx, dy, dz, F(0), F(0), F(0), F(-1)
    return dx, dy, dz, fr / p, fg / p, fb / p, p


@njit(inline="always", **KERNEL_OPTIONS)
def sample_thin_glass(materials, m, nx, ny, nz, dx, dy, dz, v):
    """A path at a glass face: new direction, weight per channel, whether it was mirrored.

    `thin_glass_fresnel` holds the odds of mirror and passage, which are just being drawn.
    """
    cosine = -(nx * dx + ny * dy + nz * dz)
    f, r, g, b = thin_glass_fresnel(materials, m, cosine)
    if v < f:
        k = F(2) * cosine
        return dx + k * nx, dy + k * ny, dz + k * nz, F(1), F(1), F(1), True
    odds = F(1) / ((F(1) - f) * materials[m, TRANSMISSION])
    return dx, dy, dz, r * odds, g * odds, b * odds, False


@njit(inline="always", **KERNEL_OPTIONS)
def select_layer(materials, m, state, surface, nx, ny, nz):
    """What answers of a surface: its clear layer, its body or, of a leaf, the other side, by numbers of `state`.

    Returns the state, the surface as `surface.eval_bsdf` takes it, and the face's normal.
    """
    sx, sy, sz, vx, vy, vz, r, g, b, _alpha, _metal, _gloss, _share = surface
    if materials[m, COAT] > F(0):
        state += GOLDEN
        u, _unused = random_pair(state)
        if u < materials[m, COAT] * fresnel(sx * vx + sy * vy + sz * vz, F(1.5)):
            # a full mirror of its own roughness
            surface = (sx, sy, sz, vx, vy, vz, F(1), F(1), F(1), materials[m, COAT_ALPHA], F(1), F(1), F(1))
    if materials[m, TRANSLUCENCY] > F(0):
        state += GOLDEN
        u, _unused = random_pair(state)
        if u < materials[m, TRANSLUCENCY]:
            # light that goes through a leaf leaves its other side as off a matt surface
            nx, ny, nz, sx, sy, sz = -nx, -ny, -nz, -sx, -sy, -sz
            surface = (sx, sy, sz, sx, sy, sz, r, g, b, F(1), F(0), F(0), F(0))
    return state, surface, nx, ny, nz


@njit(inline="always", **KERNEL_OPTIONS)
def trace_path(scene, pervious, arrays, lights, seed, origin, direction, max_bounces):
    """One path. Returns light of the sun, the sky and lamps, albedo, normal (3 each), depth, rays."""
    materials, plane, portals, sun = arrays.materials, arrays.plane, arrays.portals, lights.sun
    state, pixel, sample = seed
    ox, oy, oz = begun_at = origin
    dx, dy, dz = direction
    sun_up, sky_up = sun[3] + sun[4] + sun[5] > F(0), lights.density[0, 0] > F(0)
    tr = tg = tb = F(1)  # what the path still carries
    sr = sg = sb = kr = kg = kb = er = eg = eb = F(0)
    ar = ag = ab = F(1)
    mx = my = mz = depth = chosen = travelled = F(0)
    direct, seen, scattered, begun = True, False, False, False
    bounces, passes, rays, mask = 0, 0, 0, _CAMERA
    # a second path into the halo of a lamp, which gathers lamps' light alone, waits until this one has ended: one of
    # the candidates of all surfaces, kept by its share of their sum
    kept = F(1)  # of the lamps' light that this path meets: the rest is the second one's
    candidates, sent, aside, cone = F(0), CONTINUE_PROBABILITY if sky_up else F(1), F(0), NO_CONE
    qx = qy = qz = ex = ey = ez = hr = hg = hb = q_chosen = F(0)
    q_bounces, began = 0, F(1)
    for leg in range(2):
        if leg == 1:
            if candidates <= F(0):
                break
            state += GOLDEN
            u, v = random_pair(state)
            if u >= sent:
                break
            k = candidates / (max(hr, max(hg, hb)) * sent)
            hr, hg, hb = hr * k, hg * k, hb * k
            ox, oy, oz, dx, dy, dz, tr, tg, tb = qx, qy, qz, ex, ey, ez, hr, hg, hb
            chosen, bounces, kept = q_chosen, q_bounces, F(1)
            passes, mask, travelled, direct, scattered = 0, _PATH, F(0), False, True
            began = max(tr, max(tg, tb))
        while True:
            hit = intersect(scene, ox, oy, oz, F(0), dx, dy, dz, T_MAX, mask)
            rays += 1
            s = ground_distance(plane, ox, oy, oz, dx, dy, dz, hit[0])
            if s > F(0) and direct and not scattered:
                # the far ground melts into the sky by a coin
                state += GOLDEN
                u, v = random_pair(state)
                if u >= horizon_fade(plane, dz):
                    u, v = dome_coordinates(dx, dy, F(0))
                    a, b, c = sky_radiance(lights.table, u, v)
                    kr, kg, kb = kr + tr * a, kg + tg * b, kb + tb * c
                    break
            if s <= F(0) and hit[6] < 0:
                if leg == 1:
                    break
                a, b, c, d, e, f = miss_radiance(
                    lights, plane, portals, begun_at, dx, dy, dz, direct, scattered, chosen
                )
                sr, sg, sb = sr + tr * a, sg + tg * b, sb + tb * c
                kr, kg, kb = kr + tr * d, kg + tg * e, kb + tb * f
                break
            t, prim, instance, m, nx, ny, nz, front, tu, tv = resolve_hit(arrays, s, hit, dx, dy, dz)
            px, py, pz = ox + dx * t, oy + dy * t, oz + dz * t
            step = ray_epsilon(t, px, py, pz)
            travelled += t
            if materials[m, CUTOUT] >= F(0) and alpha_cutout(
                materials, m, arrays.texels, arrays.textures, tu, tv
            ):
                passes += 1
                if passes > MAX_PASSES:
                    break
                ox, oy, oz = px + dx * step, py + dy * step, pz + dz * step
                continue
            if not begun:
                begun, depth = True, travelled
            if materials[m, EMISSION] + materials[m, EMISSION + 1] + materials[m, EMISSION + 2] > F(0):
                cosine = -(nx * dx + ny * dy + nz * dz)
                a, b, c = emitted_radiance_mis(
                    materials,
                    m,
                    arrays.texels,
                    arrays.textures,
                    tu,
                    tv,
                    front,
                    cosine,
                    travelled,
                    direct,
                    chosen,
                )
                k = kept * materials[m, MIRRORED_LAMP_WEIGHT] if direct and scattered else kept
                er, eg, eb = er + k * tr * a, eg + k * tg * b, eb + k * tb * c
            state += GOLDEN
            u, v = random_pair(state)
            if materials[m, KIND] == F(GLASS) and u < materials[m, TRANSMISSION]:
                passes += 1
                if passes > MAX_PASSES:
                    break
                dx, dy, dz, a, b, c, mirrored = sample_thin_glass(materials, m, nx, ny, nz, dx, dy, dz, v)
                tr, tg, tb = tr * a, tg * b, tb * c
                direct = direct or mirrored
                step = step if mirrored else -step
                ox, oy, oz = px + nx * step, py + ny * step, pz + nz * step
                continue
            looked = evaluate_material(
                arrays, m, prim, instance, (hit[4], hit[5]), (tu, tv), (px, py, pz), (nx, ny, nz), (dx, dy, dz),
                travelled,
            )  # fmt: skip
            surface = make_bsdf(materials, m, looked, (dx, dy, dz))
            if not seen and not (looked[7] > F(0.9) and surface[9] < MIRROR_ALPHA):
                seen = True
                mx, my, mz, a, b, c, _rough, _metal = looked
                ar, ag, ab = min(F(1), tr * a), min(F(1), tg * b), min(F(1), tb * c)
            if bounces == max_bounces:
                break
            came = (dx, dy, dz)
            state, surface, nx, ny, nz = select_layer(materials, m, state, surface, nx, ny, nz)
            ox, oy, oz = px + nx * step, py + ny * step, pz + nz * step
            # which candidate is followed depends on the numbers this path has drawn: it draws others
            pair = FIRST_SURFACE_DIMENSION + 3 * bounces if leg == 0 else PAIRS
            if sun_up and leg == 0:
                k, in_room = F(1), len(portals) > 0
                if (
                    in_room
                    and bounces > 0
                    and not direct
                    and prim >= 0
                    and supports_patch_sampling(materials, m)
                ):
                    k = bsdf_mis_weight(portals, sun, begun_at, (px, py, pz), (nx, ny, nz), came, chosen)
                state += GOLDEN
                u, v = sample_2d(state, pixel, sample, pair)
                state, a, b, c, n = sample_sun(
                    u, v, state, scene, pervious, arrays, sun, surface, (ox, oy, oz), (nx, ny, nz), k,
                    in_room and bounces + 1 < max_bounces,
                )  # fmt: skip
                rays += n
                sr, sg, sb = sr + tr * a, sg + tg * b, sb + tb * c
            if sky_up and leg == 0:
                state += GOLDEN
                u, v = sample_2d(state, pixel, sample, pair + 1)
                state += GOLDEN
                a, b, c, n = sample_sky_light(
                    u, v, state, scene, pervious, arrays, lights, surface, ox, oy, oz, nx, ny, nz
                )
                rays += n
                kr, kg, kb = kr + tr * a, kg + tg * b, kb + tb * c
            if len(arrays.lamps) > 0:
                state += GOLDEN
                a, b, c, n = sample_area_light(
                    state, scene, pervious, arrays, surface, ox, oy, oz, nx, ny, nz
                )
                rays += n
                er, eg, eb = er + kept * tr * a, eg + kept * tg * b, eb + kept * tb * c
                state += GOLDEN
            aside = F(0)
            if len(arrays.guides) > 0 and leg == 0:
                state, cone, aside, coin, fx, fy, fz, a, b, c, d = sample_guided_direction(
                    arrays.guides, state, surface, sent, ox, oy, oz, nx, ny, nz
                )
                a, b, c = kept * tr * a, kept * tg * b, kept * tb * c
                k = max(a, max(b, c))
                candidates += k
                if coin * candidates < k:
                    q_bounces, q_chosen, qx, qy, qz = bounces + 1, d, ox, oy, oz
                    ex, ey, ez, hr, hg, hb = fx, fy, fz, a, b, c
            state += GOLDEN
            u, v = sample_2d(state, pixel, sample, pair + 2)
            state += GOLDEN
            c, keep_coin = random_pair(state)
            dx, dy, dz, a, b, c, chosen = sample_bsdf(surface, u, v, c)
            if chosen < F(0) or dx * nx + dy * ny + dz * nz <= F(0):
                break
            bounces += 1
            begun_at = (ox, oy, oz)
            mask, travelled = _PATH, F(0)
            tr, tg, tb = tr * a, tg * b, tb * c
            direct = chosen == F(0)
            if direct:
                continue
            if aside > F(0) and cone_pdf(cone, dx, dy, dz) > F(0):
                kept *= chosen * chosen / (chosen * chosen + aside * aside)
            scattered = True
            # Roulette by what is left to carry, gentle and not before the second surface has answered: ended by all
            # they lose, paths were a fifth quicker and had twice the variance in shade.
            keep = math.sqrt(max(tr, max(tg, tb)) / began)
            if bounces > 1 and keep < F(0.97):
                if keep_coin >= keep:
                    break
                tr, tg, tb = tr / keep, tg / keep, tb / keep
    return sr, sg, sb, kr, kg, kb, er, eg, eb, ar, ag, ab, mx, my, mz, depth, rays


@njit(**KERNEL_OPTIONS)
def trace_rows(
    scene, pervious, arrays, lights, camera, width, height, wanted, seed, max_bounces, y0, y1,
    film,
):  # fmt: skip
    """Add the wanted samples to the pixels of rows y0..y1; returns the number of rays traced.

    The same seed and sample number of a pixel give the same result whatever the tiling.
    """
    film_sun, film_sky, film_lamps, film_albedo, film_normal, film_depth, film_squares, film_counts = film
    rays = 0
    for y in range(y0, y1):
        for x in range(width):
            if wanted[y, x] == 0:
                continue
            done = int(film_counts[y, x])
            for sample in range(done, done + int(wanted[y, x])):
                pixel, number = pixel_id(x, y, seed), np.uint64(sample)
                state = pixel * PIXEL_HASH_MULTIPLIER + number * MIX2 + np.uint64(12345)
                u, v = sobol_pair(pixel, number, 0)
                u, v = sample_pixel_filter(u), sample_pixel_filter(v)
                a, b = sobol_pair(pixel, number, 1)
                ox, oy, oz, dx, dy, dz = camera_ray(camera, x, y, width, height, u, v, a, b)
                p = trace_path(
                    scene,
                    pervious,
                    arrays,
                    lights,
                    (state, pixel, number),
                    (ox, oy, oz),
                    (dx, dy, dz),
                    max_bounces,
                )
                film_sun[y, x, 0] += p[0]
                film_sun[y, x, 1] += p[1]
                film_sun[y, x, 2] += p[2]
                film_sky[y, x, 0] += p[3]
                film_sky[y, x, 1] += p[4]
                film_sky[y, x, 2] += p[5]
                film_lamps[y, x, 0] += p[6]
                film_lamps[y, x, 1] += p[7]
                film_lamps[y, x, 2] += p[8]
                film_albedo[y, x, 0] += p[9]
                film_albedo[y, x, 1] += p[10]
                film_albedo[y, x, 2] += p[11]
                film_normal[y, x, 0] += p[12]
                film_normal[y, x, 1] += p[13]
                film_normal[y, x, 2] += p[14]
                film_depth[y, x] += p[15]
                by_sun = _LUMINANCE[0] * p[0] + _LUMINANCE[1] * p[1] + _LUMINANCE[2] * p[2]
                by_sky = _LUMINANCE[0] * p[3] + _LUMINANCE[1] * p[4] + _LUMINANCE[2] * p[5]
                by_lamps = _LUMINANCE[0] * p[6] + _LUMINANCE[1] * p[7] + _LUMINANCE[2] * p[8]
                light = by_sun + by_sky + by_lamps
                film_squares[y, x, 0] += by_sun * by_sun
                film_squares[y, x, 1] += by_sky * by_sky
                film_squares[y, x, 2] += by_lamps * by_lamps
                film_squares[y, x, 3] += light * light
                rays += p[16]
            film_counts[y, x] += F(wanted[y, x])
    return rays
