"""Pins what requirements.in and requirements-dev.in resolve to, in two files of plain `name==version` lines."""

import subprocess
import tempfile
import venv
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


def frozen(*inputs: str) -> list[str]:
    """Install the inputs into a throw-away environment and list what arrived."""
    with tempfile.TemporaryDirectory() as folder:
        venv.create(folder, with_pip=True)
        pip = Path(folder) / "bin" / "pip"
        for name in inputs:
            subprocess.run([pip, "install", "--quiet", "-r", ROOT / name], check=True)
        listed = subprocess.run([pip, "freeze"], check=True, capture_output=True, text=True).stdout
    return sorted((line for line in listed.splitlines() if "==" in line), key=str.lower)


def main() -> None:
    """Write both lock files."""
    run = frozen("requirements.in")
    everything = frozen("requirements.in", "requirements-dev.in")
    (ROOT / "requirements.lock").write_text("\n".join(run) + "\n")
    (ROOT / "requirements-dev.lock").write_text("\n".join(x for x in everything if x not in run) + "\n")
    print(f"{len(run)} packages to run, {len(everything) - len(run)} more to test")


if __name__ == "__main__":
    main()
