# SPDX-License-Identifier: Apache-2.0
"""Inverse problems of sunlight: from where the light shall fall to where the sun must stand, and when it does."""
