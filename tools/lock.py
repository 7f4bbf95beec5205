"""Pins what requirements.in and requirements-dev.in resolve to, by pip-tools, without addresses of
any registry.

What is pinned already stays as it is while it fits; `--upgrade` takes the newest of everything.
"""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PLAIN = (
    "--quiet",
    "--strip-extras",
    "--no-header",
    "--no-annotate",
    "--no-emit-index-url",
    "--no-emit-trusted-host",
    "--no-emit-find-links",
    "--no-emit-options",
    "--allow-unsafe",
)


def pin(wanted: str, lock: str, *more: str) -> None:
    """Write the lock file of one file of requirements."""
    command = [
        sys.executable,
        "-m",
        "piptools",
        "compile",
        *PLAIN,
        *more,
        "--output-file",
        lock,
        wanted,
    ]
    subprocess.run(command, cwd=ROOT, check=True)


def main() -> None:
    """Write both lock files; what tests need is pinned beside what the application needs."""
    upgrade = sys.argv[1:]
    pin("requirements.in", "requirements.lock", *upgrade)
    pin(
        "requirements-dev.in",
        "requirements-dev.lock",
        "--constraint",
        "requirements.lock",
        *upgrade,
    )


if __name__ == "__main__":
    main()
