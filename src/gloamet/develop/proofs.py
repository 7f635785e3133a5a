# SPDX-License-Identifier: Apache-2.0
"""Proofs of a picture: other screens, a lit room, paper, thumbnail size, greyscale, colour-vision deficiencies.

Code values of an sRGB screen in 0..1 (H, W, 3) enter; codes that show the same on a good screen leave. Screens and
papers are typical ones, their numbers from memory of data sheets and of ISO 12647-2; they warn, they do not measure.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from gloamet.colour.lab import lightness
from gloamet.colour.oklab import linear_to_oklab, oklab_to_linear
from gloamet.colour.spaces import (
    D65_WHITE,
    REC709_PRIMARIES,
    linear_to_srgb,
    rgb_to_xyz_matrix,
    srgb_to_linear,
)
from gloamet.colour.views import REC709_LUMINANCE

Codes = NDArray[np.float32]
Linear = NDArray[np.float64]
P3_PRIMARIES = ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060))  # SMPTE RP 431-2
LAPTOP_PRIMARIES = ((0.590, 0.345), (0.330, 0.560), (0.155, 0.115))  # a narrow panel, two thirds of sRGB
LAPTOP_LIGHT, LAPTOP_BLACK = 0.7, 1.0 / 350.0  # of a good screen's white; black of its own white
ROOM_LIGHT = 0.06  # of a projector's white, that a lit room lays over it
THUMBNAIL_PX, SURROUND_CODE = 160, 58  # and the grey round a thumbnail
# Machado, Oliveira, Fernandes, "A Physiologically-based Model for Simulation of Color Vision Deficiency" (2009), table
# of severity 1.0, on linear light.
PROTAN = ((0.152286, 1.052583, -0.204868), (0.114503, 0.786281, 0.099216), (-0.003882, -0.048116, 1.051998))
DEUTAN = ((0.367322, 0.860646, -0.227968), (0.280085, 0.672501, 0.047413), (-0.011820, 0.042940, 0.968881))
TRITAN = ((1.255528, -0.076749, -0.178779), (-0.078411, 0.930809, 0.147602), (0.004733, 0.691367, 0.303900))


class Paper(NamedTuple):
    """Reflectance of white and black, the white's colour, and the chroma (Oklab) that its inks reach."""

    white: float
    black: float
    tint: tuple[float, float, float]
    chroma: float


UNCOATED = Paper(0.86, 0.066, (1.01, 1.0, 0.965), 0.13)  # L* of black 31
GLOSSY = Paper(0.89, 0.020, (1.0, 1.0, 0.99), 0.20)  # L* of black 16


def _between_screens(source: Linear, target: Linear) -> Linear:
    """The matrix that takes linear light of one screen's primaries to another's, white to white."""
    one, other = (rgb_to_xyz_matrix(primaries, D65_WHITE) for primaries in (source, target))
    return np.asarray(np.linalg.solve(other, one))


def _on_primaries(linear: Linear, primaries: tuple[tuple[float, float], ...]) -> Linear:
    """What codes sent to a screen with these primaries show, on one of Rec.709."""
    matrix = _between_screens(np.array(primaries), np.array(REC709_PRIMARIES))
    return np.asarray(linear @ matrix.T)


def _vivid_phone(linear: Linear) -> Linear:
    return _on_primaries(linear, P3_PRIMARIES)


def _dim_laptop(linear: Linear) -> Linear:
    shown = _on_primaries(linear, LAPTOP_PRIMARIES)
    return LAPTOP_LIGHT * (LAPTOP_BLACK + (1.0 - LAPTOP_BLACK) * shown)


def _lit_room(linear: Linear) -> Linear:
    """An eye takes the brightest for white."""
    return (linear + ROOM_LIGHT) / (1.0 + ROOM_LIGHT)


def _strongest(chroma: NDArray[np.float64], limit: float) -> NDArray[np.float64]:
    """Chroma held under a limit softly: weak colours stay."""
    return chroma / (1.0 + (chroma / limit) ** 4) ** 0.25


def _on_paper(paper: Paper) -> Callable[[Linear], Linear]:
    def show(linear: Linear) -> Linear:
        lab = linear_to_oklab(linear)
        chroma = np.hypot(lab[..., 1], lab[..., 2])
        lab[..., 1:] *= (_strongest(chroma, paper.chroma) / np.maximum(chroma, 1e-9))[..., None]
        ink = np.clip(oklab_to_linear(lab), 0.0, 1.0)
        return (paper.black + (paper.white - paper.black) * ink) * np.array(paper.tint)

    return show


def _grey(linear: Linear) -> Linear:
    return np.repeat((linear @ REC709_LUMINANCE)[..., None], 3, -1)


def _seen_by(matrix: tuple[tuple[float, float, float], ...]) -> Callable[[Linear], Linear]:
    return lambda linear: linear @ np.array(matrix).T


class Proof(NamedTuple):
    """A proof: its name, description, and its function of linear screen light."""

    name: str
    description: str
    show: Callable[[Linear], Linear]


def _same(linear: Linear) -> Linear:
    return linear


PROOFS = {
    proof.name: proof
    for proof in (
        Proof("good screen", "A calibrated sRGB screen: unchanged.", _same),
        Proof("vivid phone", "A wide-gamut phone that shows sRGB codes in its own primaries.", _vivid_phone),
        Proof("dim laptop", "A dim panel with few colours and grey blacks.", _dim_laptop),
        Proof("projector", "A projector in a room with its lights on.", _lit_room),
        Proof("glossy print", "Coated paper: nearly all tones, a smaller gamut.", _on_paper(GLOSSY)),
        Proof("uncoated print", "Matt paper: grey blacks, a small gamut, a warm white.", _on_paper(UNCOATED)),
        Proof("thumbnail", f"{THUMBNAIL_PX} pixels wide, as in a list.", _same),
        Proof("grey", "Without colour: lightness only.", _grey),
        Proof("protan eyes", "Protanopia: no red cones (Machado 2009).", _seen_by(PROTAN)),
        Proof("deutan eyes", "Deuteranopia: no green cones (Machado 2009).", _seen_by(DEUTAN)),
        Proof("tritan eyes", "Tritanopia: no blue cones (Machado 2009).", _seen_by(TRITAN)),
    )
}


def thumbnail(codes: Codes) -> Codes:
    """The picture THUMBNAIL_PX wide, by means of linear light."""
    step = codes.shape[1] / THUMBNAIL_PX
    if step <= 1.0:
        return codes
    rows = max(1, round(codes.shape[0] / step))
    down = np.arange(rows) * codes.shape[0] // rows
    across = np.arange(THUMBNAIL_PX) * codes.shape[1] // THUMBNAIL_PX
    sums = np.add.reduceat(np.add.reduceat(srgb_to_linear(codes), down, 0), across, 1)
    counts = np.outer(np.diff([*down, codes.shape[0]]), np.diff([*across, codes.shape[1]]))
    return linear_to_srgb(sums / counts[..., None]).astype(np.float32)


def proofed(codes: Codes, name: str) -> Codes:
    """Simulate how a picture appears in a proof.

    Parameters
    ----------
    codes : ndarray
        Display codes 0 to 1, (H, W, 3).
    name : str
        Name of the proof.

    Returns
    -------
    ndarray
        Display codes 0 to 1, (H, W, 3).
    """
    if name == "thumbnail":
        codes = thumbnail(codes)
    shown = PROOFS[name].show(srgb_to_linear(codes))
    return linear_to_srgb(shown).astype(np.float32)


def proofed_pixels(pixels: NDArray[np.uint8], name: str) -> NDArray[np.uint8]:
    """Simulate how developed pixels appear in a proof.

    Parameters
    ----------
    pixels : ndarray
        Developed pixels, 8-bit RGBX (H, W, 4).
    name : str
        Name of the proof.

    Returns
    -------
    ndarray
        Pixels of the same size; a thumbnail is on grey.
    """
    codes = proofed(pixels[..., :3].astype(np.float32) / np.float32(255.0), name)
    out = np.full_like(pixels, 255)
    out[..., :3] = SURROUND_CODE
    height, width = codes.shape[:2]
    top, left = (pixels.shape[0] - height) // 2, (pixels.shape[1] - width) // 2
    out[top : top + height, left : left + width, :3] = np.round(255.0 * codes)
    return out


class Warnings(NamedTuple):
    """Shares of the picture, 0..1, that a vivid phone clips and whose colours uncoated paper dulls by a fifth or more,
    and how much lighter or darker (L*) its middle is than the rest at thumbnail size."""

    garish: float
    dulled: float
    middle_stands_out: float


DULLED, LEAST_STANDS_OUT = 0.8, 6.0  # fraction of chroma left; L* that an eye sees at a glance


def warnings_of(codes: Codes) -> Warnings:
    """Measure what a picture loses on other screens and on paper.

    Parameters
    ----------
    codes : ndarray
        Display codes 0 to 1 of few pixels, (H, W, 3).

    Returns
    -------
    Warnings
        The losses.
    """
    small = thumbnail(codes)
    linear = srgb_to_linear(small)
    phone = _vivid_phone(linear)
    garish = ((phone < -0.002) | (phone > 1.002)).any(-1) & (np.ptp(linear, axis=-1) > 0.02)
    lab = linear_to_oklab(linear)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    dulled = (chroma > 0.02) & (_strongest(chroma, UNCOATED.chroma) < DULLED * chroma)
    height, width = small.shape[:2]
    y, x = (np.arange(height) + 0.5) / height - 0.5, (np.arange(width) + 0.5) / width - 0.5
    middle = (y[:, None] / 0.3) ** 2 + (x[None] / 0.3) ** 2 < 1.0
    levels = lightness(linear @ REC709_LUMINANCE)
    stands_out = abs(float(levels[middle].mean() - levels[~middle].mean()))
    return Warnings(float(garish.mean()), float(dulled.mean()), stands_out)


def warning_labels(found: Warnings) -> list[str]:
    """Write the warnings that are worth mentioning.

    Parameters
    ----------
    found : Warnings
        Measured losses.

    Returns
    -------
    list of str
        One sentence per warning.

    Examples
    --------
    >>> warning_labels(Warnings(0.001, 0.02, 14.0))
    []
    """
    messages = []
    if found.garish >= 0.01:
        messages.append(f"{100 * found.garish:.0f} % becomes garish on a vivid phone.")
    if found.dulled >= 0.05:
        messages.append(f"{100 * found.dulled:.0f} % is outside the gamut of uncoated paper.")
    if found.middle_stands_out < LEAST_STANDS_OUT:
        messages.append(
            f"As a thumbnail the subject differs by {found.middle_stands_out:.0f} L* from its "
            "surroundings: it may not be noticed."
        )
    return messages
