# SPDX-License-Identifier: Apache-2.0
"""What the docstrings promise: functions that another package calls are documented in full, and names they mention
exist."""

from __future__ import annotations

import ast
import importlib
import re
import tokenize
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest
from numpydoc.validate import validate

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "gloamet"
# packages whose functions are an interface for others: all below the preview
ABOVE = ("preview", "desk", "bench", "commands", "cli", "__main__", "__init__")
# numpydoc's checks that are asked: sections, their form, every parameter and result, no stray text
CODES = {
    *("GL03", "GL06", "GL07", "GL08", "GL09", "SS01", "SS02", "SS03", "SS04", "SS05", "SS06"),
    *("PR01", "PR02", "PR03", "PR04", "PR05", "PR06", "PR07", "PR08", "PR09", "PR10"),
    *("RT01", "RT02", "RT03", "RT04", "RT05"),
}


@cache
def tree(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


def module_of(path: Path) -> str:
    parts = path.relative_to(SOURCE.parent).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


MODULES = {module_of(path): path for path in sorted(SOURCE.rglob("*.py"))}


def uses(module: str) -> Iterator[tuple[str, str]]:
    """Names of other packages that a module takes, from where."""
    package, aliases = module.split(".")[1:2], {}
    for node in ast.walk(tree(MODULES[module])):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("gloamet"):
            for alias in node.names:
                whole = f"{node.module}.{alias.name}"
                if whole in MODULES:
                    aliases[alias.asname or alias.name] = whole
                elif node.module.split(".")[1:2] != package:
                    yield node.module, alias.name
    for node in ast.walk(tree(MODULES[module])):
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id in aliases:
            other = aliases[node.value.id]
            if other.split(".")[1:2] != package:
                yield other, node.attr


def interface() -> list[str]:
    """Functions below the preview that another package of the program calls."""
    wanted = {use for module in MODULES if ".bench" not in module for use in uses(module)}
    return sorted(
        f"{module}.{name}"
        for module, name in wanted
        if module in MODULES
        and module.count(".")
        and module.split(".")[1] not in ABOVE
        and any(isinstance(n, ast.FunctionDef) and n.name == name for n in tree(MODULES[module]).body)
    )


@pytest.mark.parametrize("name", interface())
def test_what_another_package_calls_has_a_whole_docstring(name: str) -> None:
    module, _, function = name.rpartition(".")
    found = getattr(importlib.import_module(module), function)
    found = getattr(found, "py_func", found)
    found = getattr(found, "_defn", found)  # an intrinsic
    found = getattr(found, "__wrapped__", found)  # a cached function
    errors = _errors(found, module, function)
    assert not errors, errors


def _errors(found: object, module: str, function: str) -> list[tuple[str, str]]:
    holder = importlib.import_module(module)
    kept = getattr(holder, function)
    setattr(
        holder, function, found
    )  # numpydoc looks names up: it shall see the function below its decorators
    try:
        errors = validate(f"{module}.{function}")["errors"]
    finally:
        setattr(holder, function, kept)
    return [(code, text) for code, text in errors if code in CODES]


# -- names between backticks


@cache
def known_names() -> frozenset[str]:
    """Every name that a module defines, uses as an attribute or takes as a parameter."""
    names: set[str] = set()
    folders = ("src", "tests", "tools")
    for path in (p for folder in folders for p in (ROOT / folder).rglob("*.py")):
        names.add(path.stem)
        names.update(path.relative_to(ROOT).parts[:-1])
        for node in ast.walk(tree(path)):
            if isinstance(node, ast.FunctionDef | ast.ClassDef):
                names.add(node.name)
            elif isinstance(node, ast.Name):
                names.add(node.id)
            elif isinstance(node, ast.Attribute):
                names.add(node.attr)
            elif isinstance(node, ast.arg) or isinstance(node, ast.keyword) and node.arg:
                names.add(node.arg)
            elif isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value.isidentifier():
                names.add(node.value)
            elif isinstance(node, ast.alias):
                names.update(node.name.split("."))
    return frozenset(names)


NAME = re.compile(r"[A-Za-z_][\w]*(?:\.[A-Za-z_]\w*)*(?:\(\))?")
CODE_LIKE = re.compile(r"[_.]|[a-z][A-Z]|^[A-Z][a-z]+[A-Z]")
FILE = re.compile(r"[\w./-]+\.(?:py|md|exr|npy|npz|json|toml|lock|png|jpg|glb|cube)$|[\w-]+/[\w/.-]*")


def missing(text: str) -> list[str]:
    """Names between backticks that look like those of the program and are not there."""
    out = []
    for quoted in re.findall(r"`([^`\n]+)`", text):
        if FILE.fullmatch(quoted):
            positions = (ROOT, SOURCE, SOURCE / "data", ROOT / "docs", ROOT / "tests")
            if "/" in quoted and not any((position / quoted).exists() for position in positions):
                out.append(quoted)
        elif NAME.fullmatch(quoted) and CODE_LIKE.search(quoted):
            parts = quoted.removesuffix("()").split(".")
            if not all(part in known_names() or part in LIBRARY_NAMES for part in parts):
                out.append(quoted)
    return out


# names of libraries and of measured figures, which no module defines
LIBRARY_NAMES = {
    "gloamet",
    "numpy",
    "scipy",
    "pvlib",
    "astropy",
    "colour",
    "trimesh",
    "embreex",
    "pyoidn",
} | {
    "timezonefinder",
    "numpydoc",
}


@pytest.mark.parametrize("module", sorted(MODULES))
def test_names_that_docstrings_mention_exist(module: str) -> None:
    found: list[str] = []
    for node in ast.walk(tree(MODULES[module])):
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef):
            found += missing(ast.get_docstring(node) or "")
    assert not found, found


DOCS = [*sorted((ROOT / "docs").glob("*.md")), ROOT / "README.md", *sorted(ROOT.glob("CONTRIBUTING.md"))]


@pytest.mark.parametrize("page", DOCS, ids=lambda page: page.name)
def test_names_and_files_that_the_docs_mention_exist(page: Path) -> None:
    text = page.read_text()
    links = re.findall(r"\]\((?!https?:|#)([^)#]+)", text)
    assert not [link for link in links if not (page.parent / link).exists()]
    assert not missing(text)


# words in capitals that are no names of the code: abbreviations, standards, codes of tools
ABBREVIATIONS = (
    "ACES ANSI AP1 ASCII ASTM AVX AVX2 BSDF CAM16 CIE CIECAM02 CIEDE2000 CSS DWA D60 D65 ERFA EV100 EXR GGX "
    "GMST GNU HDR IANA IEC IES IESNA ISES ISO JCGT JOSA JPEG JSON LLVM LUT MIS MTL NASA NREL OBJ OPAC PASP PDF "
    "PLY PNG RCA RGB RGBA RGBX SIGGRAPH SIMD SPA SPDX SPECTRL2 STL SVG TIFF UCS URI URL USD USNO UTC VNDF "
    "VSOP87 WSCG XYZ GMT RMS AOD550 CAT16 G173 C78 R10 NOTICE SMPTE "
)


def _capitals(path: Path) -> Iterator[str]:
    """Names in capitals in the docstrings and comments of a file."""
    with path.open("rb") as file:
        for token in tokenize.tokenize(file.readline):
            text = token.string
            if token.type == tokenize.COMMENT and "noqa" not in text or text.startswith('"""'):
                yield from re.findall(r"\b[A-Z][A-Z0-9_]{2,}\b", text)


def test_columns_and_constants_that_comments_and_docstrings_name_exist() -> None:
    known: set[str] = set()
    for path in MODULES.values():
        for node in ast.walk(tree(path)):
            known |= {getattr(node, "id", ""), getattr(node, "attr", ""), getattr(node, "name", "")}
    engines = [
        p
        for p in MODULES.values()
        if p.relative_to(SOURCE).parts[0] in ("trace", "sky", "develop", "preview", "sun")
    ]
    missing = {
        f"{p.relative_to(SOURCE)}: {word}" for p in engines for word in _capitals(p) if word not in known
    }
    assert {word for word in missing if word.partition(": ")[2] not in ABBREVIATIONS.split()} == set()
