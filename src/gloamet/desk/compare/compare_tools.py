# SPDX-License-Identifier: Apache-2.0
"""The objects of Compare, one of each per window: kept pictures, the comparison, contact sheets, their lights."""

from __future__ import annotations

from gloamet.desk.compare.keeper import Keeper
from gloamet.desk.compare.kept_compare import KeptCompare
from gloamet.desk.compare.light_job import LightJob
from gloamet.desk.compare.refine_job import RefineJob
from gloamet.desk.compare.sheet_view import SheetView
from gloamet.desk.picture.wipe import natural
from gloamet.desk.state.session import Session
from gloamet.document.expose import ExposeState
from gloamet.document.fill import FillState
from gloamet.document.model import Document


class CompareTools:
    """Made by the window, handed to the step."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.keeper = Keeper(session)
        self.compare = KeptCompare(self.keeper)
        self.sheet = SheetView(session)
        self.job = LightJob(session)
        self.refiner = RefineJob(self.keeper)
        self.before = "opened"  # what the picture is held against: "opened", "kept" or "nature"

    def document_before(self) -> Document | None:
        """What the picture is held against; None, with a sentence, where there is none."""
        session = self.session
        if self.before == "opened":
            return session.store.saved
        if self.before == "nature":
            plain = natural(session.document)
            return plain.model_copy(
                update={"fill": FillState(), "expose": ExposeState(view=plain.expose.view)}
            )
        if not self.keeper.pictures:
            session.noticed.emit("No kept pictures yet: press K to keep one.", "note")
            return None
        return self.keeper.document(self.keeper.pictures[-1])

    def close(self) -> None:
        """Finish writing, and accept no more work."""
        self.job.close()
        self.refiner.close()
        self.compare.close()
        self.keeper.close()
