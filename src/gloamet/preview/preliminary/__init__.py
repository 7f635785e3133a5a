# SPDX-License-Identifier: Apache-2.0
"""Preliminary light: sun, sky and exposure answer before any kernel of this machine is compiled."""
