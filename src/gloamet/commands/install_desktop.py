# SPDX-License-Identifier: Apache-2.0
"""`gloamet install-desktop`: entry in the application menu, icons, project type, man page and shell completion.

The whole command line enters as `options.build_parser`; files below a prefix leave. Formats: Desktop Entry 1.5, Icon
Theme and Shared MIME-info specifications of freedesktop.org; man(7).
"""

from __future__ import annotations

import argparse
import re
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from gloamet import __version__
from gloamet.commands.table import register
from gloamet.errors import GloametError
from gloamet.shipped_data import DATA

FOLDER = DATA / "desktop"
ICON_SIZES = (16, 24, 32, 48, 64, 128, 256, 512)
# after the files are written: caches that some desktops read instead of the folders
CACHES = (
    ("update-mime-database", "share/mime"),
    ("update-desktop-database", "share/applications"),
    ("gtk-update-icon-cache", "share/icons/hicolor"),
)


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = register(commands, "install-desktop")
    parser.add_argument(
        "--prefix",
        type=Path,
        default=Path.home() / ".local",
        help="folder to install below (default ~/.local)",
    )
    parser.add_argument("--remove", action="store_true", help="remove the files again")
    parser.set_defaults(run=run)


def _program() -> str:
    """How the desktop starts this installation."""
    own = Path(sys.executable).with_name("gloamet")
    return str(own) if own.exists() else "gloamet"


def run(options: argparse.Namespace) -> None:
    """Write or remove the files."""
    prefix = options.prefix.expanduser().absolute()
    files = desktop_files(options.build_parser(), _program())
    try:
        for path, content in files.items():
            target = prefix / path
            if options.remove:
                target.unlink(missing_ok=True)
            else:
                target.parent.mkdir(parents=True, exist_ok=True)
                target.write_bytes(content)
    except OSError as error:
        raise GloametError(
            f"{error.filename} could not be written ({error.strerror}): choose another --prefix."
        ) from None
    for tool, folder in CACHES:
        if shutil.which(tool) and (prefix / folder).is_dir():
            subprocess.run([tool, str(prefix / folder)], check=False, capture_output=True)
    print(f"{'Removed' if options.remove else 'Wrote'} {len(files)} files below {prefix}.")


def _commands(parser: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
    """The subcommands of a parser by name."""
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            return dict(action.choices)
    return {}


def _plain(text: str) -> str:
    """Text as roff shows it as it is."""
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    return re.sub(r"^([.'])", r"\\&\1", escaped, flags=re.M)


def _options(parser: argparse.ArgumentParser) -> Iterator[str]:
    formatter = parser._get_formatter()
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction) or action.help == argparse.SUPPRESS:
            continue
        names = formatter._format_action_invocation(action)
        yield f".TP\n.B {_plain(names)}\n{_plain(formatter._expand_help(action)) if action.help else ''}"


def man_page(parser: argparse.ArgumentParser) -> str:
    """Write the manual page of the command line.

    Parameters
    ----------
    parser : ArgumentParser
        The whole command line.

    Returns
    -------
    str
        Source of a page of section 1, man(7).
    """
    parts = [
        f'.TH GLOAMET 1 "" "gloamet {__version__}" "User Commands"',
        ".SH NAME",
        f"gloamet \\- {_plain(parser.description or '')}",
        ".SH SYNOPSIS",
        ".B gloamet\n[COMMAND] [OPTION ...]",
        ".SH DESCRIPTION",
        "Without a command the window opens. Every command has\n.BR \\-\\-help .",
        ".SH COMMANDS",
    ]
    for name, command in _commands(parser).items():
        parts.append(f".SS gloamet {_plain(name)}")
        if command.description:
            parts.append(_plain(command.description))
        parts += _options(command)
    parts += [".SH EXIT STATUS", "0 on success, 2 after one sentence about what is wrong, 130 when stopped."]
    return "\n".join(parts) + "\n"


def bash_completion(parser: argparse.ArgumentParser) -> str:
    """Write the completion script for bash.

    Parameters
    ----------
    parser : ArgumentParser
        The whole command line.

    Returns
    -------
    str
        The script.
    """
    commands = _commands(parser)
    cases = "\n".join(
        f"    {name}) words='{' '.join(_words(command))}' ;;" for name, command in commands.items()
    )
    return f"""# Completion of gloamet for bash
_gloamet() {{
  local current=${{COMP_WORDS[COMP_CWORD]}} words
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=($(compgen -W '{" ".join(commands)} --help --version' -- "$current"))
    return
  fi
  case ${{COMP_WORDS[1]}} in
{cases}
  esac
  COMPREPLY=($(compgen -W "$words" -- "$current") $(compgen -f -- "$current"))
}}
complete -o filenames -F _gloamet gloamet
"""


def _words(parser: argparse.ArgumentParser) -> list[str]:
    return [name for action in parser._actions for name in action.option_strings if name.startswith("--")]


def desktop_files(parser: argparse.ArgumentParser, program: str) -> dict[Path, bytes]:
    """Make every file of the desktop integration.

    Parameters
    ----------
    parser : ArgumentParser
        The whole command line.
    program : str
        How the desktop starts the program: its name, or a path to it.

    Returns
    -------
    dict of Path to bytes
        Contents by path below a prefix such as ~/.local.
    """
    quoted = f'"{program}"' if " " in program else program
    entry = (FOLDER / "gloamet.desktop").read_text(encoding="utf-8")
    entry = entry.replace("Exec=gloamet ", f"Exec={quoted} ")
    share = Path("share")
    files = {
        share / "applications/gloamet.desktop": entry.encode(),
        share / "mime/packages/gloamet.xml": (FOLDER / "gloamet.xml").read_bytes(),
        share / "icons/hicolor/scalable/apps/gloamet.svg": (FOLDER / "gloamet.svg").read_bytes(),
        share / "man/man1/gloamet.1": man_page(parser).encode(),
        share / "bash-completion/completions/gloamet": bash_completion(parser).encode(),
    }
    for size in ICON_SIZES:
        icon = FOLDER / f"icons/{size}.png"
        files[share / f"icons/hicolor/{size}x{size}/apps/gloamet.png"] = icon.read_bytes()
    return files
