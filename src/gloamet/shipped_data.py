# SPDX-License-Identifier: Apache-2.0
"""Where the data that ships with the program is: tables, fonts, demos, panoramas."""

from __future__ import annotations

from pathlib import Path

DATA = Path(__file__).parent / "data"
