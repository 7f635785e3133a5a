# SPDX-License-Identifier: Apache-2.0
"""Contact sheets: every picture in its place, captions cut to fit, PNG and PDF."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from gloamet.errors import GloametError
from gloamet.output.contact_sheet import CAPTION, GAP, contact_sheet, save_sheet


def pictures(count: int) -> list[tuple[np.ndarray, str]]:
    return [(np.full((20, 30, 4), 10 * k + 5, np.uint8), f"picture {k} " * 8) for k in range(count)]


def test_every_picture_stands_in_its_place() -> None:
    sheet = np.asarray(contact_sheet(pictures(5), 3))
    assert sheet.shape == (2 * (20 + CAPTION + GAP) + GAP, 3 * (30 + GAP) + GAP, 3)
    assert np.ptp(sheet, axis=-1).max() == 0  # no colour stands round them
    for k in range(5):
        row, column = divmod(k, 3)
        y, x = GAP + row * (20 + CAPTION + GAP), GAP + column * (30 + GAP)
        assert (sheet[y : y + 20, x : x + 30] == 10 * k + 5).all()


def test_a_caption_stays_under_its_picture() -> None:
    sheet = np.asarray(contact_sheet(pictures(2), 2)).astype(int)
    between = sheet[:, GAP + 31 : GAP + 30 + GAP - 1]
    assert np.ptp(between.reshape(-1, 3), axis=0).max() == 0


def test_it_is_written_as_png_and_pdf_and_nothing_else(tmp_path: Path) -> None:
    sheet = contact_sheet(pictures(3), 2, "A title")
    save_sheet(sheet, tmp_path / "a.png")
    save_sheet(sheet, tmp_path / "a.pdf")
    assert (tmp_path / "a.png").read_bytes()[1:4] == b"PNG"
    assert (tmp_path / "a.pdf").read_bytes().startswith(b"%PDF")
    with pytest.raises(GloametError, match=r"written as .png or .pdf"):
        save_sheet(sheet, tmp_path / "a.gif")
