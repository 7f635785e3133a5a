# SPDX-License-Identifier: Apache-2.0
"""A thread that works on the newest request: a waiting request is replaced, a running one can ask whether it is
outdated.

Requests enter through `request`; `work` is called with each on the thread, one at a time, and hands its results on by
itself. It knows nothing of Qt. Used by the renderer, the sun mask, the aim, the import panel and the place search.
"""

from __future__ import annotations

import inspect
import threading
import traceback
from collections.abc import Callable
from typing import Any, Generic, NamedTuple, TypeVar
from weakref import WeakMethod

Request = TypeVar("Request")


def _weak(function: Callable[..., Any]) -> Callable[[], Callable[..., Any] | None]:
    """A way to a function that does not keep the object alive whose method it is: a cycle by way of a thread would have
    that object deleted on whatever thread the garbage collector runs."""
    return WeakMethod(function) if inspect.ismethod(function) else lambda: function


class Numbered(NamedTuple, Generic[Request]):
    """A request and its number among all."""

    request: Request
    number: int


class LatestWorker(Generic[Request]):
    """One thread, started by its first request; the newest request wins."""

    def __init__(
        self,
        name: str,
        work: Callable[[Request], None],
        prefer: Callable[[], Numbered[Request] | None] = lambda: None,
        end: Callable[[], None] = lambda: None,
    ) -> None:
        """`end` is called on the thread when it ends; `prefer` may name an earlier request that is to be worked on
        before the newest. Methods are held weakly: the thread ends with their object."""
        self._name = name
        self._work, self._prefer, self._end = (_weak(f) for f in (work, prefer, end))
        self._lock = threading.Condition()
        self._newest: Numbered[Request] | None = None
        self._current = 0  # the number worked on
        self._closing = False
        self._thread: threading.Thread | None = None

    def _start(self) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name=self._name, daemon=True)
            self._thread.start()

    def request(self, request: Request) -> None:
        """Ask for this; it replaces what waits."""
        with self._lock:
            number = 1 if self._newest is None else self._newest.number + 1
            self._newest = Numbered(request, number)
            self._lock.notify()
        self._start()

    def superseded(self) -> bool:
        """Whether the request being worked on has been replaced, or the thread is to end."""
        return self._closing or (self._newest is not None and self._newest.number != self._current)

    def newer(self) -> Numbered[Request] | None:
        """The newest request, if it is not the one being worked on."""
        with self._lock:
            return self._newest if self.superseded() else None

    def close(self, timeout_s: float = 10.0) -> bool:
        """End the thread and wait for it; whether it has ended."""
        with self._lock:
            self._closing = True
            self._lock.notify()
        if self._thread is not None:
            self._thread.join(timeout_s)
            return not self._thread.is_alive()
        return True

    def _take(self) -> Numbered[Request] | None:
        """The request to work on next, None when the thread is to end."""
        with self._lock:
            while not self._closing and not self.superseded():
                self._lock.wait()
            if self._closing:
                return None
            prefer = self._prefer()
            taken = (prefer and prefer()) or self._newest
            assert taken is not None
            self._current = taken.number
            return taken

    def _run(self) -> None:
        while (taken := self._take()) is not None:
            try:
                if not self._call(self._work, taken.request):
                    break
            except Exception:  # the worker must live on; the details go to the terminal
                traceback.print_exc()
            del taken  # what was asked for may hold a whole scene
        self._call(self._end)

    @staticmethod
    def _call(way: Callable[[], Callable[..., Any] | None], *arguments: Any) -> bool:
        """Call what a weak way leads to; False when its object is gone."""
        function = way()
        if function is None:
            return False
        function(*arguments)
        return True
