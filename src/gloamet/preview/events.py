# SPDX-License-Identifier: Apache-2.0
"""Events from the worker to the window: plain records without Qt."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from gloamet.document.model import Document
from gloamet.stage.camera import Camera
from gloamet.stage.scene import Scene

if TYPE_CHECKING:
    from gloamet.document.stage import CameraView
    from gloamet.meter.card_light import CardLight
    from gloamet.meter.light import LightReading
    from gloamet.meter.ratio import NaturalRange
    from gloamet.output.layers import StoredLayers
    from gloamet.sky.sky_palette import SkyPalette
    from gloamet.trace.render_scene import RenderScene


@dataclass(frozen=True)
class Frame:
    """A developed picture, (H, W, 4) uint8 RGBX, and how far it is. `exact` is False for a preview.

    samples of target paths are there on average; noise is the relative error that four of five places stay below,
    goal where it may stop; done says that nothing more will come. `document` is what it shows, which may no
    longer be the newest. relight_state says whether pictures of this view can be relit, and whether nothing of that is
    left to improve. spots are the luminances of the document's, AP1 cd/m2. meter_ev is what its way of metering asks
    for. inspected are the pixels of another way to look at it, as it was asked for; light is what was developed, AP1
    cd/m2, of any size; layers are the lights of an exact one apart.
    """

    pixels: NDArray[np.uint8]
    samples: int
    target: int
    ev: float
    meter_ev: float
    exact: bool
    seconds: float
    seconds_left: float
    noise: float = float("inf")
    goal: float = 0.0
    done: bool = False
    document: Document | None = None
    relight_state: tuple[bool, bool] = (False, False)
    spots: tuple[tuple[float, float, float], ...] = ()
    inspected: NDArray[np.uint8] | None = None
    light: NDArray[np.float32] | None = None
    layers: StoredLayers | None = None


@dataclass(frozen=True)
class SceneLoaded:
    """A model is placed in the world; `file_scene` is as read, `document_model` the requested path."""

    scene: Scene
    document_model: str
    file_scene: Scene


@dataclass(frozen=True)
class StageBuilt:
    """The render scene, for other computations: None while there is no model."""

    compiled: RenderScene | None


@dataclass(frozen=True)
class PanoramaSolved:
    """What a panorama gives: lux on horizontal ground by its own sun and by the rest, azimuth and elevation of its
    sun in the scene and in its file (degrees), None without one, lux that were taken out with it, and notes on its
    file."""

    sun_lx: float
    sky_lx: float
    sun_deg: tuple[float, float] | None
    file_sun_deg: tuple[float, float] | None
    removed_lx: float
    rotation_deg: float
    clipped: bool
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class LightSolved:
    """The sky of the moment: the light meter with gains, and the physical values."""

    reading: LightReading
    natural: LightReading
    sun_azimuth_deg: float
    sun_elevation_deg: float
    visibility_km: float
    linke_turbidity: float
    aod550: float
    caveat: str = ""  # what an artist should know of the sky's model here
    moonlit: bool = False  # the moon's disc gives more light than the sun's
    sky_colour: tuple[float, float, float] = (1.0, 1.0, 1.0)  # of its horizontal illuminance, AP1
    band: NaturalRange | None = None  # of key to fill that is physical; None while dragging
    panorama: PanoramaSolved | None = None


@dataclass(frozen=True)
class BesideFrame:
    """The picture under another document's light, relit: (H, W, 4) uint8 RGBX, the EV of its own exposure, and what
    the meter says of that light."""

    pixels: NDArray[np.uint8]
    ev: float
    solved: LightSolved


@dataclass(frozen=True)
class DiscPainted:
    """The whole sky as a round picture, (n, n, 4) uint8 RGBX."""

    pixels: NDArray[np.uint8]


@dataclass(frozen=True)
class PaletteSolved:
    """Sky colours against sun elevation, for the ribbon."""

    colours: SkyPalette


@dataclass(frozen=True)
class PlanFrame:
    """The stage from above, (H, W, 4) uint8 RGBX, and the parallel camera it was taken with."""

    pixels: NDArray[np.uint8]
    camera: Camera


@dataclass(frozen=True)
class Thumbnail:
    """A small picture of a named view, (H, W, 4) uint8 RGBX; `view` is the camera it shows."""

    view: CameraView
    pixels: NDArray[np.uint8]


@dataclass(frozen=True)
class Loading:
    """Progress of opening a model, 0..1, and its step; 1 at the end."""

    fraction: float
    word: str


@dataclass(frozen=True)
class Preparing:
    """How far the compiling of the kernels is, 0..1, and about how many seconds are left; 1 when it is over."""

    fraction: float
    seconds_left: float


@dataclass(frozen=True)
class Failed:
    """One sentence for the notice bar; `model` names the model that could not be opened, if that was it."""

    sentence: str
    model: str | None = None


@dataclass(frozen=True)
class Busy:
    """What the worker does right now, '' when it rests."""

    text: str


@dataclass(frozen=True, eq=False)
class MeterRead:
    """Light on cards (level, facing the camera, facing the sun) at a place in metres, on the pixels of a grey ball, and
    what those of a mirror ball reflect, (n, light layers, 3) cd/m2, no gain applied; in_flight is the fraction of
    the light on the card that faces the camera that the bounce limit cuts off. spots are cards laid on the surfaces of
    the document's spots, dark where a spot shows the sky."""

    position: tuple[float, float, float]
    cards: CardLight
    ball: CardLight
    mirror: NDArray[np.float32]
    in_flight: float
    spots: CardLight | None = None


@dataclass(frozen=True)
class SourcePictures:
    """The picture by each source alone, small, (H, W, 4) uint8 RGBX by name."""

    pictures: dict[str, NDArray[np.uint8]]


Event = (
    Frame
    | BesideFrame
    | SceneLoaded
    | StageBuilt
    | LightSolved
    | DiscPainted
    | PaletteSolved
    | PlanFrame
    | Thumbnail
    | Loading
    | Preparing
    | Failed
    | Busy
    | SourcePictures
    | MeterRead
)
