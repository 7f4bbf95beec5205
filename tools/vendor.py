"""Refreshes the fonts, styles, scripts and icons that ship with the application, from the npm
registry.

Run it by `make vendor` when a version below changes. Each package's licence is copied beside its
files.
"""

import json
import re
import shutil
import subprocess
import tarfile
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
STATIC = ROOT / "src/relvan/web/static/vendor"
NEXT = "@fontsource/atkinson-hyperlegible-next"
MONO = "@fontsource/atkinson-hyperlegible-mono"
ICONS = [
    "search",
    "plus",
    "x",
    "check2",
    "arrow-counterclockwise",
    "three-dots",
    "box-seam",
    "upc-scan",
    "printer",
    "exclamation-triangle",
    "question-circle",
    "person",
    "archive",
    "truck",
    "pencil",
    "layout-three-columns",
    "bookmark",
    "arrow-right",
    "link-45deg",
    "image",
]

# package -> (version, folder, {file in the package: file here})
PACKAGES = {
    "htmx.org": ("2.0.8", STATIC / "htmx", {"dist/htmx.min.js": "htmx.min.js"}),
    "bootstrap": (
        "5.3.8",
        STATIC / "bootstrap",
        {
            "dist/css/bootstrap.min.css": "bootstrap.min.css",
            "dist/js/bootstrap.bundle.min.js": "bootstrap.bundle.min.js",
        },
    ),
    "sortablejs": ("1.15.6", STATIC / "sortable", {"Sortable.min.js": "Sortable.min.js"}),
    "bootstrap-icons": (
        "1.13.1",
        STATIC / "icons",
        {f"icons/{name}.svg": f"{name}.svg" for name in ICONS},
    ),
    NEXT: (
        "5.3.0",
        STATIC / "fonts/next",
        {
            f"files/atkinson-hyperlegible-next-{part}-{weight}-{style}.woff2": f"next-{part}-{weight}-{style}.woff2"
            for part in ("latin", "latin-ext")
            for weight, style in ((400, "normal"), (600, "normal"), (400, "italic"))
        },
    ),
    MONO: (
        "5.3.0",
        STATIC / "fonts/mono",
        {
            f"files/atkinson-hyperlegible-mono-{part}-{weight}-normal.woff2": f"mono-{part}-{weight}-normal.woff2"
            for part in ("latin", "latin-ext")
            for weight in (400, 600)
        },
    ),
    "swagger-ui-dist": (
        "5.35.0",
        STATIC / "calls",
        {
            "swagger-ui-bundle.js": "swagger-ui-bundle.js",
            "swagger-ui.css": "swagger-ui.css",
        },
    ),
    "axe-core": ("4.10.3", ROOT / "tests/vendor/axe", {"axe.min.js": "axe.min.js"}),
}


def fetch(package: str, version: str, folder: Path) -> Path:
    """Unpack one package of the registry into `folder`; return its root."""
    packed = subprocess.run(
        ["npm", "pack", "--json", f"{package}@{version}"],
        cwd=folder,
        check=True,
        capture_output=True,
    )
    with tarfile.open(folder / json.loads(packed.stdout)[0]["filename"]) as archive:
        archive.extractall(folder / "out", filter="data")
    return next(path for path in (folder / "out").iterdir() if path.is_dir())


def sprite(folder: Path) -> None:
    """Join the icons into one sheet of symbols, so that a page needs a single small file."""
    symbols = []
    for name in ICONS:
        text = (folder / f"{name}.svg").read_text()
        inner = re.search(r"<svg[^>]*>(.*)</svg>", text, re.S).group(1).strip()
        symbols.append(f'<symbol id="{name}" viewBox="0 0 16 16">{inner}</symbol>')
        (folder / f"{name}.svg").unlink()
    (folder / "icons.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg">' + "".join(symbols) + "</svg>\n"
    )


def main() -> None:
    """Fetch every package anew."""
    for package, (version, target, files) in PACKAGES.items():
        with tempfile.TemporaryDirectory() as temporary:
            source = fetch(package, version, Path(temporary))
            shutil.rmtree(target, ignore_errors=True)
            target.mkdir(parents=True)
            for there, here in files.items():
                text = (source / there).read_bytes()
                (target / here).write_bytes(re.sub(rb"\n(//|/\*)# sourceMappingURL=.*", b"", text))
            for licence in source.glob("LICEN*"):
                shutil.copy(licence, target / "LICENSE.txt")
            (target / "VERSION.txt").write_text(f"{package} {version}\n")
        print(package, version)
    sprite(STATIC / "icons")


if __name__ == "__main__":
    main()
