"""Looks at the public names in the code: each stands once, and its words are plain English or in
`docs/words.md`. `python tools/names.py` names what is not, and fails.
"""

import ast
import re
import sys
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

from spellchecker import SpellChecker

ROOT = Path(__file__).parent.parent
CODE = ROOT / "src/relvan"
GLOSSARY = ROOT / "docs/words.md"
LEFT_OUT = ("migrations",)
WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+")
# one name on two floors: what a page or a call does is named after what the service does
ROUTES = ("web/pages", "api", "cli.py")


def public_names(path: Path) -> Iterator[tuple[str, bool]]:
    """(name, whether it is a class or function) of what a module offers."""
    for node in ast.parse(path.read_text(encoding="utf-8")).body:
        if isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
            yield node.name, True
        elif isinstance(node, ast.Assign):
            for target in node.targets:
                if isinstance(target, ast.Name):
                    yield target.id, False


def modules() -> Iterator[tuple[str, Path]]:
    """(place, file) of every module of the application."""
    for path in sorted(CODE.rglob("*.py")):
        place = path.relative_to(CODE).as_posix()
        if not any(part in place for part in LEFT_OUT):
            yield place, path


def glossary() -> set[str]:
    """The words of the glossary, in lower case."""
    return {word.lower() for word in WORD.findall(GLOSSARY.read_text(encoding="utf-8"))}


def twice() -> dict[str, list[str]]:
    """Public classes and functions that stand in several modules, with these."""
    found: dict[str, list[str]] = defaultdict(list)
    for place, path in modules():
        for name, defined in public_names(path):
            if defined and not name.startswith("_"):
                found[name].append(place)
    return {name: places for name, places in found.items() if len(places) > 1}


def strange() -> dict[str, list[str]]:
    """Words in public names that are neither plain English nor in the glossary, with the names."""
    english, known = SpellChecker(), glossary()
    found: dict[str, list[str]] = defaultdict(list)
    for place, path in modules():
        for name, _ in public_names(path):
            for word in () if name.startswith("_") else map(str.lower, WORD.findall(name)):
                plain = len(word) < 3 or word in known or bool(english.known([word]))
                if not plain and word.removesuffix("s") not in known:
                    found[word].append(f"{place}: {name}")
    return found


def main() -> int:
    """Tell what stands twice and which words are strange."""
    doubled, unknown = twice(), strange()
    for name, places in sorted(doubled.items()):
        print(f"{name} stands {len(places)} times: {', '.join(places)}")
    for word, names in sorted(unknown.items()):
        print(f"“{word}” is neither plain English nor in docs/words.md: {', '.join(names[:3])}")
    return 1 if doubled or unknown else 0


if __name__ == "__main__":
    sys.exit(main())
