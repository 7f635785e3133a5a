# SPDX-License-Identifier: Apache-2.0
"""The integrator: path tracing with next-event estimation, MIS, lamp guiding and Russian roulette; a band of rows.

Array layouts. camera as in `camera_rays`. A film's layers are `film.AccumulationArrays`, float32 sums over samples:
sun, sky, lamps, the indirect part of each, albedo and normal (H, W, 3), depth, near and transparency (H, W),
squares (H, W, 5) of the luminance of sun, sky, lamps and their sum, counts (H, W). wanted (H, W) uint16: samples of
each pixel in this pass. scene is a `render_scene.SceneArrays`, env an `environment.EnvironmentArrays`. Light from the
sun, the sky and lamps (all bounces) never mix, so that a gain is a weighted sum afterwards. Stated limits: the sun's
disc mirrored onto a diffuse surface (a caustic) is left out, a small lamp so mirrored is dimmed
(`materials.SMALL_LAMP_M2`); glass is passed straight.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.light_layers import MOMENT_INDEX, TOGETHER
from gloamet.sky.dome import dome_coordinates
from gloamet.trace.geometry.camera_rays import camera_ray, sample_pixel_filter
from gloamet.trace.geometry.embree import CAMERA_MASK, PATH_MASK
from gloamet.trace.geometry.rays import intersect
from gloamet.trace.geometry.records import (
    MIRROR_PDF,
    NO_SAMPLE,
    BySource,
    GuidedSample,
    PathResult,
    PathStart,
    Ray,
    Sampler,
    Vertex,
)
from gloamet.trace.geometry.sampler import (
    GOLDEN,
    MIX2,
    PAIRS,
    PIXEL_HASH_MULTIPLIER,
    next_2d,
    next_pair,
    pixel_id,
    sobol_pair,
)
from gloamet.trace.geometry.vec import (
    BLACK,
    UP,
    WHITE,
    accumulate,
    add,
    add_product,
    add_scaled,
    at_most_one,
    dot,
    largest,
    luminance,
    mul,
    power_heuristic,
    scale,
    sub,
    total,
    triple,
)
from gloamet.trace.lights.direct_lighting import (
    NO_LIGHT,
    emitted_radiance_mis,
    miss_radiance,
    sample_area_light,
    sample_sky_light,
)
from gloamet.trace.lights.environment import seen_radiance
from gloamet.trace.lights.lamp_guiding import CONTINUE_PROBABILITY, NO_CONE, cone_pdf, sample_guided_direction
from gloamet.trace.lights.sun_portals import bsdf_mis_weight, sample_sun, supports_patch_sampling
from gloamet.trace.pixel_distances import NEAR_M
from gloamet.trace.surfaces.bsdf import MIRROR_ALPHA, sample_bsdf, sample_thin_glass
from gloamet.trace.surfaces.ground_plane import ground_distance, horizon_fade
from gloamet.trace.surfaces.materials import EMISSION, GLASS, KIND, MIRRORED_LAMP_WEIGHT, TRANSMISSION
from gloamet.trace.surfaces.shading import evaluate_material, is_hole, make_bsdf, resolve_hit, select_layer
from gloamet.trace.surfaces.visibility import MAX_PASSES, T_MAX, ray_epsilon

_CAMERA, _PATH = np.int32(CAMERA_MASK), np.int32(PATH_MASK)
FIRST_SURFACE_DIMENSION = 2  # pair of even numbers, after the place in the pixel and the one on the lens
SUN_MOMENT, SKY_MOMENT, LAMPS_MOMENT = (MOMENT_INDEX[name] for name in ("sun", "sky", "lamps"))
TOGETHER_MOMENT = MOMENT_INDEX[TOGETHER]
ROULETTE_FROM = F(0.97)  # survival probabilities above this are not worth a random number
NO_SOURCES = BySource(BLACK, BLACK, BLACK)
NO_GUIDED = GuidedSample(NO_CONE, F(0), UP, BLACK, F(0), F(0))


@njit(**INLINE_KERNEL_OPTIONS)
def _fades_into_sky(scene, env, state, ray, ahead):
    """Whether the far ground gives way to the sky at the horizon, by a random number: (state, whether, radiance)."""
    state, u, _unused = next_pair(state)
    if u < horizon_fade(scene.plane, ray.direction[2]):
        return state, False, BLACK
    level = (ray.direction[0], ray.direction[1], F(0))
    return state, True, seen_radiance(env, level, dome_coordinates(level[0], level[1], F(0)), ahead)


@njit(**INLINE_KERNEL_OPTIONS)
def _emission(scene, met, ray, travelled, specular, scattered, pdf):
    """Light that a surface met reflects along a path's ray; a small lamp found by way of a mirror is dimmed."""
    if total(triple(scene.materials, met.material, EMISSION)) <= F(0):
        return BLACK
    cosine = -dot(met.normal, ray.direction)
    emitted = emitted_radiance_mis(scene, met, cosine, travelled, specular, pdf)
    if specular and scattered:
        emitted = scale(emitted, scene.materials[met.material, MIRRORED_LAMP_WEIGHT])
    return emitted


@njit(**INLINE_KERNEL_OPTIONS)
def _reservoir_of_one(towards_lamp, new, kept, candidate, candidates):
    """One of the candidates so far and a new one, by what each could carry: (the one kept, the sum of all)."""
    carried = scale(mul(new.throughput, towards_lamp.weight), kept)
    candidates += largest(carried)
    if towards_lamp.selection_sample * candidates < largest(carried):
        candidate = PathStart(new.ray, carried, towards_lamp.bsdf_pdf, new.bounces, True, new.indirect)
    return candidate, candidates


@njit(**INLINE_KERNEL_OPTIONS)
def _sample_guide_cone(scene, state, at, follow, path, kept, best):
    """A direction towards a lamp's surroundings from a vertex of a path, of whose lamps the fraction `kept` counts:
    (state, `GuidedSample`, best: the candidate kept and the sum of all)."""
    towards_lamp = NO_GUIDED
    if len(scene.guide_cones) > 0 and not path.guided:
        state, towards_lamp = sample_guided_direction(
            scene.guide_cones, state, at.bsdf, follow, at.origin, at.normal
        )
        ray = Ray(at.origin, towards_lamp.direction)
        new = PathStart(ray, path.throughput, F(0), path.bounces + 1, True, path.indirect)
        best = _reservoir_of_one(towards_lamp, new, kept, best[0], best[1])
    return state, towards_lamp, best


@njit(**INLINE_KERNEL_OPTIONS)
def _roulette(throughput, began, bounces, u):
    """Russian roulette by what is left to carry: the throughput of a path that goes on, BLACK for one that ends.

    Gentle, and not before the second surface has answered: ended by all they lose, paths were a fifth quicker and had
    twice the variance in shade.
    """
    survival = math.sqrt(largest(throughput) / began)
    if bounces < 2 or survival >= ROULETTE_FROM:
        return throughput
    return scale(throughput, F(1) / survival) if u < survival else BLACK


@njit(**INLINE_KERNEL_OPTIONS)
def next_event_estimation(scene, env, sampler, pair, at, found_weight, goes_on, guided):
    """Sample the lights at a vertex of a path.

    Parameters
    ----------
    scene : SceneArrays
        The scene.
    env : EnvironmentArrays
        Sun and sky.
    sampler : Sampler
        State of the random numbers.
    pair : int64
        Index of the first dimension pair.
    at : Vertex
        The vertex.
    found_weight : float32
        MIS weight of light that the path finds by itself.
    goes_on : bool
        Whether the path may continue.
    guided : bool
        Whether the path is guided; it samples lamps only.

    Returns
    -------
    tuple
        State, `BySource`, light by patches of the sun, number of rays.
    """
    state, pixel, sample = sampler.state, sampler.pixel, sampler.sample
    bsdf, origin, normal = at.bsdf, at.origin, at.normal
    sun, sky, lamp, patches = NO_LIGHT, NO_LIGHT, NO_LIGHT, BLACK
    if total(env.sun.irradiance) > F(0) and not guided:
        state, u, v = next_2d(state, pixel, sample, pair)
        numbers = (u, v)
        state, sun, patches = sample_sun(
            numbers, state, scene, env.sun, bsdf, origin, normal, found_weight, goes_on
        )
    if env.density[0, 0] > F(0) and not guided:
        state, u, v = next_2d(state, pixel, sample, pair + 1)
        state += GOLDEN
        sky = sample_sky_light(u, v, state, scene, env, bsdf, origin, normal)
    if len(scene.lamps) > 0:
        state += GOLDEN
        lamp = sample_area_light(state, scene, bsdf, origin, normal)
        state += GOLDEN
    light = BySource(add(sun.radiance, patches), sky.radiance, lamp.radiance)
    return state, light, patches, sun.rays + sky.rays + lamp.rays


@njit(**INLINE_KERNEL_OPTIONS)
def _add_light(found, throughput, light, kept):
    """Light found so far and that of a vertex, of whose lamps the fraction `kept` counts."""
    return BySource(
        add_product(found.sun, throughput, light.sun),
        add_product(found.sky, throughput, light.sky),
        add_scaled(found.lamps, mul(throughput, light.lamps), kept),
    )


@njit(**INLINE_KERNEL_OPTIONS)
def _at_first_bounce(happens, indirect, direct, found):
    """Whether light found from now on has bounced, and what was found before it did."""
    return (True, found) if happens and not indirect else (indirect, direct)


@njit(**INLINE_KERNEL_OPTIONS)
def _indirect_light(found, direct, indirect, patches):
    """What of the light found has bounced: all since the path did, and what patches of the sun sent before."""
    if not indirect:
        return BySource(patches, BLACK, BLACK)
    return BySource(
        add(sub(found.sun, direct.sun), patches), sub(found.sky, direct.sky), sub(found.lamps, direct.lamps)
    )


@njit(**INLINE_KERNEL_OPTIONS)
def _found_patch_weight(scene, env, vertex, ray, met, pdf):
    """What the sun counts at a point that a path's BSDF sample, of density pdf above 0, has found from a vertex."""
    if len(scene.portals) == 0 or met.triangle < 0 or total(env.sun.irradiance) <= F(0):
        return F(1)
    if not supports_patch_sampling(scene.materials, met.material):
        return F(1)
    return bsdf_mis_weight(scene.portals, env.sun, Ray(vertex, ray.direction), met, pdf)


@njit(**INLINE_KERNEL_OPTIONS)
def trace_path(scene, env, sampler, start, max_bounces):
    """Trace one path.

    Parameters
    ----------
    scene : SceneArrays
        The scene.
    env : EnvironmentArrays
        Sun and sky.
    sampler : Sampler
        State of the random numbers.
    start : PathStart
        Its first ray and throughput.
    max_bounces : int64
        Largest number of bounces.

    Returns
    -------
    tuple
        State, `PathResult`, start of a guided path, and the total weight of all guided starts.
    """
    state, pixel, sample = sampler.state, sampler.pixel, sampler.sample
    ray, throughput, pdf, bounces = start.ray, start.throughput, start.pdf, start.bounces
    guided, indirect = start.guided, start.indirect
    found, direct, normal, patches = NO_SOURCES, NO_SOURCES, BLACK, BLACK
    albedo, depth, clear, travelled, vertex = WHITE, F(0), F(0), F(0), ray.origin
    specular = ahead = not (guided or pdf > F(0))
    scattered = seen = sighted = not specular
    passes, rays, mask = 0, 0, _CAMERA if specular else _PATH
    # kept: fraction of the lamps' light met on the way that is not a guided path's
    materials, kept, began = scene.materials, F(1), largest(throughput)
    follow = CONTINUE_PROBABILITY if env.density[0, 0] > F(0) else F(1)
    best = PathStart(ray, BLACK, F(0), 0, True, False), F(0)
    while largest(throughput) > F(0):
        hit, rays = intersect(scene.handle, ray, F(0), T_MAX, mask), rays + 1
        ground = ground_distance(scene.plane, ray, hit.distance)
        if ground > F(0) and specular and not scattered:
            state, fades, horizon = _fades_into_sky(scene, env, state, ray, ahead)
            found = _add_light(found, throughput, BySource(BLACK, horizon, BLACK), F(1))
            if fades:
                clear, depth = luminance(throughput) if ahead else F(0), F(0)
                break
        if ground <= F(0) and hit.primitive < 0:
            if not guided:
                away = scattered and ray.direction[2] < F(0)  # to lit ground far away
                indirect, direct = _at_first_bounce(away, indirect, direct, found)
                out = Ray(vertex, ray.direction)
                beyond = miss_radiance(env, scene, out, specular, scattered, pdf, ahead)
                found = _add_light(found, throughput, beyond, F(1))
                clear = luminance(throughput) if ahead else F(0)
            depth = depth if sighted else F(0)
            break
        met = resolve_hit(scene, ground, hit, ray)
        m, step = met.material, ray_epsilon(met.distance, met.position)
        travelled, depth = travelled + met.distance, depth if sighted else depth + met.distance
        if is_hole(scene, met) and passes < MAX_PASSES:
            passes += 1
            ray = Ray(add_scaled(met.position, ray.direction, step), ray.direction)
            continue
        emitted = _emission(scene, met, ray, travelled, specular, scattered, pdf)
        found = _add_light(found, throughput, BySource(BLACK, BLACK, emitted), kept)
        state, u, v = next_pair(state)
        if materials[m, KIND] == F(GLASS) and u < materials[m, TRANSMISSION]:
            if passes == MAX_PASSES:
                break
            passes += 1
            direction, through, reflected = sample_thin_glass(materials, m, met.normal, ray.direction, v)
            throughput, specular = mul(throughput, through), specular or reflected
            ahead, sighted = ahead and not reflected, sighted or reflected
            indirect, direct = _at_first_bounce(reflected and scattered, indirect, direct, found)
            ray = Ray(add_scaled(met.position, met.normal, step if reflected else -step), direction)
            continue
        indirect, direct = _at_first_bounce(scattered, indirect, direct, found)
        surface = evaluate_material(scene, met, ray.direction, travelled)
        bsdf = make_bsdf(materials, m, surface, ray.direction)
        if not seen and not (surface.metalness > F(0.9) and bsdf.alpha < MIRROR_ALPHA):
            seen = sighted = True
            normal, albedo = surface.normal, at_most_one(mul(throughput, surface.albedo))
        if bounces == max_bounces:
            break
        state, bsdf, face = select_layer(materials, m, state, bsdf, met.normal)
        origin = add_scaled(met.position, face, step)
        # which candidate is followed depends on the numbers this path has drawn: a guided path draws others
        pair = PAIRS if guided else FIRST_SURFACE_DIMENSION + 3 * bounces
        weight = F(1) if bounces == 0 or specular else _found_patch_weight(scene, env, vertex, ray, met, pdf)
        at, numbers = Vertex(bsdf, origin, face), Sampler(state, pixel, sample)
        goes_on = bounces + 1 < max_bounces
        state, light, patch, asked = next_event_estimation(
            scene, env, numbers, pair, at, weight, goes_on, guided
        )
        found, rays = _add_light(found, throughput, light, kept), rays + asked
        patches = patches if indirect else add_product(patches, throughput, patch)
        here = PathStart(ray, throughput, pdf, bounces, guided, indirect)
        state, towards_lamp, best = _sample_guide_cone(scene, state, at, follow, here, kept, best)
        state, u, v = next_2d(state, pixel, sample, pair + 2)
        state, pick, survival = next_pair(state)
        scatter = sample_bsdf(bsdf, u, v, pick)
        if scatter.pdf == NO_SAMPLE or dot(scatter.direction, face) <= F(0):
            break
        ray, vertex, mask, travelled, ahead = Ray(origin, scatter.direction), origin, _PATH, F(0), False
        throughput, pdf, bounces = mul(throughput, scatter.weight), scatter.pdf, bounces + 1
        specular, scattered = pdf == MIRROR_PDF, scattered or pdf > F(0)
        if specular:
            continue
        if towards_lamp.pdf > F(0) and cone_pdf(towards_lamp.cone, scatter.direction) > F(0):
            kept *= power_heuristic(pdf, towards_lamp.pdf)
        throughput = _roulette(throughput, began, bounces, survival)
    indirect_light = _indirect_light(found, direct, indirect, patches)
    return state, PathResult(found, indirect_light, albedo, normal, depth, clear, rays), best[0], best[1]


@njit(**INLINE_KERNEL_OPTIONS)
def trace_sample(scene, env, sampler, ray, max_bounces):
    """Trace one sample of a pixel.

    Parameters
    ----------
    scene : SceneArrays
        The scene.
    env : EnvironmentArrays
        Sun and sky.
    sampler : Sampler
        State of the random numbers.
    ray : Ray
        Camera ray.
    max_bounces : int64
        Largest number of bounces.

    Returns
    -------
    PathResult
        A camera path and the guided path it may start.
    """
    state, start = sampler.state, PathStart(ray, WHITE, F(0), 0, False, False)
    follow = CONTINUE_PROBABILITY if env.density[0, 0] > F(0) else F(1)
    whole, rays = PathResult(NO_SOURCES, NO_SOURCES, WHITE, BLACK, F(0), F(0), 0), 0
    lamps = lamps_indirect = BLACK
    for leg in range(2):  # one place for the integrator, which is long
        numbers = Sampler(state, sampler.pixel, sampler.sample)
        state, found, candidate, candidates = trace_path(scene, env, numbers, start, max_bounces)
        lamps, rays = add(lamps, found.light.lamps), rays + found.rays
        lamps_indirect = add(lamps_indirect, found.indirect.lamps)
        if leg == 0:
            whole = found
        if leg == 1 or candidates <= F(0):
            break
        state, u, _unused = next_pair(state)
        if u >= follow:
            break
        carried = scale(candidate.throughput, candidates / (largest(candidate.throughput) * follow))
        start = PathStart(candidate.ray, carried, candidate.pdf, candidate.bounces, True, candidate.indirect)
    light = BySource(whole.light.sun, whole.light.sky, lamps)
    indirect = BySource(whole.indirect.sun, whole.indirect.sky, lamps_indirect)
    return PathResult(light, indirect, whole.albedo, whole.normal, whole.depth, whole.transparency, rays)


@njit(**INLINE_KERNEL_OPTIONS)
def _add_sample(film, y, x, result):
    """Add what a sample found to a pixel."""
    light, indirect = result.light, result.indirect
    accumulate(film.sun, y, x, light.sun)
    accumulate(film.sky, y, x, light.sky)
    accumulate(film.lamps, y, x, light.lamps)
    accumulate(film.sun_indirect, y, x, indirect.sun)
    accumulate(film.sky_indirect, y, x, indirect.sky)
    accumulate(film.lamps_indirect, y, x, indirect.lamps)
    accumulate(film.albedo, y, x, result.albedo)
    accumulate(film.normal, y, x, result.normal)
    film.depth[y, x] += result.depth
    film.transparency[y, x] += result.transparency
    film.near[y, x] += math.exp(-result.depth * F(1.0 / NEAR_M))
    by_sun, by_sky, by_lamps = luminance(light.sun), luminance(light.sky), luminance(light.lamps)
    together = by_sun + by_sky + by_lamps
    film.squares[y, x, SUN_MOMENT] += by_sun * by_sun
    film.squares[y, x, SKY_MOMENT] += by_sky * by_sky
    film.squares[y, x, LAMPS_MOMENT] += by_lamps * by_lamps
    film.squares[y, x, TOGETHER_MOMENT] += together * together


@njit(**KERNEL_OPTIONS)
def trace_rows(scene, env, camera, wanted, seed, max_bounces, y0, y1, film):
    """Add the wanted samples to the pixels of rows y0..y1; returns the number of rays traced.

    The same seed and sample number of a pixel give the same result whatever the tiling.
    """
    rays = 0
    height, width = wanted.shape
    for y in range(y0, y1):
        for x in range(width):
            if wanted[y, x] == 0:
                continue
            done = int(film.counts[y, x])
            for sample in range(done, done + int(wanted[y, x])):
                pixel, number = pixel_id(x, y, seed), np.uint64(sample)
                state = pixel * PIXEL_HASH_MULTIPLIER + number * MIX2 + np.uint64(12345)
                u, v = sobol_pair(pixel, number, 0)
                offset = (sample_pixel_filter(u), sample_pixel_filter(v))
                ray = camera_ray(camera, (x, y), (width, height), offset, sobol_pair(pixel, number, 1))
                result = trace_sample(scene, env, Sampler(state, pixel, number), ray, max_bounces)
                _add_sample(film, y, x, result)
                rays += result.rays
            film.counts[y, x] += F(wanted[y, x])
    return rays
