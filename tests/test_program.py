"""The program as a whole: examples in the docstrings, the kernel cache, measuring, preparing."""

from __future__ import annotations

import doctest
import hashlib
import importlib
import json
import os
import re
import shlex
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import gloamet
from gloamet import kernelcache
from gloamet.cli import build_parser, joined, main
from gloamet.document.demo import demo_document

SOURCE = Path(gloamet.__file__).parent
PROMISED = (
    "rays_closest_mps",
    "rays_any_mps",
    "embreex_closest_mps",
    "embreex_any_mps",
    "samples_per_s",
    "sky_aerosol_ms",
    "sky_sun_ms",
    "sky_twilight_ms",
    "sun_500k_s",
    "develop_1280x800_ms",
    "first_change_ms",
    "gui_gap_ms",
    "cancel_ms",
    "window_first_s",
    "compile_cold_s",
    "window_warm_s",
    "first_picture_warm_s",
    "peak_rss_mb",
)
WITH_EXAMPLES = [
    ".".join(("gloamet", *path.relative_to(SOURCE).with_suffix("").parts))
    for path in sorted(SOURCE.rglob("*.py"))
    if ">>>" in path.read_text()
]


@pytest.mark.parametrize("name", WITH_EXAMPLES)
def test_examples_in_docstrings_are_true(name: str) -> None:
    results = doctest.testmod(importlib.import_module(name))
    assert results.attempted > 0
    assert results.failed == 0


def test_the_kernel_folder_follows_the_sources(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    before = kernelcache._state()
    assert before == kernelcache._state()
    copy = tmp_path / "gloamet"
    (copy / "sky").mkdir(parents=True)
    for name in kernelcache.MODULES:
        (copy / name).parent.mkdir(exist_ok=True)
        (copy / name).write_text("")
    (copy / "sky" / "a.py").write_text("x = 1\n")
    monkeypatch.setattr(kernelcache, "__file__", str(copy / "kernelcache.py"))
    one = kernelcache._state()
    (copy / "sky" / "a.py").write_text("x = 22\n")
    assert kernelcache._state() != one


def test_the_kernel_folder_is_chosen_once_and_old_ones_go(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    monkeypatch.delenv("NUMBA_CACHE_DIR", raising=False)
    old = tmp_path / "gloamet" / "kernels-0000"
    old.mkdir(parents=True)
    script = "import gloamet, os; print(os.environ['NUMBA_CACHE_DIR'])"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip().startswith(str(tmp_path / "gloamet" / "kernels-"))
    assert not old.exists()
    monkeypatch.setenv("NUMBA_CACHE_DIR", "elsewhere")
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "elsewhere"


def test_importing_the_desk_does_not_load_what_only_pictures_need() -> None:
    heavy = "('numba', 'pvlib', 'PyOpenColorIO', 'OpenImageIO')"
    script = f"import sys, gloamet.desk.window; print([m for m in {heavy} if m in sys.modules])"
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True, env=environment
    )
    assert done.stdout.strip() == "[]"


def test_the_core_never_loads_qt() -> None:
    script = (
        "import sys, gloamet.cli, gloamet.output.document_to_light, gloamet.output.final;"
        "import gloamet.output.environment_export, gloamet.stage.readers, gloamet.preview.worker;"
        "print([m for m in sys.modules if 'PySide6' in m])"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_bench_measures_what_it_is_asked(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["bench", "--only", "sun_one_ms", "--json"]) == 0
    out = json.loads(capsys.readouterr().out)
    assert list(out) == ["sun_one_ms"]
    assert out["sun_one_ms"] > 0


def test_bench_knows_every_promised_name(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["bench", "--only", "nothing"]) == 2
    told = capsys.readouterr().err
    for name in PROMISED:
        assert name in told


def test_help_lists_every_command(capsys: pytest.CaptureFixture[str]) -> None:
    text = build_parser().format_help()
    for command in ("desk", "demo", "sun", "sky", "render", "bench"):
        assert command in text


def test_the_desk_without_a_screen_is_one_sentence(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    assert main(["demo"]) == 2
    assert "no screen" in capsys.readouterr().err


def test_the_demo_names_a_file_that_ships() -> None:
    document = demo_document()
    assert Path(str(document.stage.model)).is_file()
    assert document.site.name == "Skagur flats"


README = (SOURCE.parents[1] / "README.md").read_text()
COMMANDS = re.findall(r"^\./run gloamet (.+)$", README, re.MULTILINE)


@pytest.mark.parametrize("line", COMMANDS)
def test_every_command_of_the_readme_is_one(line: str) -> None:
    assert build_parser().parse_args(joined(shlex.split(line))).run is not None


def test_the_readme_shows_commands_and_names_files_that_are_there() -> None:
    assert len(COMMANDS) > 10
    for target in re.findall(r"\]\(([^)#]+)\)", README):
        assert target.startswith("http") or (SOURCE.parents[1] / target).exists(), target


# -- the script that sets everything up


def run_script(folder: Path, *words: str, **programs: str) -> subprocess.CompletedProcess[str]:
    """`run` of a copy whose packages are ready and whose programs only say what they were called with."""
    shutil.copy(SOURCE.parents[1] / "run", folder / "run")
    for name in ("requirements.lock", "pyproject.toml"):
        shutil.copy(SOURCE.parents[1] / name, folder / name)
    tools = folder / ".venv" / "bin"
    tools.mkdir(parents=True)
    wanted = (folder / "requirements.lock").read_bytes() + (folder / "pyproject.toml").read_bytes()
    (folder / ".venv" / ".ready").write_text(f"{hashlib.sha256(wanted).hexdigest()}  -")
    for name in ("gloamet", "python", "ruff", "mypy"):
        (tools / name).write_text(programs.get(name, f'#!/bin/sh\necho {name} "$@"\n'))
        (tools / name).chmod(0o755)
    return subprocess.run([folder / "run", *words], capture_output=True, text=True, check=False)


@pytest.mark.parametrize(
    ("words", "called"),
    [
        (("demo", "interior"), ["gloamet demo interior"]),
        (("gloamet", "sun", "--lat", "1"), ["gloamet sun --lat 1"]),
        (("mutants", "sky", "--sample", "3"), ["python tools/mutants.py sky --sample 3"]),
        (
            ("test", "-k", "two words"),
            [
                "ruff format --check src tests tools",
                "ruff check src tests tools",
                "mypy",
                "gloamet prepare",
                "python -m pytest -n 2 --dist loadfile -k two words",
            ],
        ),
    ],
)
def test_the_script_hands_its_words_on(words: tuple[str, ...], called: list[str], tmp_path: Path) -> None:
    done = run_script(tmp_path, *words)
    assert done.returncode == 0, done.stderr
    assert done.stdout.split("\n")[:-1] == called


def test_the_script_stops_at_the_first_step_that_fails(tmp_path: Path) -> None:
    done = run_script(tmp_path, "test", mypy="#!/bin/sh\nexit 7\n")
    assert done.returncode == 7
    assert "pytest" not in done.stdout


@pytest.mark.parametrize("words", [(), ("tests",), ("--help",)])
def test_the_script_tells_its_words_when_it_does_not_know_one(words: tuple[str, ...], tmp_path: Path) -> None:
    done = run_script(tmp_path, *words)
    assert done.returncode == 1 and done.stdout == ""
    for word in ("demo", "test", "mutants", "gloamet"):
        assert f"./run {word}" in done.stderr
