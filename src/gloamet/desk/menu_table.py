# SPDX-License-Identifier: Apache-2.0
"""The commands of the window, menu by menu: File, Edit, View, Light, Help."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Protocol

from gloamet.desk.actions import expose_actions, stage_actions, sun_actions
from gloamet.desk.actions.picture_actions import copy_picture
from gloamet.desk.clipboard import paste
from gloamet.desk.menus import LINE, Command, Table
from gloamet.desk.state.recent import recent
from gloamet.desk.steps import STEP_TITLES
from gloamet.desk.widgets import theme
from gloamet.document.demo import TITLES

if TYPE_CHECKING:
    from pathlib import Path

    from PySide6.QtWidgets import QWidget

    from gloamet.desk.compare.compare_tools import CompareTools
    from gloamet.desk.finder import Finder
    from gloamet.desk.help_overlay import HelpOverlay
    from gloamet.desk.state.session import Session
    from gloamet.desk.step_stack import StepStack

THEMES = {"dark": "Dark theme", "light": "Light theme"}
SURROUNDS = {
    "theme": "As the theme",
    "dark": "Dark grey",
    "middle": "Middle grey",
    "light": "Light grey",
    "white": "Near white",
}


class MenuWindow(Protocol):
    """What the commands need of their window, a QWidget."""

    session: Session
    tools: CompareTools
    finder: Finder
    help: HelpOverlay
    stack: StepStack
    left: QWidget

    def begin_new(self) -> None: ...
    def ask_open(self) -> None: ...
    def open_file(self, path: Path) -> None: ...
    def show_demo(self, name: str = "house") -> None: ...
    def save(self) -> bool: ...
    def save_as(self) -> bool: ...
    def ask_picture(self, layers: bool) -> None: ...
    def close(self) -> bool: ...
    def choose_step(self, index: int) -> None: ...
    def toggle_columns(self) -> None: ...
    def fill_screen(self) -> None: ...
    def isFullScreen(self) -> bool: ...  # noqa: N802
    def update(self) -> None: ...
    def show_about(self) -> None: ...
    def show_terms(self) -> None: ...


def menu_table(window: MenuWindow) -> Table:
    """The rows of every menu, made anew when one opens."""
    makers = {"File": _file, "Edit": _edit, "View": _view, "Light": _light, "Help": _help}
    return {title: partial(make, window) for title, make in makers.items()}


def _file(window: MenuWindow) -> list[Command]:
    return [
        Command("New", window.begin_new, "Ctrl+N"),
        Command("Open …", window.ask_open, "Ctrl+O"),
        Command(
            "Recent files",
            rows=lambda: [Command(path.name, partial(window.open_file, path)) for path in recent()],
        ),
        Command(
            "Demos",
            rows=lambda: [Command(title, partial(window.show_demo, name)) for name, title in TITLES.items()],
        ),
        LINE,
        Command("Save", window.save, "Ctrl+S"),
        Command("Save as …", window.save_as, "Ctrl+Shift+S"),
        LINE,
        Command("Save picture …", partial(window.ask_picture, False), "Ctrl+E"),
        Command("Save layers …", partial(window.ask_picture, True), "Ctrl+Shift+E"),
        LINE,
        Command("Quit", window.close, "Ctrl+Q"),
    ]


def _edit(window: MenuWindow) -> list[Command]:
    session = window.session
    return [
        Command("Undo", session.undo, "Ctrl+Z", lambda: session.history.can_undo),
        Command("Redo", session.redo, "Ctrl+Shift+Z", lambda: session.history.can_redo),
        LINE,
        Command("Copy picture", partial(copy_picture, session), "Ctrl+C"),
        Command("Paste coordinates or a time", partial(paste, session), "Ctrl+V"),
        Command("Keep picture", lambda: window.tools.keeper.keep_now(), "K"),
        LINE,
        Command("Find …", lambda: window.finder.open(), "Ctrl+K"),
    ]


def _view(window: MenuWindow) -> list[Command]:
    steps = [
        Command(title, partial(window.choose_step, k), f"Ctrl+{k + 1}") for k, title in enumerate(STEP_TITLES)
    ]
    themes = [
        Command(text, partial(_use_theme, window, name), checked=partial(_is_theme, name))
        for name, text in THEMES.items()
    ]
    surrounds = [
        Command(
            text,
            partial(_use_surround, window, name),
            checked=partial(_is_surround, name),
        )
        for name, text in SURROUNDS.items()
    ]
    session = window.session
    return [
        *steps,
        LINE,
        Command("Show everything", partial(stage_actions.show_everything, session), "Home"),
        Command("Level the horizon", partial(stage_actions.level_horizon, session)),
        LINE,
        Command("Columns", window.toggle_columns, "Tab", checked=lambda: not window.left.isHidden()),
        Command("Full screen", window.fill_screen, "F11", checked=window.isFullScreen),
        LINE,
        *themes,
        Command("Surround of the picture", rows=lambda: surrounds),
    ]


def _is_theme(name: str) -> bool:
    return theme.chosen_theme() == name


def _is_surround(name: str) -> bool:
    return theme.chosen_surround() == name


def _use_theme(window: MenuWindow, name: str) -> None:
    theme.use(name, theme.chosen_surround())
    window.update()


def _use_surround(window: MenuWindow, name: str) -> None:
    theme.use(theme.chosen_theme(), name)
    window.update()


def _light(window: MenuWindow) -> list[Command]:
    session = window.session
    moves = [
        Command(f"{title} {word}", partial(sun_actions.step, session, unit, sign), keys)
        for title, unit, word, sign, keys in (
            ("Hour", "hour", "earlier", -1, "Ctrl+,"),
            ("Hour", "hour", "later", 1, "Ctrl+."),
            ("Day", "day", "earlier", -1, "Ctrl+Shift+,"),
            ("Day", "day", "later", 1, "Ctrl+Shift+."),
        )
    ]
    mode = session.document.sun.mode
    return [
        *moves,
        Command("Date and time of now", partial(sun_actions.go_now, session)),
        LINE,
        Command(
            "Sun by the almanac",
            partial(sun_actions.back_to_almanac, session),
            checked=lambda: mode == "almanac",
        ),
        Command("Sun by hand", partial(sun_actions.take_by_hand, session), checked=lambda: mode == "manual"),
        LINE,
        Command("Usual turbidity of the month", partial(sun_actions.use_usual_turbidity, session)),
        Command(
            "Lock exposure",
            lambda: expose_actions.lock_exposure(session, session.document.expose.automatic),
            "Ctrl+L",
            checked=lambda: not session.document.expose.automatic,
        ),
    ]


def _help(window: MenuWindow) -> list[Command]:
    return [
        Command("Gestures and shortcuts", lambda: window.help.show_for(window.stack.currentIndex()), "F1"),
        Command("Terms …", window.show_terms),
        LINE,
        Command("About Gloamet …", window.show_about),
    ]
