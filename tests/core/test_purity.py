"""The core takes values and gives decisions: it imports nothing that reads a clock, a file or a
network."""

import ast
import doctest
import importlib
from pathlib import Path

import pytest

import relvan.core

ROOT = Path(relvan.core.__file__).parent
FILES = sorted(ROOT.rglob("*.py"))
ALLOWED = {
    "hashlib",
    "json",
    "__future__",
    "abc",
    "collections",
    "dataclasses",
    "datetime",
    "decimal",
    "enum",
    "fractions",
    "functools",
    "itertools",
    "html",
    "math",
    "operator",
    "re",
    "statistics",
    "string",
    "types",
    "typing",
    "unicodedata",
    "pydantic",
    "stdnum",
    "jinja2",
    "nh3",
    "babel",
    "pycountry",
}
# what computes with large arrays, or by a solver that keeps to a time
MORE = {
    "solver.py": {"highspy", "time"},
    "packing/cartons.py": {"numpy"},
    "packing/fill.py": {"numpy", "numba"},
    "picking/frontier.py": {"numpy"},
    "picking/route.py": {"numpy"},
    "picking/tour.py": {"numpy"},
}


def imports_of(path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from (name.name for name in node.names)
        elif isinstance(node, ast.ImportFrom):
            yield node.module or ""


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(ROOT)))
def test_a_core_module_imports_values_only_and_reads_no_clock(path):
    outside = {name for name in imports_of(path) if not name.startswith("relvan.core")}
    allowed = ALLOWED | MORE.get(str(path.relative_to(ROOT)), set())
    assert {name.partition(".")[0] for name in outside} <= allowed
    assert "datetime.now" not in path.read_text()


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(ROOT)))
def test_the_examples_in_docstrings_are_true(path):
    name = ".".join(("relvan", "core", *path.relative_to(ROOT).with_suffix("").parts)).removesuffix(
        ".__init__"
    )
    assert doctest.testmod(importlib.import_module(name)).failed == 0


# points of drawings, in which a price is a height on the screen
DRAWN = {ROOT / "prices" / "history.py"}
MONEY = [
    ROOT / "money.py",
    ROOT / "orders" / "tax.py",
    *sorted(path for path in (ROOT / "prices").rglob("*.py") if path not in DRAWN),
]


@pytest.mark.parametrize("path", MONEY, ids=lambda path: str(path.relative_to(ROOT)))
def test_money_is_never_a_float(path):
    found = [
        node.lineno
        for node in ast.walk(ast.parse(path.read_text()))
        if (isinstance(node, ast.Name) and node.id == "float")
        or (isinstance(node, ast.Constant) and isinstance(node.value, float))
        or (isinstance(node, ast.Attribute) and node.attr in {"sqrt", "pow"})
    ]
    assert found == []
