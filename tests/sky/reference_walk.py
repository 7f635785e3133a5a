"""A Monte Carlo walk of light through the same spherical atmosphere, to check the sky's closure.

It shares only the density profiles and columns with the product: scattering is followed photon by photon
with delta tracking, true phase functions and a Lambert ground.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from gloamet.sky.atmosphere import (
    BACKWARD_G,
    FORWARD_G,
    FORWARD_SHARE,
    GROUND_KM,
    TOP_KM,
    aerosol_phase,
    column_to_space,
    profile_index,
    rayleigh_phase,
    sun_visible,
)

JIT = {"fastmath": True, "cache": True, "nogil": True}
START = GROUND_KM + 0.0005


@njit(**JIT)
def _extinction(profile, h, tau, out):
    k, f = profile_index(h)
    total = 0.0
    for c in range(4):
        out[c] = tau[c] * (profile[k, c] * (1 - f) + profile[k + 1, c] * f)
        total += out[c]
    return total


@njit(**JIT)
def _turned(g):
    s = (1 - g * g) / (1 - g + 2 * g * np.random.random())
    return (1 + g * g - s * s) / (2 * g)


@njit(**JIT)
def _rayleigh_cosine():
    while True:
        c = 2 * np.random.random() - 1
        if 2 * np.random.random() < 1 + c * c:
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
def _flight(profile, p, d, tau, majorant, parts):
    """Move p along d to the next event: 0 space, 1 scattering, 2 ground."""
    while True:
        r = math.sqrt(p[0] ** 2 + p[1] ** 2 + p[2] ** 2)
        mu = (p[0] * d[0] + p[1] * d[1] + p[2] * d[2]) / r
        to_top = -r * mu + math.sqrt(max(0.0, r * r * (mu * mu - 1) + TOP_KM**2))
        hit = r * r * (mu * mu - 1) + GROUND_KM**2
        to_ground = -r * mu - math.sqrt(hit) if mu < 0 and hit > 0 else 1e9
        # the majorant of the 4 km band p stands in, or of everything below when it may sink
        low = min(int((r - GROUND_KM) / 4.0), 24)
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
        h = math.sqrt(p[0] ** 2 + p[1] ** 2 + p[2] ** 2) - GROUND_KM
        if np.random.random() * band < _extinction(profile, h, tau, parts):
            return 1


@njit(**JIT)
def walk(profile, table, tau, aerosol_albedo, ground, sun_mu, horizontal, view_mu, photons, seed):
    """Mean and standard error of sky light per unit extraterrestrial irradiance, one wavelength.

    horizontal: irradiance on level ground; else radiance at elevation sine view_mu, 90 degrees off the sun.
    tau: vertical extinctions (Rayleigh, aerosol, ozone, haze).
    """
    np.random.seed(seed)
    sun = np.array([math.sqrt(1 - sun_mu * sun_mu), 0.0, sun_mu])
    out, parts = np.zeros(4), np.zeros(4)
    majorant = np.zeros(25)
    for b in range(25):
        for k in range(101):
            majorant[b] = max(majorant[b], _extinction(profile, 4.0 * b + 0.04 * k, tau, parts))
    total, squares = 0.0, 0.0
    for _ in range(photons):
        p = np.array([0.0, 0.0, START])
        m, phi, weight = view_mu, 0.5 * math.pi, 1.0
        if horizontal:
            m, phi, weight = math.sqrt(np.random.random()), 2 * math.pi * np.random.random(), math.pi
        s = math.sqrt(1 - m * m)
        d = np.array([s * math.cos(phi), s * math.sin(phi), m])
        light = 0.0
        for _order in range(60):
            event = _flight(profile, p, d, tau, majorant, parts)
            if event == 0:
                break
            r = math.sqrt(p[0] ** 2 + p[1] ** 2 + p[2] ** 2)
            if event == 2:
                p *= START / r
                r = START
            local = (p[0] * sun[0] + p[2] * sun[2]) / r
            seen = 0.0
            if column_to_space(table, r, local, out):
                depth = tau[0] * out[0] + tau[1] * out[1] + tau[2] * out[2] + tau[3] * out[3]
                seen = math.exp(-depth)
            if event == 2:
                weight *= ground
                if local > 0:
                    light += weight * local / math.pi * seen
                n = p / r
                while True:
                    q = np.array(
                        [2 * np.random.random() - 1, 2 * np.random.random() - 1, 2 * np.random.random() - 1]
                    )
                    l2 = q[0] ** 2 + q[1] ** 2 + q[2] ** 2
                    if 1e-6 < l2 < 1:
                        break
                d = n + q / math.sqrt(l2)
                d /= math.sqrt(d[0] ** 2 + d[1] ** 2 + d[2] ** 2)
            else:
                particles = (parts[1] + parts[3]) * aerosol_albedo
                scattered = parts[0] + particles
                weight *= scattered / (parts[0] + parts[1] + parts[2] + parts[3])
                c = d[0] * sun[0] + d[2] * sun[2]
                phase = (parts[0] * rayleigh_phase(c) + particles * aerosol_phase(c)) / scattered
                light += weight * phase * seen * sun_visible(r, local)
                if np.random.random() * scattered < parts[0]:
                    c = _rayleigh_cosine()
                else:
                    c = _turned(FORWARD_G if np.random.random() < FORWARD_SHARE else BACKWARD_G)
                d = _deflect(d, c)
            if weight < 0.02:
                if np.random.random() < 0.5:
                    break
                weight *= 2
        total += light
        squares += light * light
    mean = total / photons
    return mean, math.sqrt(max(0.0, squares / photons - mean * mean) / photons)
