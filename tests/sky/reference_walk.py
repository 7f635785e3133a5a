# SPDX-License-Identifier: Apache-2.0
"""A Monte Carlo walk of light through a spherical atmosphere, to check the sky's closure.

It shares no code with the product, only what the air is said to be: vertical optical depths, and the numbers below
written out from their sources. Scattering is followed photon by photon with delta tracking, and the sun's light is
dimmed by marching along its ray.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

JIT = {"fastmath": True, "cache": True, "nogil": True}
EARTH_KM, SPACE_KM = 6371.0, 6471.0
START = EARTH_KM + 0.0005
MARCH = 48  # steps along the sun's ray, shorter near the ground
# Rayleigh scattering with depolarisation 0.0279 (Bodhaine et al. 1999), Chandrasekhar's form
GAMMA = 0.0279 / (2.0 - 0.0279)
# two lobes of Henyey and Greenstein (1941); of continental aerosol the one ahead has 0.80 (common practice)
BEHIND, SHARE_AHEAD = -0.45, 0.93
CONTINENTAL = (
    0.95,
    0.80,
    0.98,
    0.894,
    0.3,
)  # albedo and lobe ahead of aerosol, of haze; its scale height in km


@njit(**JIT)
def _standard_air(h):
    """Density of air over that at sea level: US Standard Atmosphere 1976 in its lowest layers, then 6.5 km apart."""
    if h < 11.0:
        return (1.0 - 0.0065 * h * 1000.0 / 288.15) ** 4.2559
    if h < 20.0:
        return 0.29708 * math.exp(-(h - 11.0) / 6.3416)
    return 0.07187 * math.exp(-(h - 20.0) / 6.5)


@njit(**JIT)
def _densities(h, scale, haze_visibility_km, out):
    """Densities per km of air, aerosol, ozone and haze, each of which sums to 1 over height."""
    h = max(0.0, h)
    out[0] = _standard_air(h) * scale[0]
    out[1] = math.exp(-h / 1.5) / 1.5
    out[2] = math.exp(-(((h - 22.5) / 6.5) ** 2)) * scale[1]
    out[3] = math.exp(-h / haze_visibility_km) / haze_visibility_km


@njit(**JIT)
def _scales(haze_visibility_km):
    air, ozone = 0.0, 0.0
    for k in range(20000):
        h = (k + 0.5) * 0.005
        air += _standard_air(h) * 0.005
        ozone += math.exp(-(((h - 22.5) / 6.5) ** 2)) * 0.005
    return np.array([1.0 / air, 1.0 / ozone, haze_visibility_km])


@njit(**JIT)
def _extinction(h, tau, scale, out):
    """scale: of air, of ozone, and the scale height of the haze."""
    _densities(h, scale, scale[2], out)
    total = 0.0
    for c in range(4):
        out[c] *= tau[c]
        total += out[c]
    return total


@njit(**JIT)
def _sunlight(r, mu, tau, scale, out):
    """Fraction of the sun's light that reaches radius r, the sun at cosine mu: 0 behind the Earth."""
    if mu < 0.0 and r * math.sqrt(1.0 - mu * mu) < EARTH_KM:
        return 0.0
    far = -r * mu + math.sqrt(r * r * (mu * mu - 1.0) + SPACE_KM * SPACE_KM)
    near = max(0.0, -r * mu)  # the lowest point of the ray
    depth = 0.0
    for leg in range(2):
        length = near if leg == 0 else far - near
        if length <= 0.0:
            continue
        for k in range(MARCH):
            a, b = (k / MARCH) ** 2, ((k + 1) / MARCH) ** 2
            t = near - length * 0.5 * (a + b) if leg == 0 else near + length * 0.5 * (a + b)
            h = math.sqrt(r * r + t * t + 2.0 * r * mu * t) - EARTH_KM
            depth += _extinction(h, tau, scale, out) * length * (b - a)
    return math.exp(-depth)


@njit(**JIT)
def _rayleigh(c):
    return 3.0 / (16.0 * math.pi * (1.0 + 2.0 * GAMMA)) * (1.0 + 3.0 * GAMMA + (1.0 - GAMMA) * c * c)


@njit(**JIT)
def _particles(c, g):
    ahead = (1.0 - g**2) / (1.0 + g**2 - 2.0 * g * c) ** 1.5
    behind = (1.0 - BEHIND**2) / (1.0 + BEHIND**2 - 2.0 * BEHIND * c) ** 1.5
    return (SHARE_AHEAD * ahead + (1.0 - SHARE_AHEAD) * behind) / (4.0 * math.pi)


@njit(**JIT)
def _turned(g):
    s = (1 - g * g) / (1 - g + 2 * g * np.random.random())
    return (1 + g * g - s * s) / (2 * g)


@njit(**JIT)
def _rayleigh_cosine():
    most = _rayleigh(1.0)
    while True:
        c = 2 * np.random.random() - 1
        if most * np.random.random() < _rayleigh(c):
            return c


@njit(**JIT)
def _deflect(d, c):
    phi, s = 2 * math.pi * np.random.random(), math.sqrt(max(0.0, 1 - c * c))
    helper = np.array([0.0, 0.0, 1.0]) if abs(d[2]) < 0.99 else np.array([1.0, 0.0, 0.0])
    u = np.cross(d, helper)
    u /= math.sqrt(u[0] ** 2 + u[1] ** 2 + u[2] ** 2)
    v = np.cross(d, u)
    return c * d + s * math.cos(phi) * u + s * math.sin(phi) * v


@njit(**JIT)
def _lambert(n):
    while True:
        q = np.array([2 * np.random.random() - 1, 2 * np.random.random() - 1, 2 * np.random.random() - 1])
        l2 = q[0] ** 2 + q[1] ** 2 + q[2] ** 2
        if 1e-6 < l2 < 1:
            d = n + q / math.sqrt(l2)
            return d / math.sqrt(d[0] ** 2 + d[1] ** 2 + d[2] ** 2)


@njit(**JIT)
def _flight(p, d, tau, scale, majorant, parts):
    """Move p along d to the next event: 0 space, 1 scattering, 2 ground."""
    while True:
        r = math.sqrt(p[0] ** 2 + p[1] ** 2 + p[2] ** 2)
        mu = (p[0] * d[0] + p[1] * d[1] + p[2] * d[2]) / r
        to_top = -r * mu + math.sqrt(max(0.0, r * r * (mu * mu - 1) + SPACE_KM**2))
        hit = r * r * (mu * mu - 1) + EARTH_KM**2
        to_ground = -r * mu - math.sqrt(hit) if mu < 0 and hit > 0 else 1e9
        # the majorant of the 4 km band p stands in and of the one below, which a short step may reach
        low = min(int((r - EARTH_KM) / 4.0), 24)
        band = majorant[max(0, low - 1)]
        step = -math.log(1 - np.random.random()) / band
        reach = min(to_top, to_ground, 3.9)
        if step >= reach:
            p += d * reach
            if reach == to_ground:
                return 2
            if reach == to_top:
                return 0
            continue
        p += d * step
        h = math.sqrt(p[0] ** 2 + p[1] ** 2 + p[2] ** 2) - EARTH_KM
        if np.random.random() * band < _extinction(h, tau, scale, parts):
            return 1


@njit(**JIT)
def walk(tau, particles, ground, sun_mu, photons, seed):
    """Mean and standard error of sky horizontal illuminance per unit extraterrestrial irradiance, one wavelength.

    tau: vertical extinctions (Rayleigh, aerosol, ozone, haze); particles: as CONTINENTAL; ground: its reflectance;
    sun_mu: sine of the sun's elevation.
    """
    np.random.seed(seed)
    albedo, ahead, haze_albedo, haze_ahead, haze_visibility_km = particles
    sun = np.array([math.sqrt(1 - sun_mu * sun_mu), 0.0, sun_mu])
    scale, out, parts = _scales(haze_visibility_km), np.zeros(4), np.zeros(4)
    majorant = np.zeros(25)
    for b in range(25):
        for k in range(101):
            majorant[b] = max(majorant[b], _extinction(4.0 * b + 0.04 * k, tau, scale, parts))
    total, squares = 0.0, 0.0
    for _ in range(photons):
        p = np.array([0.0, 0.0, START])
        m, phi, weight = math.sqrt(np.random.random()), 2 * math.pi * np.random.random(), math.pi
        s = math.sqrt(1 - m * m)
        d = np.array([s * math.cos(phi), s * math.sin(phi), m])
        light = 0.0
        for _order in range(60):
            event = _flight(p, d, tau, scale, majorant, parts)
            if event == 0:
                break
            r = math.sqrt(p[0] ** 2 + p[1] ** 2 + p[2] ** 2)
            if event == 2:
                p *= START / r
                r = START
            local = (p[0] * sun[0] + p[2] * sun[2]) / r
            seen = _sunlight(r, local, tau, scale, out)
            if event == 2:
                weight *= ground
                light += weight * max(0.0, local) / math.pi * seen
                d = _lambert(p / r)
            else:
                aerosol, haze = parts[1] * albedo, parts[3] * haze_albedo
                scattered = parts[0] + aerosol + haze
                weight *= scattered / (parts[0] + parts[1] + parts[2] + parts[3])
                c = d[0] * sun[0] + d[2] * sun[2]
                phase = parts[0] * _rayleigh(c) + aerosol * _particles(c, ahead)
                light += weight * (phase + haze * _particles(c, haze_ahead)) / scattered * seen
                lot = np.random.random() * scattered
                if lot < parts[0]:
                    c = _rayleigh_cosine()
                elif np.random.random() > SHARE_AHEAD:
                    c = _turned(BEHIND)
                else:
                    c = _turned(ahead if lot < parts[0] + aerosol else haze_ahead)
                d = _deflect(d, c)
            if weight < 0.02:
                if np.random.random() < 0.5:
                    break
                weight *= 2
        total += light
        squares += light * light
    mean = total / photons
    return mean, math.sqrt(max(0.0, squares / photons - mean * mean) / photons)
