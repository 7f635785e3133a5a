# SPDX-License-Identifier: Apache-2.0
"""`gloamet prepare` leaves nothing to be compiled when the window is open."""

from __future__ import annotations

import subprocess
import sys

# In a process of its own: other tests have kernels compiled for arrays no desk has.
_SCRIPT = """
import queue, sys
from gloamet.kernelcache import choose_folder
choose_folder()
from gloamet.commands.kernel_stages import STAGES
for work in STAGES.values():
    work()

from numba.core.registry import CPUDispatcher
from gloamet.preview.worker import RenderWorker
from gloamet.preview.events import Frame
from gloamet.document.demo import demo_document

def kernels():
    modules = [m for name, m in list(sys.modules.items()) if name.startswith("gloamet.")]
    found = {id(k): k for m in modules for k in vars(m).values() if isinstance(k, CPUDispatcher)}
    return {f"{k.__module__}.{k.__name__}{s}" for k in found.values() for s in k.signatures}

before = kernels()
assert len(before) > 20, before
events = queue.Queue()
engine = RenderWorker(events.put)

def show(document, wanted):
    engine.request(document, 96, 64)
    while not wanted(events.get(timeout=90)):
        pass

def exact(event):
    return isinstance(event, Frame) and event.exact and event.samples >= 4

for demo in ("house", "interior"):
    document = demo_document(demo).change("output", samples=64)
    show(document, exact)
    assert engine.pipeline.viewport.cache.full
    show(document.change("sun", north_deg=35.0), lambda e: isinstance(e, Frame))
    show(document.change("expose", view="plain sRGB"), exact)
    show(document.change("stage.plaster", on=True, contours=True), exact)
engine.close()
print("\\n".join(sorted(kernels() - before)))
"""


def test_after_preparing_the_desk_compiles_no_kernel() -> None:
    made = subprocess.run([sys.executable, "-c", _SCRIPT], capture_output=True, text=True, timeout=240)
    assert made.returncode == 0, made.stderr
    assert made.stdout.strip() == ""
