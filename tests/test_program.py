# SPDX-License-Identifier: Apache-2.0
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
import time
from pathlib import Path

import pytest

import gloamet
from gloamet import kernelcache
from gloamet.cli import build_parser, help_parser, joined, main
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


def sources_with(name: str, old: str, new: str) -> dict[str, bytes]:
    """The program's sources with one text changed in a module."""
    sources = kernelcache._sources(SOURCE)
    assert old.encode() in sources[name]
    return {**sources, name: sources[name].replace(old.encode(), new.encode())}


def test_a_changed_constant_compiles_anew_and_a_changed_comment_does_not() -> None:
    now = kernelcache.state()
    assert kernelcache._content(kernelcache._sources(SOURCE)) == now
    module = "gloamet.trace.surfaces.bsdf"
    assert kernelcache._content(sources_with(module, '"""Reflection', '"""Another word. Reflection')) == now
    assert (
        kernelcache._content(sources_with(module, "from __future__", "# a comment\n\nfrom __future__")) == now
    )
    assert (
        kernelcache._content(sources_with(module, "import numpy as np", "import numpy as np\nONE = 1.0"))
        != now
    )


def test_what_no_kernel_imports_compiles_nothing_anew() -> None:
    now = kernelcache.state()
    for module in ("gloamet.stage.readers.obj", "gloamet.desk.window", "gloamet.document.model"):
        changed = sources_with(module, "from __future__", "ONE = 1.0\nfrom __future__")
        assert kernelcache._content(changed) == now, module


def test_a_helper_that_a_kernel_imports_compiles_it_anew() -> None:
    now = kernelcache.state()
    for module in ("gloamet.light_layers", "gloamet.colour.spaces", "gloamet.jit"):
        changed = sources_with(module, "from __future__", "ONE = 1.0\nfrom __future__")
        assert kernelcache._content(changed) != now, module
    tables = kernelcache._sources(SOURCE)
    assert kernelcache._content({**tables, "directional_albedo.npy": b""}) != now


def run_python(script: str) -> str:
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    return done.stdout.strip()


def test_importing_the_program_writes_nothing(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    monkeypatch.delenv("NUMBA_CACHE_DIR", raising=False)
    script = "import gloamet, os; print(os.environ['NUMBA_CACHE_DIR'])"
    assert run_python(script).startswith(str(tmp_path / "gloamet" / "kernels-"))
    assert not list(tmp_path.iterdir())
    monkeypatch.setenv("NUMBA_CACHE_DIR", "elsewhere")
    assert run_python(script) == "elsewhere"


def test_folders_of_other_versions_go_after_a_month_without_use(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    monkeypatch.delenv("NUMBA_CACHE_DIR", raising=False)
    folders = [tmp_path / "gloamet" / f"kernels-{name}" for name in ("old", "young")]
    for folder, days in zip(folders, (31, 29), strict=True):
        folder.mkdir(parents=True)
        (folder / "used").touch()
        then = time.time() - days * 86400.0
        os.utime(folder / "used", (then, then))
    run_python("from gloamet import kernelcache as k; k.mark_used(); k.remove_unused_folders()")
    assert [folder.exists() for folder in folders] == [False, True]
    assert len(list((tmp_path / "gloamet").glob("kernels-*"))) == 2  # and the one in use


def test_a_second_copy_of_the_program_finds_the_kernels_of_the_first(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    copy = tmp_path / "copy" / "gloamet"
    shutil.copytree(SOURCE, copy, ignore=shutil.ignore_patterns("demo", "panoramas", "__pycache__"))
    module = copy / "trace" / "weighted_sum.py"
    module.write_text(f"# a comment\n\n{module.read_text()}")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.delenv("NUMBA_CACHE_DIR", raising=False)
    script = (
        "import numpy as np; from gloamet.light_layers import Gain; from gloamet.trace import weighted_sum as m;"
        "light = np.ones((4, 4, 3), np.float32);"
        "m.weigh([(light, light, Gain())], np.ones((4, 4), np.float32));"
        "print(sum(m._add_rows.stats.cache_hits.values()), m.__file__)"
    )
    assert run_python(script).startswith("0 ")
    monkeypatch.setenv("PYTHONPATH", str(copy.parent))
    assert run_python(script) == f"1 {module}"


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
        "import sys, gloamet.cli, gloamet.translation.document_to_light, gloamet.translation.final_render;"
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


def test_the_quick_help_says_the_same_as_the_whole_command_line() -> None:
    text = help_parser().format_help()
    assert text == build_parser().format_help()
    for command in ("desk", "demo", "sun", "sky", "render", "bench", "suggest", "looks"):
        assert command in text


def test_the_help_imports_neither_a_command_nor_numpy() -> None:
    code = "import sys; from gloamet.cli import main\ntry: main(['--help'])\nexcept SystemExit: pass\n"
    code += "print([m for m in sys.modules if m == 'numpy' or m.startswith('gloamet.commands.')])"
    run = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert run.stdout.splitlines()[-1] == "['gloamet.commands.table']"


def test_the_desk_without_a_screen_is_one_sentence(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    assert main(["demo"]) == 2
    assert "no screen" in capsys.readouterr().err


def test_the_demo_names_a_file_that_ships() -> None:
    document = demo_document()
    assert Path(str(document.stage.scene_file)).is_file()
    assert document.site.name == "Skagur flats"


README = (SOURCE.parents[1] / "README.md").read_text()
COMMAND_PAGE = (SOURCE.parents[1] / "docs" / "command-line.md").read_text()
COMMANDS = re.findall(r"^\./run gloamet (.+)$", README + COMMAND_PAGE, re.MULTILINE)


@pytest.mark.parametrize("line", COMMANDS)
def test_every_command_of_the_readme_is_one(line: str) -> None:
    assert build_parser().parse_args(joined(shlex.split(line))).run is not None


def test_the_pages_show_commands_and_the_readme_names_existing_files() -> None:
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
