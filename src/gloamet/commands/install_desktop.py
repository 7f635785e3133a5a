# SPDX-License-Identifier: Apache-2.0
"""`gloamet install-desktop`: entry in the application menu, icons, project type, man page and shell completion."""

from __future__ import annotations

import argparse
import shutil
import subprocess
import sys
from pathlib import Path

from gloamet.errors import GloametError

# after the files are written: caches that some desktops read instead of the folders
CACHES = (
    ("update-mime-database", "share/mime"),
    ("update-desktop-database", "share/applications"),
    ("gtk-update-icon-cache", "share/icons/hicolor"),
)


def add_parser(commands: argparse._SubParsersAction) -> None:
    """Register the subcommand."""
    parser = commands.add_parser(
        "install-desktop", help="add the program to the desktop's menu and file types"
    )
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
    from gloamet.cli import build_parser
    from gloamet.desktop_files import desktop_files

    prefix = options.prefix.expanduser().absolute()
    files = desktop_files(build_parser(), _program())
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
