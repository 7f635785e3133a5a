# SPDX-License-Identifier: Apache-2.0
"""Relighting: the transport of a still camera recorded once, then evaluated for every sun and sky."""
