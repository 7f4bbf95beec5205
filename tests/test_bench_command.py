"""The command that runs benchmarks."""

import sys

from typer.testing import CliRunner

from relvan.cli import app


def test_a_benchmark_may_use_what_lies_beside_it(tmp_path, monkeypatch):
    bench = tmp_path / "bench"
    bench.mkdir()
    (bench / "beside.py").write_text("ANSWER = 41 + 1\n")
    (bench / "bench_one.py").write_text(
        "import sys\nfrom beside import ANSWER\n\nprint(ANSWER, len(sys.argv))\n"
    )
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr("sys.path", list(sys.path))
    monkeypatch.setattr("sys.argv", ["relvan", "bench", "bench_one"])
    run = CliRunner().invoke(app, ["bench", "bench_one"])
    assert run.exit_code == 0, run.output
    assert "42 1" in run.output


def test_an_unknown_benchmark_is_refused(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    run = CliRunner().invoke(app, ["bench", "bench_none"])
    assert run.exit_code == 1
    assert "no benchmark bench_none" in run.output
