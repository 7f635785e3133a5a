# SPDX-License-Identifier: Apache-2.0
"""Developing for the screen: linear light in AP1 cd/m2 to 8-bit colour, fast.

Links that look at a pixel alone are done by one kernel with rows in parallel: tone as tables over stops, colour as a
73-cube over roots of light, and an ACES view as one behind a log2 allocation, baked once. Links that need a pixel's
surroundings are those of `exact`; a `ScreenDeveloper` remembers what they made. A picture and a `DevelopSettings`
enter; RGBX leaves.
"""

from __future__ import annotations

from functools import lru_cache, partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.spaces import AP1_TO_REC709, linear_to_srgb, srgb_to_linear
from gloamet.colour.views import (
    FILM_INSET,
    FILM_OUTSET,
    FILM_SLOPE,
    FILM_SPEED,
    FILM_WHITE,
    REC709_LUMINANCE,
    VIEWS,
)
from gloamet.colour.views import film as film_view
from gloamet.develop import colour_grade
from gloamet.develop.chain import SCENE_LINKS
from gloamet.develop.colour_table import written_ns
from gloamet.develop.display_kernels import (
    CUBE_SIZE,
    CURVE_SIZE,
    LOG_LOW,
    LOG_RANGE,
    TABLE_LOWEST,
    TABLE_SIZE,
    TABLE_STEPS,
    EnlargedArrays,
    FilmCurve,
    RowArrays,
    ToneArrays,
    ViewArrays,
    develop_rows,
)
from gloamet.develop.exact import LUMINANCE, brightness_gain
from gloamet.develop.lens import finish_pixels, parts_that_act
from gloamet.develop.light_kernels import expose_rows
from gloamet.develop.links import ColourGrade, Tone
from gloamet.develop.masks import NO_PLANES, MaskPlanes
from gloamet.develop.pixel_kernels import enlarge_rows
from gloamet.develop.settings import DevelopSettings
from gloamet.develop.threads import THREADS, on_all_threads
from gloamet.develop.tone import (
    bends_brightness,
    channel_curves,
    channel_stops,
    lifts_details,
    toned_stops,
)
from gloamet.memo import Memo

Floats = NDArray[np.float32]
Packed = NDArray[np.uint32]
Pixels = NDArray[np.uint8]
CUBE_VALUES = 3 * CUBE_SIZE**3 + 1
_AS_IT_IS = np.eye(3, dtype=np.float32)
_NO_GAIN = np.zeros((1, 0), np.float32)


def _cache_file(view: str) -> Path:
    from platformdirs import user_cache_path

    return user_cache_path("gloamet") / f"view-{view.replace(' ', '-')}-{CUBE_SIZE}-3.npy"


def _grid(axis: Floats) -> Floats:
    """All colours of three values on an axis, (N**3, 3), red fastest."""
    blue, green, red = np.meshgrid(axis, axis, axis, indexing="ij")
    return np.stack([red, green, blue], -1).reshape(-1, 3)


def _cube(colours: Floats) -> Floats:
    """A cube as `display_kernels` takes it: its colours and one value more."""
    cube = np.zeros(CUBE_VALUES, np.float32)
    cube[:-1] = colours.ravel()
    return cube


@lru_cache(maxsize=4)
def screen_cube(view: str) -> Floats:
    """The baked view: codes 0..1 of CUBE_SIZE**3 colours, as `display_kernels` takes them.

    Kept in the user's cache: baking costs up to a second.
    """
    file = _cache_file(view)
    try:
        cube = np.load(file)
        if cube.shape == (CUBE_VALUES,) and cube.dtype == np.float32:
            return cube
    except (OSError, ValueError, EOFError):
        pass
    axis = np.exp2(np.linspace(0.0, 1.0, CUBE_SIZE) * LOG_RANGE + LOG_LOW).astype(np.float32)
    axis[0] = 0.0
    grid = _grid(axis).reshape(1, -1, 3)
    cube = _cube(np.clip(VIEWS[view].apply(np.ascontiguousarray(grid)), 0.0, 1.0))
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        np.save(file, cube)
    except OSError:
        pass  # a full or read-only cache only costs time
    return cube


@lru_cache(maxsize=1)
def _srgb_curve() -> NDArray[np.uint8]:
    return np.round(linear_to_srgb(np.linspace(0.0, 1.0, CURVE_SIZE + 1)) * 255.0).astype(np.uint8)


_TABLE_STOPS = TABLE_LOWEST + np.arange(TABLE_SIZE) / TABLE_STEPS
_NOTHING = np.zeros(0, np.float32)
_SCREEN_LUMINANCE = REC709_LUMINANCE.astype(np.float32)


@lru_cache(maxsize=2)
def _film_arrays(is_film: bool) -> FilmCurve:
    numbers = (FILM_SLOPE if is_film else 0.0, FILM_WHITE, FILM_SPEED, FILM_INSET, FILM_OUTSET)
    slope, white, speed, inset, outset = map(np.float32, numbers)
    matrix = np.ascontiguousarray(AP1_TO_REC709, np.float32)
    return FilmCurve(slope, white, speed, inset, outset, matrix, _SCREEN_LUMINANCE)


@lru_cache(maxsize=8)
def _tone_arrays(tone: Tone) -> ToneArrays:
    brightness, channels = _NOTHING, np.zeros((3, 0), np.float32)
    if bends_brightness(tone):
        brightness = np.exp2(toned_stops(_TABLE_STOPS, tone) - _TABLE_STOPS).astype(np.float32)
    curves = channel_curves(tone)
    if curves is not None:
        moved = [channel_stops(_TABLE_STOPS, points, tone) - _TABLE_STOPS for points in curves]
        channels = np.exp2(np.stack(moved)).astype(np.float32)
    return ToneArrays(brightness, channels, LUMINANCE)


@lru_cache(maxsize=1)
def _code_grid() -> Floats:
    """Codes 0..1 of the colour cube, (CUBE_SIZE**3, 3): its axes are uniform in the square root of linear light."""
    return _grid(linear_to_srgb(np.linspace(0.0, 1.0, CUBE_SIZE) ** 2).astype(np.float32))


@lru_cache(maxsize=8)
def _colour_cube(colour: ColourGrade, _table_written_ns: int) -> Floats:
    """What the link of colour makes of codes 0..1, some of it past them."""
    return _cube(colour_grade.grade_codes(_code_grid(), colour)) if colour_grade.acts(colour) else _NOTHING


@lru_cache(maxsize=2)
def _positions_cube(view: str) -> Floats:
    """The baked view for a picture that then passes the colour cube: positions on that cube's axes."""
    return ((CUBE_SIZE - 1) * np.sqrt(srgb_to_linear(screen_cube(view)))).astype(np.float32)


@lru_cache(maxsize=4)
def _resample_axis(few: int, many: int) -> NDArray[np.int32]:
    """Positions of the pixels of an enlarged row among `few`: (many, 2), as the kernels take them."""
    at = np.clip((np.arange(many) + 0.5) * few / many - 0.5, 0.0, few - 1.0)
    return np.stack([np.floor(at), np.floor(256.0 * (at - np.floor(at)))], 1).astype(np.int32)


def _view_arrays(settings: DevelopSettings, matrix: Floats) -> ViewArrays:
    view = VIEWS[settings.view]
    film, cube = _film_arrays(view.apply is film_view), _NOTHING
    colour = _colour_cube(settings.colour, written_ns(settings.colour.table))
    if view.apply is not film_view and not view.curve_alone:
        cube = _positions_cube(settings.view) if len(colour) else screen_cube(settings.view)
    tone = _tone_arrays(settings.tone)
    return ViewArrays(matrix, tone, cube, film, _srgb_curve(), colour)


def _exposed(picture: Floats, matrix: Floats) -> Floats:
    """A picture of light through the matrix of exposure and white balance."""
    out = np.empty(picture.shape, np.float32)
    on_all_threads(expose_rows, np.ascontiguousarray(picture, np.float32), matrix, out)
    return out


def _run(picture: Floats, gain: Floats, view: ViewArrays, size: tuple[int, int] | None) -> NDArray[np.uint32]:
    """The kernel on all threads: (H, W) of packed pixels, enlarged to size (width, height) where that is another."""
    height, width = picture.shape[:2]
    wide, high = (0, 0) if size is None or size == (width, height) else size
    out, large = np.empty((height, width), np.uint32), np.empty((high, wide), np.uint32)
    on_all_threads(
        develop_rows,
        THREADS,
        np.ascontiguousarray(picture, np.float32).reshape(height, -1),
        gain,
        view,
        out,
        RowArrays(
            np.empty((THREADS, 4, width), np.float32),
            np.empty((THREADS, 3, width), np.int32),
            np.empty((THREADS, 4, width), np.float32),
            np.empty((THREADS, width, 4), np.float32),
            np.empty((THREADS, width + 1), np.uint32),
        ),
        EnlargedArrays(_resample_axis(height, high), _resample_axis(width, wide), large),
    )
    return large if high else out


class ScreenDeveloper:
    """Develops pictures one after the other, and remembers what the links in front made of the last one: a change of
    the last links costs only these."""

    def __init__(self) -> None:
        self._exposed, self._gain, self._coded = Memo[Floats](), Memo[Floats | None](), Memo[Packed]()
        self._scene = {link.name: Memo[Floats]() for link in SCENE_LINKS}

    def develop(
        self,
        picture: Floats,
        settings: DevelopSettings,
        size: tuple[int, int] | None = None,
        planes: MaskPlanes = NO_PLANES,
    ) -> Pixels:
        """8-bit RGBX for the screen, (H, W, 4): within a code of the exact transform, a few where a view is baked.

        `size` (width, height) is what the picture is enlarged to once it is developed. Raises GloametError when a view
        or a look-up table cannot be used.
        """
        light, matrix = self._scene_light(picture, settings, planes)
        gain = self._brightness_gain(light, settings, matrix)
        view, gains = _view_arrays(settings, matrix), _NO_GAIN if gain is None else gain
        if not parts_that_act(settings.lens).finishes:
            done = _run(light, gains, view, size)
            return done.view(np.uint8).reshape(*done.shape, 4)
        inputs = (light, gains, view.colour, matrix.tobytes(), settings.view, settings.tone)
        small = self._coded.of(inputs, lambda: _run(light, gains, view, None)).copy()
        finish_pixels(small, settings.lens)
        pixels = small.view(np.uint8).reshape(*small.shape, 4)
        return pixels if size is None else enlarged_pixels(pixels, size)

    def _scene_light(
        self, picture: Floats, settings: DevelopSettings, planes: MaskPlanes
    ) -> tuple[Floats, Floats]:
        """The picture with the links that change light, and the matrix that is still owed."""
        matrix = settings.matrix()
        links = [link for link in SCENE_LINKS if link.acts(settings)]
        if not links:
            return picture, matrix
        light = self._exposed.of((picture, matrix.tobytes()), lambda: _exposed(picture, matrix))
        for link in links:
            inputs, apply = (
                (light, *link.inputs(settings, planes)),
                partial(link.apply, light, settings, planes),
            )
            light = self._scene[link.name].of(inputs, apply)
        return light, _AS_IT_IS

    def _brightness_gain(self, light: Floats, settings: DevelopSettings, matrix: Floats) -> Floats | None:
        tone, lens = settings.tone, settings.lens
        if not (lifts_details(tone) or parts_that_act(lens).darkens):
            return None

        details = (tone.on, tone.strength, tone.local_contrast, tone.local_radius)
        inputs = (light, matrix.tobytes(), details, lens.on, lens.strength, lens.vignette)
        weights = np.ascontiguousarray(LUMINANCE @ matrix)
        return self._gain.of(inputs, lambda: brightness_gain(light, settings, weights))


def enlarged_pixels(pixels: Pixels, size: tuple[int, int]) -> Pixels:
    """Resize developed pixels bilinearly.

    Parameters
    ----------
    pixels : ndarray
        8-bit RGBX, (h, w, 4).
    size : tuple of int
        Width and height of the result in pixels.

    Returns
    -------
    ndarray
        8-bit RGBX, (H, W, 4).
    """
    small = np.ascontiguousarray(pixels).view(np.uint32)[..., 0]
    width, high = size
    out, room = np.empty((high, width), np.uint32), np.empty(small.shape[1] + 1, np.uint32)
    axes = _resample_axis(small.shape[0], high), _resample_axis(small.shape[1], width)
    enlarge_rows(small, *axes, 0, high, room, out)
    return out.view(np.uint8).reshape(high, width, 4)


def develop_screen(picture: Floats, settings: DevelopSettings, size: tuple[int, int] | None = None) -> Pixels:
    """Develop one picture for the screen.

    Parameters
    ----------
    picture : ndarray
        Light, AP1 cd/m², (H, W, 3).
    settings : DevelopSettings
        How to develop.
    size : tuple of int or None, optional
        Width and height of the result in pixels; None keeps the size of the picture.

    Returns
    -------
    ndarray
        8-bit RGBX, (H, W, 4).
    """
    return ScreenDeveloper().develop(picture, settings, size)
