# SPDX-License-Identifier: Apache-2.0
"""Speed of comparing: thumbnails of a sweep, keeping a picture, showing the other picture of a blink."""

from __future__ import annotations

import os
import tempfile
import time
from datetime import datetime
from pathlib import Path

import numpy as np

from gloamet.bench.core import best
from gloamet.document.demo import demo_document
from gloamet.document.model import Document
from gloamet.document.sweep import ParameterRange, sweep
from gloamet.output.keeping import Snapshot, keep
from gloamet.preview.thumbnail_renderer import ThumbnailRenderer
from gloamet.stage.assembly import place_in_world
from gloamet.stage.readers import read_file
from gloamet.trace.film import Renderer
from gloamet.translation.document_to_light import build_stage

Result = dict[str, float]
THUMB, PICTURE = (320, 180), (800, 1280)
STEPS = (6, 4)


def thumbs() -> Result:
    """Small pictures a second of the house under another sun and another air each, once its stage is laid out."""
    document = demo_document()
    scene = place_in_world(read_file(Path(str(document.stage.scene_file))), document.stage)
    table = ThumbnailRenderer(document, build_stage(document, scene), THUMB, Renderer(), lambda: False)
    ranges = [
        ParameterRange("sun.elevation_deg", 5.0, 60.0, STEPS[0]),
        ParameterRange("air.turbidity", 2.0, 8.0, STEPS[1]),
    ]
    variants = sweep(document, ranges)
    table.picture(variants[0].document)
    begin = time.perf_counter()
    for variant in variants:
        table.picture(variant.document)
    return {"sweep_thumbs_per_s": len(variants) / (time.perf_counter() - begin)}


def keeping() -> Result:
    """Milliseconds until a picture of 1280 x 800 is whole on disk, and to draw the other one of a blink."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QRectF
    from PySide6.QtGui import QImage, QPainter

    rng = np.random.default_rng(3)
    pixels = np.full((*PICTURE, 4), 255, np.uint8)
    # a slope of light with a little noise, as of a picture that is still refined
    noise = 1.0 + 0.02 * rng.standard_normal((*PICTURE, 1))
    slope = np.linspace(30.0, 3000.0, PICTURE[1])[None, :, None]
    light = np.repeat(slope * noise, 3, -1).astype(np.float32)
    pixels[..., :3] = np.clip(255.0 * (light / 3000.0) ** 0.45, 0, 255)
    snapshot = Snapshot(Document(), pixels, light, 64, 10.0, 14.0)
    with tempfile.TemporaryDirectory() as folder:
        kept_s = best(lambda: keep(Path(folder), snapshot, datetime.now()), 5)
    image = QImage(pixels.data, PICTURE[1], PICTURE[0], 4 * PICTURE[1], QImage.Format.Format_RGBX8888)
    screen = QImage(PICTURE[1], PICTURE[0], QImage.Format.Format_RGBX8888)

    def blink() -> None:
        p = QPainter(screen)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.drawImage(QRectF(screen.rect()), image)
        p.end()

    return {"keep_ms": 1e3 * kept_s, "blink_ms": 1e3 * best(blink)}
