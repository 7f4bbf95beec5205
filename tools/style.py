"""Lays out the style sheets: one declaration to a line, two spaces deep, no line over 120
characters.

`python tools/style.py` writes them; with `--check` it names those that are laid out otherwise, and
fails.
"""

import re
import sys
from pathlib import Path

import cssbeautifier

SHEETS = Path(__file__).parent.parent / "src/relvan/web/static/css"
MOST = 120


def laid_out(text: str) -> str:
    """A style sheet as it is to be: rules apart by an empty line, long lists of values broken at
    their commas."""
    options = cssbeautifier.default_options()
    options.indent_size = 2
    options.selector_separator_newline = True
    options.end_with_newline = True
    lines: list[str] = []
    for line in cssbeautifier.beautify(text, options).split("\n"):
        lines += _broken(line) if len(line) > MOST else [line]
    return "\n".join(lines)


def _broken(line: str) -> list[str]:
    indent = re.match(r" *", line)[0]  # type: ignore[index]  # it always matches
    rows, row = [], indent
    for part in re.split(r"(?<=,) (?![^(]*\))|(?<=\)) (?=[a-z#(])", line.strip()):
        if len(row) + 1 + len(part) > MOST and row.strip():
            rows.append(row)
            row = f"{indent}  {part}"
        else:
            row = f"{row} {part}" if row.strip() else f"{indent}{part}"
    return [*rows, row]


def main() -> int:
    """Lay out all style sheets, or with `--check` only look."""
    check = "--check" in sys.argv[1:]
    wrong = []
    for sheet in sorted(SHEETS.glob("*.css")):
        text = sheet.read_text(encoding="utf-8")
        if laid_out(text) != text:
            wrong.append(sheet.name)
            if not check:
                sheet.write_text(laid_out(text), encoding="utf-8")
    if check and wrong:
        print(f"Laid out otherwise: {', '.join(wrong)}. `make lint` lays them out.")
    return 1 if check and wrong else 0


if __name__ == "__main__":
    sys.exit(main())
