# SPDX-License-Identifier: Apache-2.0
"""The draft picture: sun, sky and exposure answer before any kernel of this machine is compiled."""
