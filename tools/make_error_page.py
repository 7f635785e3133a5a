# SPDX-License-Identifier: Apache-2.0
"""Make docs/relighting.md and its pictures: relit, exact and their difference, two demos under three suns.

Needs the program's packages; takes some minutes. The exact pictures are this program's own with SAMPLES paths.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from gloamet.bench.relight import (
    HEIGHT,
    SUNS,
    WIDTH,
    Bench,
    bench_of,
    full_record,
    shaded,
    sky_at,
)
from gloamet.develop.display import develop_screen
from gloamet.develop.settings import DevelopSettings
from gloamet.light_layers import even_gains
from gloamet.meter.picture import automatic_ev
from gloamet.trace.denoise import denoise_prefiltered
from gloamet.trace.film import Film
from gloamet.translation.final_render import StopCriterion, render

DOCS = Path(__file__).parents[1] / "docs"
SAMPLES, TOP = 64, 0.2  # paths of the exact picture; the difference that is drawn white
TITLES = {"house": "Salt flat bathing house", "interior": "Net loft"}


def exact_picture(bench: Bench, lights: object) -> NDArray[np.float32]:
    """The picture of many paths, cleaned so that its own grain is not taken for an error, at half the size."""
    film = Film(WIDTH, HEIGHT)
    render(film, bench.scene, lights, bench.camera, StopCriterion(SAMPLES, bounces=16), bench.tracer)  # type: ignore[arg-type]
    clean = denoise_prefiltered(
        [film.light(even_gains(sky=0.0, lamps=0.0)), film.light(even_gains(sun=0.0, lamps=0.0))], film
    )
    assert clean is not None
    return halved(clean[0] + clean[1])


def halved(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """Means of two by two."""
    height, width = picture.shape[0] // 2, picture.shape[1] // 2
    return np.ascontiguousarray(picture.reshape(height, 2, width, 2, -1).mean((1, 3)))


def difference(relit: NDArray[np.float32], exact: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Relative difference: black for none, full colour from TOP on; blue where relit is darker, red brighter."""
    off = np.repeat(np.repeat((relit - exact) / np.maximum(exact, 1e-3 * exact.mean()), 2, 0), 2, 1) / TOP
    red, blue = np.clip(off, 0.0, 1.0), np.clip(-off, 0.0, 1.0)
    return (255 * np.stack([red, 0.25 * (red + blue), blue], -1)).astype(np.uint8)


def strip(bench: Bench, record: Any, sun: tuple[float, float]) -> tuple[NDArray[np.uint8], tuple[float, ...]]:
    """Relit, exact and difference side by side, and the figures of the row."""
    lights = sky_at(*sun)
    relit, exact = halved(record.relit(lights, at_rest=True)), exact_picture(bench, lights)
    ev = automatic_ev(exact)
    shown = [develop_screen(picture, DevelopSettings(ev))[..., :3] for picture in (relit, exact)]
    small, wanted = halved(relit)[..., 1], halved(exact)[..., 1]
    off = np.abs(small - wanted) / np.maximum(wanted, 1e-3 * wanted.mean())
    figures = (
        float(np.median(off)),
        float(np.median(off[shaded(record)])),
        float(np.quantile(off, 0.95)),
        float(small.mean() / wanted.mean()) - 1.0,
    )
    return np.concatenate([*shown, difference(small, wanted)], 1), figures


def main() -> None:
    """Render all and write the page."""
    lines = [
        "# How far a relit picture is from the exact one",
        "",
        f"Made by `tools/make_error_page.py`. Left: relit at rest from a full record. Middle: exact, {SAMPLES} paths",
        "a pixel, cleaned. Right: the difference by squares of four pixels, red where the relit one is brighter,",
        f"blue where it is darker, full colour at {100 * TOP:.0f} %. Figures are relative differences of squares.",
        "",
    ]
    for demo, title in TITLES.items():
        bench = bench_of(demo)
        record = full_record(bench, sky_at(*SUNS[1]))
        lines += [f"## {title}", ""]
        rows, table = (
            [],
            ["| sun | median | in shade | 95 % below | mean brightness |", "|---|---|---|---|---|"],
        )
        for sun in SUNS:
            row, (median, shade, most, jump) = strip(bench, record, sun)
            rows.append(row)
            cells = [
                f"{100 * median:.1f} %",
                f"{100 * shade:.1f} %",
                f"{100 * most:.0f} %",
                f"{100 * jump:+.1f} %",
            ]
            table.append(f"| {sun[1]:.0f}° high | {' | '.join(cells)} |")
        name = f"relighting-{demo}.jpg"
        Image.fromarray(np.concatenate(rows)).save(DOCS / name, quality=88)
        lines += [f"![{title}]({name})", "", *table, ""]
    (DOCS / "relighting.md").write_text("\n".join(lines))


if __name__ == "__main__":
    main()
