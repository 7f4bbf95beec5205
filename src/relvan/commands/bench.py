"""Runs benchmarks."""

import json
import runpy
import sys
from pathlib import Path
from typing import Annotated

import typer

app = typer.Typer()


@app.command()
def bench(name: Annotated[str, typer.Argument(help="Which one; all when left out.")] = "") -> None:
    """Run the benchmarks of the bench folder; each prints JSON."""
    folder = Path("bench")
    scripts = sorted(folder.glob(f"{name or 'bench_*'}.py"))
    if not scripts:
        typer.echo(json.dumps({"error": f"no benchmark {name} in {folder.resolve().name}"}))
        sys.exit(1)
    sys.path.insert(0, str(folder.resolve()))
    for script in scripts:
        sys.argv = [str(script)]  # a benchmark reads its own arguments, not those of this command
        runpy.run_path(str(script), run_name="__main__")
