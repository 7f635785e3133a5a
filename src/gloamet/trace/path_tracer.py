"""The integrator: path tracing with next-event estimation, MIS, lamp guiding and Russian roulette; a band of rows.

Array layouts. camera as in `camera_rays`. A film's layers are `film.FilmArrays`, float32 sums over samples: sun, sky,
lamps, albedo and normal (H, W, 3), depth, near and transparency (H, W), squares (H, W, 5) of the luminance of sun, sky,
lamps and their sum, counts (H, W). wanted (H, W) uint16: samples of each pixel in this pass. scene is a
`render_scene.SceneArrays`, env an `environment.EnvironmentArrays`. Light from the sun, the sky and lamps (all bounces)
never mix, so that a gain is a weighted sum afterwards. Stated limits: the sun's disc mirrored onto a diffuse surface (a
caustic) is left out, a small lamp so mirrored is dimmed (`materials.SMALL_LAMP_M2`); glass is passed straight.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.document.lights import MOMENT_INDEX, TOGETHER
from gloamet.jit import INLINE_KERNEL_OPTIONS, KERNEL_OPTIONS, F
from gloamet.sky.dome import dome_coordinates, sky_radiance
from gloamet.trace.bsdf import MIRROR_ALPHA, sample_bsdf, sample_thin_glass
from gloamet.trace.camera_rays import camera_ray, sample_pixel_filter
from gloamet.trace.direct_lighting import (
    NO_LIGHT,
    emitted_radiance_mis,
    miss_radiance,
    sample_area_light,
    sample_sky_light,
)
from gloamet.trace.distance import NEAR_M
from gloamet.trace.embree import CAMERA_MASK, PATH_MASK
from gloamet.trace.ground_plane import ground_distance, horizon_fade
from gloamet.trace.lamp_guiding import CONTINUE_PROBABILITY, NO_CONE, cone_pdf, sample_guided_direction
from gloamet.trace.materials import EMISSION, GLASS, KIND, MIRRORED_LAMP_WEIGHT, TRANSMISSION
from gloamet.trace.rays import intersect
from gloamet.trace.records import GuidedSample, PathResult, PathStart, Ray, Sampler
from gloamet.trace.sampler import (
    GOLDEN,
    MIX2,
    PAIRS,
    PIXEL_HASH_MULTIPLIER,
    next_2d,
    next_pair,
    pixel_id,
    sobol_pair,
)
from gloamet.trace.shading import evaluate_material, is_hole, make_bsdf, resolve_hit, select_layer
from gloamet.trace.sun_portals import bsdf_mis_weight, sample_sun, supports_patch_sampling
from gloamet.trace.vec import (
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
    total,
    triple,
)
from gloamet.trace.visibility import MAX_PASSES, T_MAX, ray_epsilon

_CAMERA, _PATH = np.int32(CAMERA_MASK), np.int32(PATH_MASK)
FIRST_SURFACE_DIMENSION = 2  # pair of even numbers, after the place in the pixel and the one on the lens
SUN_MOMENT, SKY_MOMENT, LAMPS_MOMENT = (MOMENT_INDEX[name] for name in ("sun", "sky", "lamps"))
TOGETHER_MOMENT = MOMENT_INDEX[TOGETHER]
ROULETTE_FROM = F(0.97)  # survival probabilities above this are not worth a random number
NO_GUIDED = GuidedSample(NO_CONE, F(0), UP, BLACK, F(0), F(0))


@njit(**INLINE_KERNEL_OPTIONS)
def _fades_into_sky(scene, env, state, ray, ahead):
    """Whether the far ground gives way to the sky at the horizon, by a random number: (state, whether, radiance)."""
    state, u, _unused = next_pair(state)
    if u < horizon_fade(scene.plane, ray.direction[2]):
        return state, False, BLACK
    x, y = dome_coordinates(ray.direction[0], ray.direction[1], F(0))
    return state, True, sky_radiance(env.seen.table if ahead else env.table, x, y)


@njit(**INLINE_KERNEL_OPTIONS)
def _emission(scene, met, ray, travelled, specular, scattered, pdf):
    """Light that a surface met sends back along a path's ray; a small lamp found by way of a mirror is dimmed."""
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
    if towards_lamp.coin * candidates < largest(carried):
        candidate = PathStart(new.ray, carried, towards_lamp.bsdf_pdf, new.bounces, True)
    return candidate, candidates


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
def _next_event_estimation(scene, env, sampler, pair, bsdf, origin, normal, found_weight, goes_on, guided):
    """Light sampled at a surface: (state, `LightSample` of the sun, of the sky, of a lamp); a guided path asks lamps
    alone."""
    state, pixel, sample = sampler
    sun, sky, lamp = NO_LIGHT, NO_LIGHT, NO_LIGHT
    if total(env.sun.irradiance) > F(0) and not guided:
        state, u, v = next_2d(state, pixel, sample, pair)
        state, sun = sample_sun((u, v), state, scene, env.sun, bsdf, origin, normal, found_weight, goes_on)
    if env.density[0, 0] > F(0) and not guided:
        state, u, v = next_2d(state, pixel, sample, pair + 1)
        state += GOLDEN
        sky = sample_sky_light(u, v, state, scene, env, bsdf, origin, normal)
    if len(scene.lamps) > 0:
        state += GOLDEN
        lamp = sample_area_light(state, scene, bsdf, origin, normal)
        state += GOLDEN
    return state, sun, sky, lamp


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
    """One path from a `PathStart`: (state, `PathResult`, the start of a guided path, what all such could carry)."""
    (state, pixel, sample), (ray, throughput, pdf, bounces, guided) = sampler, start
    sun = sky = lamps = normal = BLACK
    albedo, depth, clear, travelled, vertex = WHITE, F(0), F(0), F(0), ray.origin
    specular, scattered, seen, sighted, ahead = not guided, guided, guided, guided, not guided
    passes, rays, mask = 0, 0, _PATH if guided else _CAMERA
    # kept: share of the lamps' light met on the way that is not a guided path's
    materials, kept, began = scene.materials, F(1), largest(throughput)
    follow = CONTINUE_PROBABILITY if env.density[0, 0] > F(0) else F(1)
    candidates, candidate = F(0), PathStart(ray, BLACK, F(0), 0, True)
    while True:
        hit = intersect(scene.handle, ray, F(0), T_MAX, mask)
        rays += 1
        ground = ground_distance(scene.plane, ray, hit.distance)
        if ground > F(0) and specular and not scattered:
            state, fades, horizon = _fades_into_sky(scene, env, state, ray, ahead)
            sky = add_product(sky, throughput, horizon)
            if fades:
                clear, depth = luminance(throughput) if ahead else F(0), F(0)
                break
        if ground <= F(0) and hit.primitive < 0:
            if not guided:
                last = Ray(vertex, ray.direction)
                by_sun, by_sky = miss_radiance(env, scene, last, specular, scattered, pdf, ahead)
                sun, sky = add_product(sun, throughput, by_sun), add_product(sky, throughput, by_sky)
                clear = luminance(throughput) if ahead else F(0)
            depth = depth if sighted else F(0)
            break
        met = resolve_hit(scene, ground, hit, ray)
        m, step = met.material, ray_epsilon(met.distance, met.position)
        travelled += met.distance
        depth = depth if sighted else depth + met.distance
        if is_hole(scene, met) and passes < MAX_PASSES:
            passes += 1
            ray = Ray(add_scaled(met.position, ray.direction, step), ray.direction)
            continue
        emitted = _emission(scene, met, ray, travelled, specular, scattered, pdf)
        lamps = add_scaled(lamps, mul(throughput, emitted), kept)
        state, u, v = next_pair(state)
        if materials[m, KIND] == F(GLASS) and u < materials[m, TRANSMISSION]:
            if passes == MAX_PASSES:
                break
            passes += 1
            direction, through, reflected = sample_thin_glass(materials, m, met.normal, ray.direction, v)
            throughput, specular = mul(throughput, through), specular or reflected
            ahead, sighted = ahead and not reflected, sighted or reflected
            ray = Ray(add_scaled(met.position, met.normal, step if reflected else -step), direction)
            continue
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
        found = F(1) if bounces == 0 or specular else _found_patch_weight(scene, env, vertex, ray, met, pdf)
        numbers, goes_on = (state, pixel, sample), bounces + 1 < max_bounces
        state, by_sun, by_sky, by_lamp = _next_event_estimation(
            scene, env, numbers, pair, bsdf, origin, face, found, goes_on, guided
        )
        sun = add_product(sun, throughput, by_sun.radiance)
        sky = add_product(sky, throughput, by_sky.radiance)
        lamps = add_scaled(lamps, mul(throughput, by_lamp.radiance), kept)
        rays += by_sun.rays + by_sky.rays + by_lamp.rays
        towards_lamp = NO_GUIDED
        if len(scene.guides) > 0 and not guided:
            state, towards_lamp = sample_guided_direction(scene.guides, state, bsdf, follow, origin, face)
            new = PathStart(Ray(origin, towards_lamp.direction), throughput, F(0), bounces + 1, True)
            candidate, candidates = _reservoir_of_one(towards_lamp, new, kept, candidate, candidates)
        state, u, v = next_2d(state, pixel, sample, pair + 2)
        state, pick, survival = next_pair(state)
        scatter = sample_bsdf(bsdf, u, v, pick)
        if scatter.pdf < F(0) or dot(scatter.direction, face) <= F(0):
            break
        ray, vertex, mask, travelled, ahead = Ray(origin, scatter.direction), origin, _PATH, F(0), False
        throughput, pdf, bounces = mul(throughput, scatter.weight), scatter.pdf, bounces + 1
        specular, scattered = pdf == F(0), scattered or pdf > F(0)
        if specular:
            continue
        if towards_lamp.pdf > F(0) and cone_pdf(towards_lamp.cone, scatter.direction) > F(0):
            kept *= power_heuristic(pdf, towards_lamp.pdf)
        throughput = _roulette(throughput, began, bounces, survival)
        if largest(throughput) <= F(0):
            break
    return state, PathResult(sun, sky, lamps, albedo, normal, depth, clear, rays), candidate, candidates


@njit(**INLINE_KERNEL_OPTIONS)
def trace_sample(scene, env, sampler, ray, max_bounces):
    """One sample of a pixel: a path from the camera and the guided path it may leave, as one `PathResult`."""
    state, start = sampler.state, PathStart(ray, WHITE, F(0), 0, False)
    follow = CONTINUE_PROBABILITY if env.density[0, 0] > F(0) else F(1)
    whole, lamps, rays = PathResult(BLACK, BLACK, BLACK, WHITE, BLACK, F(0), F(0), 0), BLACK, 0
    for leg in range(2):  # one place for the integrator, which is long
        numbers = Sampler(state, sampler.pixel, sampler.sample)
        state, found, candidate, candidates = trace_path(scene, env, numbers, start, max_bounces)
        lamps, rays = add(lamps, found.lamps), rays + found.rays
        if leg == 0:
            whole = found
        if leg == 1 or candidates <= F(0):
            break
        state, u, _unused = next_pair(state)
        if u >= follow:
            break
        carried = scale(candidate.throughput, candidates / (largest(candidate.throughput) * follow))
        start = PathStart(candidate.ray, carried, candidate.pdf, candidate.bounces, True)
    first = whole.albedo, whole.normal, whole.depth, whole.transparency
    return PathResult(whole.sun, whole.sky, lamps, *first, rays)


@njit(**INLINE_KERNEL_OPTIONS)
def _add_sample(film, y, x, result):
    """Add what a sample found to a pixel."""
    accumulate(film.sun, y, x, result.sun)
    accumulate(film.sky, y, x, result.sky)
    accumulate(film.lamps, y, x, result.lamps)
    accumulate(film.albedo, y, x, result.albedo)
    accumulate(film.normal, y, x, result.normal)
    film.depth[y, x] += result.depth
    film.transparency[y, x] += result.transparency
    film.near[y, x] += math.exp(-result.depth * F(1.0 / NEAR_M))
    by_sun, by_sky, by_lamps = luminance(result.sun), luminance(result.sky), luminance(result.lamps)
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
