# SPDX-License-Identifier: Apache-2.0
"""Relighting in the viewport: when the cache is built, what is relit, and the crossfade to the exact picture.

A cache belongs to one compiled stage, camera and size; sun, sky and gains pass through it. Lights that sun and sky do
not change (lamps) are not part of it: theirs is taken from the last exact film of the same view, from the preview's
film until there is one.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from concurrent.futures import Executor
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.balance import apply_gain
from gloamet.light_layers import LIGHTS_RELIT_FROM_FILM, Gain, Gains
from gloamet.memo import Memo
from gloamet.meter.picture import SeenSurfaces
from gloamet.preview.relit_size import RelitSize
from gloamet.sky.irradiance import open_sky
from gloamet.stage.camera import Camera
from gloamet.trace.contact_shadow import contact_shadow_loss
from gloamet.trace.denoise import denoise, match_mean_luminance, split_highlights
from gloamet.trace.film import Film, Renderer
from gloamet.trace.lights.environment import Environment, combine_environments, sun_only, with_sun_of
from gloamet.trace.pixel_distances import FarParts, far_parts, nearness
from gloamet.trace.relight.cache import RelightCache
from gloamet.trace.relight.fine_display import FineDisplay
from gloamet.trace.relight.points import SourceGains
from gloamet.trace.render_scene import RenderScene, differs_by_ground_reflectance
from gloamet.trace.upsample import FeatureBuffers, features_from_film, resize_bilinear, upsample

Floats = NDArray[np.float32]
SEEN_PIXELS = 40_000  # that the meter reads
MIN_FILM_SAMPLES = 4  # samples of a film before its light is taken
CROSSFADE_BEGIN, CROSSFADE_END = (
    2,
    32,
)  # samples between which the exact picture takes the place of the relit one
EQUAL_ERROR_SAMPLES = (
    6  # samples past CROSSFADE_BEGIN with which an exact picture, cleaned, errs about as much as a relit one
)


class RelightView(NamedTuple):
    """What a picture shows: the stage, the camera on it, and the size in pixels."""

    compiled: RenderScene
    camera: Camera
    width: int
    height: int


def crossfade_weight(samples: float) -> float:
    """Weight of the exact picture at a number of samples, 0..1.

    Their errors have nothing to do with each other: mixed by how small each is, they are nearer to the truth together.
    """
    past, most = max(0.0, samples - CROSSFADE_BEGIN), CROSSFADE_END - CROSSFADE_BEGIN
    return min(1.0, past / (past + EQUAL_ERROR_SAMPLES) * (most + EQUAL_ERROR_SAMPLES) / most)


@dataclass(frozen=True, eq=False)
class FilmLight:
    """Light of a film that sun and sky do not change, at the size of relit pictures: the whole and the indirect part
    by light layer, and the number of paths that they come from."""

    view: RelightView
    layers: dict[str, tuple[Floats, Floats]]
    paths: float


class RelitPart(NamedTuple):
    """One term of the sum that a relit picture is: lights with one sun, their gains, and the sky of the indirect part
    where that is another."""

    lights: Environment
    gains: SourceGains
    indirect: Environment | None = None


def relit_by(lights: Environment, gains: Gains) -> list[RelitPart]:
    """What is relit under lights and gains: sun, sky and panorama at once, and a panorama's own sun apart where there
    is another already."""
    sun, panorama = gains.sun, lights.panorama
    own = None if panorama is None or not any(panorama.sun.irradiance) else panorama
    if panorama is None:
        return [RelitPart(lights, _source_gains(sun, gains.sky))]
    joined = combine_environments(lights, gains.sky.direct, gains.panorama.direct)
    indirect = None
    if not (gains.sky.even and gains.panorama.even):
        indirect = combine_environments(lights, gains.sky.indirect, gains.panorama.indirect)
    if own is None or not any(gains.panorama.direct):
        return [RelitPart(joined, _source_gains(sun, Gain()), indirect)]
    if not any(lights.sun.irradiance) or not any(sun.direct):
        moved = None if indirect is None else with_sun_of(indirect, own)
        return [RelitPart(with_sun_of(joined, own), _source_gains(gains.panorama, Gain()), moved)]
    apart = RelitPart(sun_only(own), _source_gains(gains.panorama, Gain()))
    return [RelitPart(joined, _source_gains(sun, Gain()), indirect), apart]


def _source_gains(sun: Gain, sky: Gain) -> SourceGains:
    colours = (sun.direct, sky.direct, sun.indirect, sky.indirect)
    return SourceGains(*((np.float32(r), np.float32(g), np.float32(b)) for r, g, b in colours))


Source = RelightCache | FineDisplay  # what knows what a picture of its size shows


def _features(source: Source, _samples: int) -> FeatureBuffers:
    return source.features()


def _seen(source: Source, _samples: int) -> SeenSurfaces:
    features = source.features()
    step = max(1, round(math.sqrt(features.depth.size / SEEN_PIXELS)))
    return SeenSurfaces(features.albedo[::step, ::step], features.depth[::step, ::step])


def _distances(source: Source, _samples: int, plain: bool) -> FarParts:
    depth = source.features().depth
    both = np.stack([depth, nearness(depth)], 2)
    if not plain:
        both = source.with_outlines(both)
    return far_parts(both[..., 0], both[..., 1])


def _transparency(source: Source, _samples: int) -> Floats:
    return source.transparency()


class Relighting:
    """One cache, the picture it last gave at rest, and the light that it takes from a film."""

    def __init__(self) -> None:
        self._view: RelightView | None = None
        self.cache: RelightCache | None = None
        self._rest: tuple[object, Floats] | None = None
        self._film_light: FilmLight | None = None
        self._fine: FineDisplay | None = None  # of the cache, once that is complete
        # of one step of one cache each, and of its fine display
        self._features = Memo(_features, 2)
        self._seen = Memo(_seen)
        self._distances = Memo(_distances, 2)
        self._transparency = Memo(_transparency, 2)
        self._fine_film_light = Memo(self._upsampled_film_light)
        self.size = RelitSize()

    def forget(self) -> None:
        """Release everything."""
        self._view = self.cache = self._rest = self._film_light = self._fine = None
        self._forget_step()
        self._fine_film_light.forget()

    def _forget_step(self) -> None:
        for memo in (self._features, self._seen, self._distances, self._transparency):
            memo.forget()

    def ready(self, view: RelightView) -> bool:
        """Whether pictures of this stage, camera and size can be relit."""
        return self.cache is not None and self._view == view and bool(self.cache.ready)

    def follow_ground(self, view: RelightView) -> None:
        """Continue with the cache for a stage whose ground reflects more or less, which is a matter of light alone."""
        before = self._view
        if self.cache is None or before is None or not self.cache.ready:
            return
        if before.compiled is view.compiled or before[1:] != view[1:]:
            return
        if differs_by_ground_reflectance(before.compiled, view.compiled):
            self.cache.recolour_ground(view.compiled)
            if self._fine is not None:
                self._fine.recolour_ground()
            if self._film_light is not None and self._film_light.view == self._view:
                # good enough until a film of this ground has its own
                self._film_light = replace(self._film_light, view=view, paths=0.0)
            self._view, self._rest = view, None
            self._features.forget()
            self._seen.forget()
            self._fine_film_light.forget()

    def improve(
        self, view: RelightView, lights: Environment, renderer: Renderer, cancelled: Callable[[], bool]
    ) -> bool:
        """One more step of the cache, a new one when it is of something else; False when it is full."""
        if self._view != view:
            shrink = max(1.0, math.sqrt(view.width * view.height / self.size.pixels()))
            width, height = (max(16, round(side / shrink)) for side in (view.width, view.height))
            made = RelightCache(
                view.compiled, view.camera, width, height, renderer.pool, renderer.threads, self.cache
            )
            self._view, self.cache, self._fine = view, made, None
        assert self.cache is not None
        if self.cache.full:
            return False
        return bool(self.cache.improve(relit_by(lights, Gains())[0].lights, cancelled))

    def sharpen(self, view: RelightView, cancelled: Callable[[], bool]) -> bool:
        """Make the display at the screen's own pixels, once the cache is complete; whether there is a new one."""
        cache = self.cache
        if cache is None or self._view != view or not cache.full or view.width <= cache.width:
            return False
        if self._fine is None:
            self._fine = FineDisplay(cache, view.width, view.height)
        return not self._fine.ready and self._fine.improve(cancelled)

    @property
    def fine(self) -> FineDisplay | None:
        """The display at the screen's own pixels, None while there is none."""
        return self._fine if self._fine is not None and self._fine.ready else None

    def relit(self, lights: Environment, gains: Gains, rest: object = None, contact: float = 0.0) -> Floats:
        """The picture under these lights; with `rest`, all bounces, at the screen's own pixels where they are known,
        and kept under that view for the hand-over."""
        begin = time.perf_counter()
        picture = self.lit(lights, gains, rest is not None, contact)
        if rest is None:
            self.size.relit(picture.shape[0] * picture.shape[1], time.perf_counter() - begin)
        self._rest = None if rest is None else (rest, picture)
        return picture

    def lit(
        self, lights: Environment, gains: Gains, at_rest: bool, contact: float = 0.0, sharp: bool = True
    ) -> Floats:
        """The picture under these lights and those of the film, with contact shadow of a strength: at rest with all
        bounces and, if it is to be sharp, at the screen's own pixels where they are known; in motion with fewer of
        both."""
        fine = self.fine if at_rest and sharp else None
        first, *others = relit_by(lights, gains)
        picture = self._part(first, at_rest, fine)
        for part in others:
            picture += self._part(part, at_rest, fine)
        if self.has_film_light:
            for name, (whole, indirect) in self._film_layers(fine).items():
                gain: Gain = getattr(gains, name)
                if any(gain.direct):
                    picture += apply_gain(whole, indirect, *gain)
        if contact > 0.0:
            loss = self._contact_shadow_loss(lights, gains, contact)
            picture -= loss if fine is None else self._upsampled(loss, fine)
        return picture

    def bounces_kept(self) -> AbstractContextManager[None]:
        """What is relit meanwhile leaves no trace in the light that goes round between cells."""
        return self.cache.cells.bounces_kept() if self.cache is not None else nullcontext()

    @property
    def has_film_light(self) -> bool:
        """Whether the lights of a film of this view are known."""
        return self._film_light is not None and self._film_light.view == self._view

    def _part(self, part: RelitPart, at_rest: bool, fine: FineDisplay | None) -> Floats:
        assert self.cache is not None
        # a picture that will be enlarged along outlines must not have mixed them before
        mixed = at_rest or self.fine is None
        picture: Floats = self.cache.relit(part.lights, part.gains, at_rest, part.indirect, mixed)
        return picture if fine is None else fine.shade(part.lights, part.gains)

    def _film_layers(self, fine: FineDisplay | None) -> dict[str, tuple[Floats, Floats]]:
        assert self._film_light is not None
        return self._film_light.layers if fine is None else self._fine_film_light(self._film_light, fine)

    def _upsampled_film_light(self, light: FilmLight, fine: FineDisplay) -> dict[str, tuple[Floats, Floats]]:
        return {
            name: (self._upsampled(whole, fine), self._upsampled(indirect, fine))
            for name, (whole, indirect) in light.layers.items()
        }

    def _upsampled(self, picture: Floats, fine: FineDisplay) -> Floats:
        """A relit picture of the cache's size at the screen's own pixels."""
        assert self.cache is not None
        features = self._features(*self._step()), self._features(*self._step(fine))
        return fine.with_outlines(upsample(picture, *features, self.cache.workers.pool))

    def enlarges(self, shape: tuple[int, ...]) -> bool:
        """Whether `enlarged` takes pictures of this shape (H, W, ...)."""
        cache = self.cache
        return cache is not None and self.fine is not None and shape[:2] == (cache.height, cache.width)

    def enlarged(self, pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Developed pixels (h, w, 4) of the cache's size at the screen's own."""
        assert self.fine is not None
        return self.fine.enlarge(pixels)

    def _contact_shadow_loss(self, lights: Environment, gains: Gains, contact: float) -> Floats:
        """What contact shadow takes of sky and panorama, by pictures of their direct light alone."""
        assert self.cache is not None
        features = self._features(*self._step())
        loss = np.zeros_like(features.albedo)
        for env, gain in ((lights, gains.sky), (lights.panorama, gains.panorama)):
            if env is None or not any(gain.direct):
                continue
            # the same sun: another would have every cell ask for it again
            direct = self.cache.direct_sky(replace(env, sun=lights.sun, panorama=None))
            arguments = direct, features.albedo, features.normal, open_sky(env.table), contact
            loss += contact_shadow_loss(*arguments) * np.array(gain.direct, np.float32)
        return np.asarray(loss, np.float32)

    def keep_film_light(
        self,
        view: RelightView,
        film: Film,
        pool: Executor,
        cancelled: Callable[[], bool],
        least: int = MIN_FILM_SAMPLES,
    ) -> bool:
        """Take the lights that sun and sky do not change from a film of at least `least` samples; returns whether they
        were taken. Those of more paths stay: the film begins again with every sun, these lights do not.
        """
        lit = [light for light in LIGHTS_RELIT_FROM_FILM if film.layers[light.name].any()]
        if self._view != view or film.samples_in(None) < least or not lit:
            return False
        assert self.cache is not None
        paths = film.mean_samples() * film.width * film.height
        kept = self._film_light
        if kept is not None and kept.view == view and kept.paths >= paths:
            return False
        layers: dict[str, tuple[Floats, Floats]] = {}
        for light in lit:
            noisy = film.mean(light.name), film.mean(light.indirect)
            clean = [denoise(layer, film, cancelled=cancelled) for layer in noisy]
            if clean[0] is None or clean[1] is None:
                return False
            pair = (match_mean_luminance(clean[0], noisy[0]), match_mean_luminance(clean[1], noisy[1]))
            whole, indirect = (self._at_cache_size(layer, film, pool) for layer in pair)
            layers[light.name] = whole, indirect
        self._film_light = FilmLight(view, layers, paths)
        return True

    def _at_cache_size(self, clean: Floats, film: Film, pool: Executor) -> Floats:
        """A film's clean layer at the size of relit pictures."""
        assert self.cache is not None
        size = self.cache.height, self.cache.width
        if film.width >= self.cache.width:
            return resize_bilinear(clean, size)
        # what glows itself has nothing to do with how much its surface reflects
        dim, bright = split_highlights(clean)
        features = features_from_film(film, 1), self._features(*self._step())
        light = upsample(dim, *features, pool) + resize_bilinear(bright, size)
        return self.cache.with_outlines(light)

    def seen(self) -> SeenSurfaces:
        """What the scene meter reads beside a relit picture: few pixels, computed once for each step of the cache."""
        return self._seen(*self._step())

    def depth(self) -> Floats:
        """Distance of what each pixel of a relit picture in motion shows, metres, 0 for sky."""
        return self._features(*self._step()).depth

    def distances(self, shape: tuple[int, ...] = (), plain: bool = False) -> FarParts:
        """What of each pixel of a relit picture (H, W, ...) is far, and how far; `plain` where outlines are not mixed,
        as in motion before they are enlarged."""
        return self._distances(*self._source(shape), plain and self.fine is not None)

    def transparency(self, shape: tuple[int, ...] = ()) -> Floats:
        """The fraction of each pixel of a relit picture (H, W, ...) that sees past all objects."""
        return self._transparency(*self._source(shape))

    def _source(self, shape: tuple[int, ...]) -> tuple[Source, int]:
        """What knows the pixels of a picture of this shape, with the step of the cache."""
        fine = self.fine
        return self._step(fine if fine is not None and shape[:2] == (fine.height, fine.width) else None)

    def _step(self, fine: FineDisplay | None = None) -> tuple[Source, int]:
        assert self.cache is not None
        return fine or self.cache, self.cache.samples

    def exact_weight(self, rest: object, samples: float) -> float:
        """`crossfade_weight` where a relit picture of that light is being shown, else all of it."""
        return crossfade_weight(samples) if self._rest is not None and self._rest[0] == rest else 1.0

    def mixed(self, exact: Floats | None, fraction: float, shape: tuple[int, int]) -> Floats:
        """The picture at rest with its fraction of the exact one."""
        assert self._rest is not None
        relit = resize_bilinear(self._rest[1], shape)
        if exact is None:
            return relit
        return np.asarray(relit + np.float32(fraction) * (exact - relit), np.float32)
