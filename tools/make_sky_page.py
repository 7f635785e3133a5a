# SPDX-License-Identifier: Apache-2.0
"""Write docs/sky.md and its plots: the program's sky beside published ones. Run it after the sky has changed.

The program's own functions and reference libraries (pvlib, colour-science) enter; Markdown and SVG leave.
"""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import colour
import numpy as np
from pvlib.spectrum import get_reference_spectra, spectrl2

from gloamet.colour.spaces import AP1_TO_XYZ, luminance, xyz_to_xy
from gloamet.colour.temperature import correlated_temperature
from gloamet.sky.aerial import DISTANCES, FARTHEST_KM, elevation_nodes, solve_aerial
from gloamet.sky.air import KOSCHMIEDER, Air
from gloamet.sky.dome import SkySolver, dome_radiance
from gloamet.sky.sky_models import SkyModel, model_dome
from plots import Plot

DOCS = Path(__file__).parents[1] / "docs"
CLEAR = Air(2.03)
SOLVER = SkySolver()
HEIGHTS = np.array(
    [2, 3, 4, 5, 6, 8, 10, 12, 15, 20, 25, 30, 35, 40, 45, 50, 55, 60, 65, 70, 75, 80, 85, 90.0]
)
DOTS = (5.0, 10.0, 20.0, 30.0, 45.0, 60.0, 75.0)

PAGE = """# The sky, beside what others say of it

Made by `python tools/make_sky_page.py`; not written by hand. Lines are this program, circles are others: published
formulas, tables, and models of a reference library that share no code with it. What each check allows stands in
[proof.md](proof.md).

## Sun and sky on horizontal ground, clear air (turbidity 2.03)

![illuminance against the elevation of the sun](sky/day.svg)

Circles: the spectral model of Bird & Riordan 1986 (SPECTRL2, by pvlib), and the clear day of the IES Lighting Handbook
(sky alone, a mean of measured skies of unknown turbidity). The sky stands some per cent above SPECTRL2, which counts
light that is scattered more than once by a fit; ours is solved for, and checked by a Monte Carlo walk written from the
papers.

At air mass 1.5 in the air of ASTM G173-03:

| | ours | the standard | SPECTRL2 |
|---|---|---|---|
{standard}

The last row lies on the standard's plane, which leans 37° to the south. The standard's model gives its sky a quarter
less light than SPECTRL2 does in the same air; ours stands above both.

## Colour

![colour temperature against the elevation of the sun](sky/colour.svg)

Warmth of the low sun and blue of the shade, by the same two. Water vapour (1.5 cm) and ozone are in both.

## Twilight

![illuminance of the sky from 4° to −18°](sky/twilight.svg)

Circles: RCA Electro-Optics Handbook, moonless, from memory. Below −15° the night sky takes over: 22.0 magnitudes per
square arc second, the natural sky of a dark site (common practice). The largest second difference of the logarithm, in
steps of 0.05°, is {kink:.2f} %.

![colour of the sky opposite the sun](sky/belt.svg)

Opposite a sun just below the horizon the Earth's shadow stands dark and blue, and above it a belt of pink (larger x is
redder). It rises as the sun sinks and is gone by −4°, when all is grey-blue: as Lee & Hernández-Andrés describe it
(Applied Optics 54, 2015, from memory).

## Other models

![luminance along the sun's meridian](sky/models.svg)

The sun stands 40° high. Preetham's sky of 1999 and the CIE's general sky 12 (clear, as ISO 15469 has it; scaled to what
is natural) beside ours at turbidity 3. {preetham}

## Distance

![contrast of a black hill against distance](sky/distance.svg)

Contrast of a black hill against the horizon behind it, from 1.6 m above horizontal ground. Circles: Koschmieder's
law, 2 % at the visibility. The air thins with height and the Earth curves away, which the law leaves out.
"""


def seen(nm: Any, watts: Any) -> Any:
    """XYZ of a spectrum, by the CIE 1931 observer."""
    fine = np.arange(380.0, 781.0)
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    each = np.stack([np.interp(fine, observer.wavelengths, observer.values[:, k]) for k in range(3)], 1)
    return 683.002 * np.interp(fine, nm, np.ravel(watts)) @ each


def spectral(elevation: float, air: Air, tilt: float = 0.0) -> dict[str, Any]:
    """SPECTRL2 for an air at sea level."""
    mass = 1.0 / (math.sin(math.radians(elevation)) + 0.50572 * (elevation + 6.07995) ** -1.6364)
    found = spectrl2(
        apparent_zenith=90.0 - elevation,
        aoi=abs(90.0 - elevation - tilt),
        surface_tilt=tilt,
        ground_albedo=0.2,
        surface_pressure=101_325.0,
        relative_airmass=mass,
        precipitable_water=1.5,
        ozone=air.ozone_du / 1000.0,
        aerosol_turbidity_500nm=air.aod550 * (500.0 / 550.0) ** -1.3,
        dayofyear=94,
        alpha=1.3,
    )
    return {name: seen(found["wavelength"], found[name]) for name in ("dni", "dhi", "poa_global")}


def day() -> None:
    """Illuminance and colour of sun and sky by day."""
    light = Plot(
        "elevation of the sun, °",
        "klx on horizontal ground",
        (0, 90),
        (0, 130),
        range(0, 91, 15),
        range(0, 121, 20),
    )
    hue = Plot(
        "elevation of the sun, °",
        "kelvin",
        (0, 90),
        (2000, 20000),
        range(0, 91, 15),
        range(2000, 20001, 3000),
    )
    domes = [SOLVER.dome(CLEAR, 180.0, float(h)) for h in HEIGHTS]
    light.line(HEIGHTS, [float(luminance(d.sun_horizontal)) / 1e3 for d in domes], 0, "sun")
    light.line(HEIGHTS, [float(luminance(d.sky_horizontal)) / 1e3 for d in domes], 1, "sky")
    theirs = [spectral(h, CLEAR) for h in DOTS]
    sines = [math.sin(math.radians(h)) for h in DOTS]
    light.dots(DOTS, [s * t["dni"][1] / 1e3 for s, t in zip(sines, theirs, strict=True)], 0, "sun, SPECTRL2")
    light.dots(DOTS, [t["dhi"][1] / 1e3 for t in theirs], 1, "sky, SPECTRL2")
    light.dots(DOTS, [0.8 + 15.5 * math.sqrt(s) for s in sines], 4, "sky, IES clear day")
    hue.line(HEIGHTS, [correlated_temperature(AP1_TO_XYZ @ d.sun_irradiance) for d in domes], 0, "sun")
    hue.line(HEIGHTS, [correlated_temperature(AP1_TO_XYZ @ d.sky_horizontal) for d in domes], 1, "sky")
    hue.dots(DOTS, [correlated_temperature(t["dni"]) for t in theirs], 0, "sun, SPECTRL2")
    hue.dots(DOTS, [correlated_temperature(t["dhi"]) for t in theirs], 1, "sky, SPECTRL2")
    save("day", light)
    save("colour", hue)


def standard_rows() -> str:
    """The rows beside ASTM G173."""
    table = get_reference_spectra(standard="ASTM G173-03")
    nm, elevation = table.index.to_numpy(), math.degrees(math.asin(1.0 / 1.5))
    air = Air(1.0 + 10.3 * 0.084 * (550.0 / 500.0) ** -1.3, ozone_du=343.8)
    dome, other = SOLVER.dome(air, 180.0, elevation), spectral(elevation, air, 37.0)
    facing = np.array([0.0, -math.sin(math.radians(37.0)), math.cos(math.radians(37.0))])
    z, turn = np.meshgrid((np.arange(300) + 0.5) / 300, (np.arange(600) + 0.5) / 300 * np.pi, indexing="ij")
    level = np.sqrt(1.0 - z * z)
    towards = np.stack([level * np.sin(turn), level * np.cos(turn), z], -1)
    solid = 2.0 * np.pi / z.size
    up = np.maximum(towards @ facing, 0.0)[..., None]
    down = np.maximum((towards * [1, 1, -1]) @ facing, 0.0).sum()
    plane = (dome_radiance(dome, towards) * up).sum((0, 1)) * solid
    plane = plane + (dome.ground_sun + dome.ground_sky) * down * solid
    plane = plane + dome.sun_irradiance * float(dome.sun_direction @ facing)
    rows = []
    for words, ours, theirs, third in (
        ("direct sun", dome.sun_irradiance, "direct", other["dni"]),
        ("sun, sky and ground", plane, "global", other["poa_global"]),
    ):
        each = (AP1_TO_XYZ @ ours, seen(nm, table[theirs].to_numpy()), third)
        cells = " | ".join(f"{v[1] / 1e3:.1f} klx, {correlated_temperature(v):.0f} K" for v in each)
        rows.append(f"| {words} | {cells} |")
    return "\n".join(rows)


def twilight() -> float:
    """Illuminance in twilight; the largest second difference of its logarithm, %."""
    fine = np.arange(4.0, -18.001, -0.05)
    sky = np.array([float(luminance(SOLVER.dome(CLEAR, 180.0, float(h)).sky_horizontal)) for h in fine])
    ticks = (1e-3, 1e-2, 0.1, 1, 10, 100, 1000, 10000)
    plot = Plot(
        "elevation of the sun, °",
        "lx on horizontal ground",
        (-18, 4),
        (3e-4, 1e4),
        range(-18, 5, 3),
        ticks,
        True,
    )
    plot.line(fine, sky, 1, "sky")
    plot.dots((-6, -12, -18), (3.4, 0.008, 0.0006), 4, "handbook")
    save("twilight", plot)
    return float(100.0 * np.abs(np.diff(np.log(sky), 2)).max())


def belt() -> None:
    """Colour opposite the sun."""
    heights = np.arange(0.5, 40.1, 0.5)
    plot = Plot(
        "height above the horizon, °",
        "CIE x",
        (0, 40),
        (0.22, 0.40),
        range(0, 41, 5),
        np.arange(0.22, 0.41, 0.03),
        legend_px=430,
    )
    for hue, sun in enumerate((0.0, -1.0, -2.0, -4.0)):
        dome, h = SOLVER.dome(Air(2.0), 0.0, sun), np.radians(heights)
        light = dome_radiance(dome, np.stack([0 * h, -np.cos(h), np.sin(h)], 1)).astype(float)
        plot.line(heights, xyz_to_xy(light @ AP1_TO_XYZ.T)[:, 0], hue, f"sun at {sun:g}°".replace("-", "−"))
    save("belt", plot)


def models() -> str:
    """Luminance along the meridian by model; what is said of Preetham's."""
    air, along = Air(3.0), np.arange(1.0, 180.0)
    h = np.radians(np.where(along <= 90.0, along, 180.0 - along))
    north = np.where(along <= 90.0, -1.0, 1.0) * np.cos(h)
    towards = np.stack([0 * h, north, np.sin(h)], 1)
    plot = Plot(
        "along the meridian through the sun, °",
        "kcd/m²",
        (0, 180),
        (0, 30),
        range(0, 181, 30),
        range(0, 31, 5),
        legend_px=430,
    )
    levels = {}
    for hue, (words, model) in enumerate(
        (("ours", SkyModel()), ("Preetham", SkyModel("preetham")), ("CIE 12", SkyModel("cie", 12)))
    ):
        dome = model_dome(model, air, 180.0, 40.0, 0.533, SOLVER)
        levels[words] = float(luminance(dome.sky_horizontal)) / 1e3
        plot.line(along, luminance(dome_radiance(dome, towards).astype(float)) / 1e3, hue, words)
    save("models", plot)
    said = ", ".join(f"{name} {value:.1f} klx" for name, value in levels.items())
    return f"On horizontal ground they give {said}."


def distance() -> None:
    """Contrast of a black hill."""
    km = FARTHEST_KM * np.linspace(0.0, 1.0, DISTANCES) ** 4  # the table's columns
    tenths = np.arange(0, 1.01, 0.2)
    plot = Plot("distance, km", "contrast", (0, 60), (0, 1), range(0, 61, 10), tenths, legend_px=400)
    row = int(np.abs(elevation_nodes()).argmin())
    for hue, (words, air) in enumerate(
        (("turbidity 2.4", Air(2.4)), ("turbidity 6", Air(6.0)), ("haze, 5 km", Air(2.4, 5.0)))
    ):
        table = solve_aerial(SOLVER, air, (180.0, 40.0), 1.6)
        plot.line(km, luminance(table.through[row].astype(float)), hue, words)
        at = np.array([0.1, 0.3, 0.6, 1.0]) * air.visibility_km
        plot.dots(at, np.exp(-KOSCHMIEDER * at / air.visibility_km), hue, f"{words}, Koschmieder")
    save("distance", plot)


def save(name: str, plot: Plot) -> None:
    """One plot into docs/sky."""
    (DOCS / "sky").mkdir(exist_ok=True)
    (DOCS / "sky" / f"{name}.svg").write_text(plot.svg(), encoding="utf-8")


def main() -> None:
    """All plots and the page."""
    day()
    belt()
    distance()
    page = PAGE.format(standard=standard_rows(), kink=twilight(), preetham=models())
    (DOCS / "sky.md").write_text(page, encoding="utf-8")


if __name__ == "__main__":
    main()
