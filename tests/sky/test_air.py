"""What the air's numbers mean, against handbook values."""

from __future__ import annotations

import numpy as np
import pytest

from gloamet.colour.spaces import AP1_TO_XYZ, xyz_to_xy
from gloamet.sky.air import Air, optical_depths
from gloamet.sky.dome import SkySolver, dome_radiance
from gloamet.sky.spectrum import WAVELENGTH_NM

ZENITH = np.array([[0.0, 0.0, 1.0]])
# Molecules per cm2 of one Dobson unit: by definition 10 um of gas at 0 C and 1013.25 hPa (Loschmidt 2.6868e19 per cm3)
MOLECULES_PER_DOBSON = 2.6868e19 * 1e-3
# Cross-section of ozone at the top of the Chappuis band, 602 nm, 293 K, cm2: Serdyuchenko et al. 2014 (from memory)
CHAPPUIS_CM2 = 5.1e-21


@pytest.mark.proof(
    "What a column of ozone takes at 602 nm", source="Serdyuchenko et al. 2014, from memory", kind="memory"
)
def test_ozone_dims_orange_light_by_its_column_and_cross_section() -> None:
    depth = optical_depths(Air(ozone_du=400.0), np.array([602.0])).ozone[0]
    # Leckner's older table, averaged over 25 nm, lies 16 % below the peak of the newer measurement
    assert depth == pytest.approx(400.0 * MOLECULES_PER_DOBSON * CHAPPUIS_CM2, rel=0.2)
    blue = int(np.argmin(abs(WAVELENGTH_NM - 440.0)))
    assert optical_depths(Air(ozone_du=400.0)).ozone[blue] < 0.1 * depth


@pytest.mark.proof("Ozone makes the twilight zenith blue", source="Hulburt, JOSA 43 (1953)", kind="published")
def test_ozone_makes_the_twilight_zenith_blue(solver: SkySolver) -> None:
    """Hulburt 1953: in twilight the blue of the zenith is the ozone's doing; by day it changes little."""

    def x_of(ozone_du: float, elevation_deg: float) -> float:
        dome = solver.dome(Air(2.0, ozone_du=ozone_du), 180.0, elevation_deg)
        return float(xyz_to_xy(AP1_TO_XYZ @ dome_radiance(dome, ZENITH)[0])[0])

    twilight = x_of(150.0, -4.0) - x_of(450.0, -4.0)
    noon = x_of(150.0, 50.0) - x_of(450.0, 50.0)
    assert twilight > 0.02  # a difference that is seen: about ten thresholds
    assert 0.0 < noon < 0.25 * twilight
