# SPDX-License-Identifier: Apache-2.0
"""Write docs/proof.md: what is true of the program, by whose word, and how near to it the program is now.

The tests' own marks (`@pytest.mark.proof`) enter; they are run, and the largest deviation that an assertion with a
tolerance met is noted. Run it with `python tools/make_proof.py` after a check was added or what it checks has changed.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

ROOT = Path(__file__).parents[1]
KINDS = {
    "published": "published, with its full reference",
    "library": "reference library",
    "practice": "common practice of the trade",
    "memory": "value from memory",
    "physics": "physics: a limit or a symmetry that needs no source",
}
HEAD = """# What is proven, and by whom

Made by `python tools/make_proof.py` from the marks of the tests; not written by hand. Beside each check stands the
largest deviation met when this page was made, and what it may be; a dash where a check asks for an order or a range.
How many faults put in on purpose the tests see, and which they do not: [mutants.md](mutants.md).

| claim | outside source | kind | largest deviation, of what is allowed | check |
|---|---|---|---|---|
"""


class Seen:
    """The comparison of a test that came nearest to its tolerance."""

    def __init__(self) -> None:
        self.fraction, self.text = -1.0, "–"

    def note(self, actual: Any, expected: Any, relative: float | None, absolute: float | None) -> None:
        """One comparison: what came, what was expected, and what was allowed."""
        difference = np.abs(np.asarray(actual, float) - np.asarray(expected, float))
        size = np.maximum(np.abs(np.asarray(expected, float)), 1e-12)
        if absolute is not None and relative is None:
            fraction, text = (
                float(np.max(difference) / absolute),
                f"{np.max(difference):.2g} of {absolute:.2g}",
            )
        else:
            allowed = 1e-6 if relative is None else relative
            worst = float(np.max(difference / size))
            fraction, text = worst / allowed, f"{100 * worst:.2g} % of {100 * allowed:.2g} %"
        if fraction > self.fraction:
            self.fraction, self.text = fraction, text


class Collector:
    """Keeps the marks, runs the marked tests, and listens to `pytest.approx` meanwhile."""

    def __init__(self) -> None:
        self.rows: dict[str, tuple[pytest.Mark, Seen]] = {}
        self.failed: list[str] = []
        self._now: Seen | None = None
        plain = pytest.approx

        def listening(
            expected: Any, rel: float | None = None, abs: float | None = None, nan_ok: bool = False
        ) -> Any:  # noqa: A002
            made: Any = plain(expected, rel, abs, nan_ok)
            now = self._now
            if now is None or isinstance(expected, dict | str):
                return made
            base = type(made)

            def equal(approx: Any, actual: Any) -> Any:
                now.note(actual, expected, rel, abs)
                return base.__eq__(approx, actual)

            made.__class__ = type(base.__name__, (base,), {"__eq__": equal, "__hash__": None})
            return made

        pytest.approx = listening  # type: ignore[assignment]

    def pytest_collection_modifyitems(self, items: list[pytest.Item]) -> None:
        """Only what is marked is run."""
        items[:] = [item for item in items if item.get_closest_marker("proof")]

    def pytest_runtest_setup(self, item: pytest.Item) -> None:
        """A test begins."""
        mark = item.get_closest_marker("proof")
        assert mark is not None
        name = item.nodeid.partition("[")[0]
        self._now = self.rows.setdefault(name, (mark, Seen()))[1]

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        """A test has ended."""
        if report.failed:
            self.failed.append(report.nodeid)


def main() -> None:
    """Run the marked tests and write the page."""
    collector = Collector()
    code = pytest.main(["-q", "-p", "no:cacheprovider", str(ROOT / "tests")], plugins=[collector])
    if code != pytest.ExitCode.OK:
        raise SystemExit(f"not written, for checks fail: {', '.join(collector.failed) or code}")
    lines = [HEAD]
    for name, (mark, seen) in sorted(collector.rows.items()):
        (claim,), words = mark.args, mark.kwargs
        path, _, test = name.partition("::")
        check = f"[{test}](../{path})"
        lines.append(f"| {claim} | {words['source']} | {words['kind']} | {seen.text} | {check} |\n")
    lines.append("\nKinds: " + "; ".join(f"**{kind}** {words}" for kind, words in KINDS.items()) + ".\n")
    (ROOT / "docs" / "proof.md").write_text("".join(lines))


if __name__ == "__main__":
    main()
