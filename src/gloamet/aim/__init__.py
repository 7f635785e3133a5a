# SPDX-License-Identifier: Apache-2.0
"""Inverse problems of sunlight: from a wanted shadow, glint or sunlit surface to the sun's direction and its dates."""
