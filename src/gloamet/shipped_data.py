# SPDX-License-Identifier: Apache-2.0
"""Paths of the data shipped with the program: tables, fonts, demos, panoramas."""

from __future__ import annotations

from pathlib import Path

DATA = Path(__file__).parent / "data"
