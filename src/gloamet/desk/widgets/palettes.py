# SPDX-License-Identifier: Apache-2.0
"""Colours of the interface: a dark and a light palette of neutral greys, which leave the judgement of colours alone.

A name gives a `Palette`; the hues of lights are darker where the ground is light.
"""

from __future__ import annotations

from typing import NamedTuple

from gloamet.light_layers import HUES


class Palette(NamedTuple):
    """Grounds: ground, well, surround (of the picture), line, tip. Buttons: action, pointed (under the pointer), raised
    (on), outline; main, main_pointed, main_ink of the one main action. Text: ink, dim, quiet, off (disabled). Controls:
    focus, track, filled, switch_on, knob. Hues: sun, sky, lamps, panorama, warning."""

    ground: str
    well: str
    surround: str
    line: str
    tip: str
    action: str
    pointed: str
    raised: str
    outline: str
    ink: str
    dim: str
    quiet: str
    off: str
    main: str
    main_pointed: str
    main_ink: str
    focus: str
    track: str
    filled: str
    switch_on: str
    knob: str
    sun: str
    sky: str
    lamps: str
    panorama: str
    warning: str


DARK = Palette(
    ground="#2b2b2b",
    well="#222222",
    surround="#3a3a3a",
    line="#414141",
    tip="#1f1f1f",
    action="#383838",
    pointed="#474747",
    raised="#4a4a4a",
    outline="#505050",
    ink="#e8e8e8",
    dim="#b0b0b0",
    quiet="#969696",
    off="#707070",
    main="#dcdcdc",
    main_pointed="#f0f0f0",
    main_ink="#1d1d1d",
    focus="#d0d0d0",
    track="#484848",
    filled="#c4c4c4",
    switch_on="#8f8f8f",
    knob="#f2f2f2",
    sun=HUES["sun"],
    sky=HUES["sky"],
    lamps=HUES["lamps"],
    panorama=HUES["panorama"],
    warning="#d67f69",
)
LIGHT = Palette(
    ground="#d6d6d6",
    well="#e9e9e9",
    surround="#c2c2c2",
    line="#b4b4b4",
    tip="#f4f4f4",
    action="#c6c6c6",
    pointed="#b9b9b9",
    raised="#b2b2b2",
    outline="#8c8c8c",
    ink="#1c1c1c",
    dim="#373737",
    quiet="#4f4f4f",
    off="#8b8b8b",
    main="#303030",
    main_pointed="#1a1a1a",
    main_ink="#f1f1f1",
    focus="#3b3b3b",
    track="#b1b1b1",
    filled="#4c4c4c",
    switch_on="#5a5a5a",
    knob="#fafafa",
    sun="#b8620c",
    sky="#33658f",
    lamps="#7d6a10",
    panorama="#7a5a9c",
    warning="#9c3418",
)
PALETTES = {"dark": DARK, "light": LIGHT}
# behind the picture: as the theme has it, or a grey that colours are judged before
SURROUNDS = {"theme": "", "dark": "#3a3a3a", "middle": "#777777", "light": "#c8c8c8", "white": "#f2f2f2"}
# every colour stands for one field, so that one chosen in a theme is found again in the other
FIELD_OF_COLOUR = {colour: name for palette in (DARK, LIGHT) for name, colour in palette._asdict().items()}
