# SPDX-License-Identifier: Apache-2.0
"""Make src/gloamet/data/directional_albedo.npy: how much light the GGX lobe returns, for the surface kernels.

Array (2, 32, 32) float32: [0] for a lobe of reflectance 1, [1] for a dielectric of 4 % at normal incidence;
axes are cosine of the view angle i / 31 and roughness j / 31. Integrated over 4096 visible
normals each, with the same shadowing as gloamet.trace.surfaces.bsdf.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

SIZE, SIDE = 32, 64


def main() -> None:
    """Integrate and write."""
    u, v = (a.ravel() for a in np.meshgrid((np.arange(SIDE) + 0.5) / SIDE, (np.arange(SIDE) + 0.5) / SIDE))
    table = np.zeros((2, SIZE, SIZE), np.float32)
    for i in range(SIZE):
        mu = max(i / (SIZE - 1), 0.004)
        for j in range(SIZE):
            alpha = max(j / (SIZE - 1), 0.03) ** 2
            x, z = np.sqrt(1 - mu * mu), mu
            s = np.array([alpha * x, 0.0, z])
            s /= np.linalg.norm(s)
            r, phi = np.sqrt(u), 2 * np.pi * v
            p, q = r * np.cos(phi), r * np.sin(phi)
            h = 0.5 * (1 + s[2])
            q = (1 - h) * np.sqrt(np.maximum(0, 1 - p * p)) + h * q
            w = np.sqrt(np.maximum(0, 1 - p * p - q * q))
            # tangents of s with the first along y
            n = np.stack([-s[2] * q + w * s[0], p, s[0] * q + w * s[2]], 1)
            n = np.stack([alpha * n[:, 0], alpha * n[:, 1], np.maximum(1e-6, n[:, 2])], 1)
            n /= np.linalg.norm(n, axis=1, keepdims=True)
            vh = n[:, 0] * x + n[:, 2] * z
            lz = 2 * vh * n[:, 2] - z
            up = np.maximum(lz, 1e-6)
            a2 = alpha * alpha
            root_v, root_l = np.sqrt(a2 + (1 - a2) * z * z), np.sqrt(a2 + (1 - a2) * up * up)
            g = np.where(lz > 0, up * (z + root_v) / (up * root_v + z * root_l), 0.0)  # G2 / G1
            fresnel = 0.04 + 0.96 * (1 - np.clip(vh, 0, 1)) ** 5
            table[0, i, j], table[1, i, j] = g.mean(), (g * fresnel).mean()
    target = Path(__file__).resolve().parents[1] / "src/gloamet/data/directional_albedo.npy"
    np.save(target, table)
    print(target.name, table.min(), table.max())


if __name__ == "__main__":
    main()
