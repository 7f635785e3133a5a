# SPDX-License-Identifier: Apache-2.0
"""Records passed between kernels: ray, hit, surface, BSDF, samples of lights and of the BSDF, path.

Positions, directions and colours are triples of float32 (`vec`); distances metres, radiances cd/m² in AP1, densities
per steradian unless their name says otherwise.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

Scalar = float | np.floating
Triple = tuple[Scalar, Scalar, Scalar]
Pair = tuple[Scalar, Scalar]


class Ray(NamedTuple):
    """Origin, and direction of unit length."""

    origin: Triple
    direction: Triple


class Hit(NamedTuple):
    """What Embree finds: `normal` geometric, not normalised, of the instance's own space; primitive −1 for a miss,
    instance −1 outside one."""

    distance: Scalar
    normal: Triple
    barycentric: Pair
    primitive: int
    geometry: int
    instance: int


class SurfaceInteraction(NamedTuple):
    """A point met by a ray: `normal` of the face, unit, turned to the viewer; `front` whether that is its own;
    triangle −1 on the ground plane."""

    distance: Scalar
    position: Triple
    normal: Triple
    front: bool
    triangle: int | np.integer
    instance: int | np.integer
    material: int | np.integer
    barycentric: Pair
    uv: Pair


class Surface(NamedTuple):
    """The material at a point: shading normal turned to the viewer, base colour, roughness, metalness."""

    normal: Triple
    albedo: Triple
    roughness: Scalar
    metalness: Scalar


class Bsdf(NamedTuple):
    """A reflection model at a point, ready to be evaluated; specular_probability 0 for a matt surface."""

    normal: Triple
    to_viewer: Triple
    colour: Triple
    alpha: Scalar
    metalness: Scalar
    specular: Scalar
    specular_probability: Scalar


class Vertex(NamedTuple):
    """A vertex of a path: its BSDF, where rays leave it, and the face's normal on their side."""

    bsdf: Bsdf
    origin: Triple
    normal: Triple


class BsdfValue(NamedTuple):
    """f · cosine per channel, and the density with which `sample_bsdf` draws that direction."""

    value: Triple
    pdf: Scalar


NO_SAMPLE, MIRROR_PDF = (
    np.float32(-1),
    np.float32(0),
)  # of a BsdfSample: the path ends; a mirror, whose density is a Dirac delta


class BsdfSample(NamedTuple):
    """A sampled direction, the BSDF's value over its pdf per channel, and the pdf: NO_SAMPLE or MIRROR_PDF are
    special."""

    direction: Triple
    weight: Triple
    pdf: Scalar


class LightSample(NamedTuple):
    """Light reflected here from a sampled direction, MIS weight and visibility included, and the rays it took."""

    radiance: Triple
    rays: int


class Cone(NamedTuple):
    """Directions about an axis up to a cosine, and their density; density 0 for none."""

    axis: Triple
    cosine: Scalar
    pdf: Scalar


class GuidedSample(NamedTuple):
    """A direction drawn towards a lamp's surroundings: the density with which a second path is sent there, what that
    carries per channel (0: nothing), the density of the BSDF, and a uniform number to keep it by."""

    cone: Cone
    pdf: Scalar
    direction: Triple
    weight: Triple
    bsdf_pdf: Scalar
    selection_sample: Scalar


class Sampler(NamedTuple):
    """Random numbers of a path: the counter of pseudo-random ones, and pixel and sample of the low-discrepancy ones."""

    state: int
    pixel: int
    sample: int | np.uint64


class BySource(NamedTuple):
    """Light per channel by where it comes from."""

    sun: Triple
    sky: Triple
    lamps: Triple


class PathStart(NamedTuple):
    """How a path begins: at the camera, or `guided` at a surface towards a lamp, with what it carries; `bounced` where
    that surface is not the first. A density above 0 says that it has left a surface."""

    ray: Ray
    throughput: Triple
    pdf: Scalar
    bounces: int
    guided: bool
    indirect: bool


class PathResult(NamedTuple):
    """All light that a path finds, and its indirect part before it reached the first surface; albedo,
    normal and depth of what is seen first; the fraction of the path that sees past all objects, rays traced."""

    light: BySource
    indirect: BySource
    albedo: Triple
    normal: Triple
    depth: Scalar
    transparency: Scalar
    rays: int
