# SPDX-License-Identifier: Apache-2.0
"""Relighting: the light of a still camera recorded once, then evaluated again for every sun and sky."""
