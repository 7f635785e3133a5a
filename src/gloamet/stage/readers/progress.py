# SPDX-License-Identifier: Apache-2.0
"""Progress and cancelling of a reader: readers call `step`, which raises Cancelled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from gloamet.errors import GloametError


class Cancelled(GloametError):  # noqa: N818
    """The reading was stopped by the artist."""


@dataclass(frozen=True)
class ProgressToken:
    """tell takes the fraction done (0..1) and a word; stopped says whether to give up."""

    tell: Callable[[float, str], None] = lambda fraction, word: None
    stopped: Callable[[], bool] = lambda: False

    def step(self, fraction: float, word: str) -> None:
        """Say how far it is. Raises Cancelled."""
        if self.stopped():
            raise Cancelled("Opening was stopped: nothing has changed.")
        self.tell(fraction, word)
