# SPDX-License-Identifier: Apache-2.0
"""The whole chain: neutral is exposure and view alone, screen and file agree, nothing breaks it."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from gloamet.colour.curves import HUE_BANDS
from gloamet.colour.views import VIEWS
from gloamet.develop.colour_table import write_table
from gloamet.develop.display import ScreenDeveloper, develop_screen
from gloamet.develop.exact import develop_exact
from gloamet.develop.links import ColourGrade, Glare, HueBand, Lens, Mask, Tone
from gloamet.develop.masks import MaskPlanes
from gloamet.develop.settings import DevelopSettings

LINKS = {
    "glare": {"glare": Glare(veiling_glare=3.0, glow=20.0, starburst=2.0, flare=1.0)},
    "mask": {"masks": (Mask(mired=30.0, saturation=1.4, contrast=0.3),)},
    "tone": {
        "tone": Tone(contrast=0.3, shadows=0.7, highlights=-0.8, curve_red=((0, 0), (0.5, 0.55), (1, 1)))
    },
    "local contrast": {"tone": Tone(local_contrast=0.7)},
    "colour": {
        "colour": ColourGrade(
            saturation=1.3,
            vibrance=0.5,
            shadow_toning=0.3,
            bands=(HueBand(hue=10.0, saturation=0.3),) + (HueBand(),) * (len(HUE_BANDS) - 1),
        )
    },
    "black and white": {"colour": ColourGrade(black_and_white=True, filter=(1.0, 0.5, 0.1))},
    "bent": {"lens": Lens(distortion=5.0, fringe=2.0)},
    "corners": {"lens": Lens(vignette=1.5)},
    "finish": {"lens": Lens(sharpness=0.3, grain=0.2)},
    "kept warmth": {"warmth_kept": 0.6},
}


def scene(height: int = 90, width: int = 140) -> np.ndarray:
    y, x = np.mgrid[0:height, 0:width].astype(float)
    stops = 3.0 * np.sin(x / 17.0) + 2.0 * np.cos(y / 11.0)
    colours = np.stack([1.0 + 0.3 * np.sin(x / 23.0), np.ones_like(x), 1.0 + 0.4 * np.cos(y / 19.0)], -1)
    return (0.1 * np.exp2(stops)[..., None] * colours).astype(np.float32)


@pytest.mark.parametrize("view", ["film", "plain sRGB"])
@pytest.mark.parametrize("link", LINKS)
def test_the_screen_shows_what_the_file_holds_within_a_code(link: str, view: str) -> None:
    settings = DevelopSettings(0.0, 5200.0, 3.0, view, **LINKS[link])  # type: ignore[arg-type]
    exact, screen = 255.0 * develop_exact(scene(), settings), develop_screen(scene(), settings)[..., :3]
    # Rounding is half a code; sharpness of 0.3 makes it 1.3 times larger. Bands of hue and vibrance at once bend colour
    # within less than a step of the link's table.
    apart, most = np.abs(screen - exact), {"finish": 1.15, "colour": 2.0}
    assert np.quantile(apart, 0.99) <= 1.0
    assert np.quantile(apart, 0.999) <= most.get(link, 1.0)
    assert apart.max() <= 3.0


@pytest.mark.parametrize("link", LINKS)
def test_every_link_changes_the_picture(link: str) -> None:
    plain = develop_exact(scene(), DevelopSettings(0.0, 5200.0))
    assert np.abs(develop_exact(scene(), DevelopSettings(0.0, 5200.0, **LINKS[link])) - plain).max() > 0.01  # type: ignore[arg-type]


@pytest.mark.parametrize("view", VIEWS)
def test_neutral_links_leave_exposure_and_view_to_the_bit(view: str) -> None:
    settings = DevelopSettings(-1.3, balanced=False, view=view)
    scale = np.float32(np.pi / (2.5 * 2.0**-1.3))  # ISO 2720, C = 250
    by_hand = np.clip(VIEWS[view].apply(np.ascontiguousarray(scene() * scale)), 0.0, 1.0)
    assert (develop_exact(scene(), settings) == by_hand).all()


def test_a_balance_that_keeps_all_of_the_lights_colour_is_none() -> None:
    plain, kept = (
        develop_exact(scene(), DevelopSettings(0.0, 3200.0, 12.0, **values))  # type: ignore[arg-type]
        for values in ({"balanced": False}, {"warmth_kept": 1.0})
    )
    assert kept == pytest.approx(plain, abs=0.004)  # scene colour's white is D60, a hair from 6000 K


def test_warmth_that_is_kept_lies_between_none_and_all() -> None:
    warm = np.full((1, 1, 3), 0.18, np.float32) * np.array([1.5, 1.0, 0.5], np.float32)
    red = [
        float(np.subtract(*develop_exact(warm, DevelopSettings(0.3, 3200.0, warmth_kept=kept))[0, 0, [0, 2]]))
        for kept in (0.0, 0.5, 1.0)
    ]
    assert red[0] < red[1] < red[2]


def test_not_a_number_and_infinity_pass_every_link() -> None:
    picture = scene()
    picture[3, 3], picture[4, 4] = np.nan, np.inf
    for values in LINKS.values():
        settings = DevelopSettings(0.0, **values)  # type: ignore[arg-type]
        assert np.isfinite(develop_exact(picture, settings)).all()
        assert develop_screen(picture, settings).shape == (90, 140, 4)


def test_a_developer_remembers_and_is_never_wrong() -> None:
    developer, picture, planes = ScreenDeveloper(), scene(), MaskPlanes(np.full((90, 140), 5.0, np.float32))
    near = Mask(kind="distance", far_m=10.0, exposure=1.0)
    veil, bent = Glare(veiling_glare=5.0), Lens(distortion=5.0, fringe=1.0)
    # what is remembered of a picture must follow every setting that it was made with: each changes alone
    steps = (
        DevelopSettings(0.0, glare=veil),
        DevelopSettings(0.0, glare=Glare(veiling_glare=8.0)),
        DevelopSettings(1.0, glare=Glare(veiling_glare=8.0)),
        DevelopSettings(1.0, 3200.0, glare=Glare(veiling_glare=8.0)),
        DevelopSettings(1.0, glare=veil, masks=(near,)),
        DevelopSettings(1.0, glare=veil, masks=(replace(near, exposure=-1.0),)),
        DevelopSettings(1.0, glare=veil, masks=(near,), lens=bent),
        DevelopSettings(1.0, glare=veil, masks=(near,), lens=replace(bent, fringe=5.0)),
        DevelopSettings(1.0, glare=veil, masks=(near,), lens=replace(bent, distortion=-5.0)),
        DevelopSettings(1.0, tone=Tone(local_contrast=0.8)),
        DevelopSettings(1.0, tone=Tone(local_contrast=0.4), lens=Lens(vignette=1.0)),
        DevelopSettings(1.0, tone=Tone(local_contrast=0.4), lens=Lens(vignette=2.0)),
        DevelopSettings(1.0, tone=Tone(contrast=0.4), lens=Lens(grain=0.1)),
        DevelopSettings(1.0, tone=Tone(contrast=0.1), lens=Lens(grain=0.1)),
        DevelopSettings(0.0),
    )
    for light in (picture, 2.0 * picture):
        for settings in steps:
            seen = developer.develop(light, settings, planes=planes)
            assert (seen == ScreenDeveloper().develop(light, settings, planes=planes)).all()


@pytest.mark.parametrize("view", ["ACES 2.0", "ACES 1.3"])
def test_colour_behind_a_baked_view_is_within_a_few_codes_of_the_file(view: str) -> None:
    settings = DevelopSettings(0.0, 5200.0, 3.0, view, **LINKS["colour"])  # type: ignore[arg-type]
    apart = np.abs(develop_screen(scene(), settings)[..., :3] - 255.0 * develop_exact(scene(), settings))
    assert np.quantile(apart, 0.99) <= 2.0
    assert np.quantile(apart, 0.999) <= 4.0  # dark channels beside bright ones, where codes are steep
    assert apart.max() <= 8.0


def test_a_finished_picture_is_enlarged_like_any_other() -> None:
    settings = DevelopSettings(0.0, lens=Lens(grain=0.2))
    large = develop_screen(scene(), settings, (280, 180))
    assert large.shape == (180, 280, 4)
    small = develop_screen(scene(), settings)[..., :3].astype(float)
    assert large[..., :3].mean() == pytest.approx(small.mean(), abs=0.3)


def test_cards_and_skies_are_developed_alike_wherever_they_stand_in_a_strip() -> None:
    # masks, corners, glare and details are of places in the picture: a strip of cards has none
    settings = DevelopSettings(
        0.0,
        tone=Tone(contrast=0.4, local_contrast=0.8),
        glare=Glare(veiling_glare=5.0),
        masks=(Mask(exposure=2.0),),
        lens=Lens(vignette=2.0, grain=1.0),
    )
    strip = np.full((20, 80, 3), 0.18, np.float32)
    strip[:, 40:] = 0.9
    seen = develop_screen(strip, settings.point_operations())
    assert np.ptp(seen[:, :40], axis=(0, 1)).max() == 0
    assert np.ptp(seen[:, 40:], axis=(0, 1)).max() == 0
    alone = develop_screen(strip, DevelopSettings(0.0, tone=Tone(contrast=0.4)))
    assert (seen == alone).all()


def test_a_colour_table_that_was_written_anew_is_seen_at_once(tmp_path: Path) -> None:
    path = tmp_path / "t.cube"
    settings = DevelopSettings(0.0, colour=ColourGrade(table=str(path)), lens=Lens(grain=0.1))
    developer, picture, seen = ScreenDeveloper(), scene(), []
    for fraction in (1.0, 0.4):
        write_table(path, lambda codes, fraction=fraction: fraction * codes, 5, "t")
        os.utime(path, ns=(int(fraction * 1e18), int(fraction * 1e18)))
        seen.append(float(developer.develop(picture, settings)[..., :3].mean()))
    assert seen[1] == pytest.approx(0.4 * seen[0], rel=0.05)
