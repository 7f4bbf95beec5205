"""The command: people, tokens, check, backup and restore, as somebody types them."""

import pytest
from typer.testing import CliRunner

from relvan.cli import app, main
from relvan.services.people.sign_in import find_token, sign_in
from tests.house import add_pot


@pytest.fixture
def run(settings, monkeypatch):
    monkeypatch.setenv("RELVAN_DATA_DIR", str(settings.data_dir))
    monkeypatch.setenv("RELVAN_NEW_PASSWORD", "another password")
    return lambda *words: CliRunner().invoke(app, list(words))


def test_alone_it_lists_what_it_can_do(run):
    told = run().output
    for name in ("demo", "serve", "worker", "world", "people", "token", "backup", "restore", "check", "bench"):
        assert name in told


def test_people_are_added_and_listed(run, workplace):
    assert "owner\towner\tOwner" in run("people").output
    assert "ada may sign in" in run("people", "add", "ada", "Ada", "--role", "orders").output
    assert "ada\torders\tAda" in run("people").output
    assert sign_in(workplace, "ada", "another password", "1.2.3.4").actor.name == "Ada"


def test_a_token_is_made_for_an_owner_unless_somebody_is_named(run, workplace):
    assert find_token(workplace, run("token", "x").output.strip())[1].name == "Owner"
    assert find_token(workplace, run("token", "y", "--login", "picker").output.strip())[1].name == "Picker"


def test_check_is_clean_or_names_the_breach_and_fails(run, workplace, owner):
    add_pot(workplace, owner, "PT-14")
    clean = run("check")
    assert (clean.exit_code, clean.output.strip()) == (0, "All is well.")
    with workplace.database.writing() as session:
        session.connection().exec_driver_sql("UPDATE balance SET on_hand = 99")
    broken = run("check")
    assert broken.exit_code == 1
    assert "PT-14 in Millrace: ledger 10/0, balance 99/0" in broken.output


def test_what_is_backed_up_can_be_restored(run, workplace, owner, tmp_path):
    add_pot(workplace, owner, "PT-14")
    assert "bytes" in run("backup", str(tmp_path / "b.tar.gz")).output
    add_pot(workplace, owner, "PT-18")
    assert run("restore", str(tmp_path / "b.tar.gz")).exit_code == 0
    assert run("check").exit_code == 0


def test_a_refusal_is_told_in_words_and_not_as_a_traceback(run, monkeypatch, capsys, tmp_path):
    monkeypatch.setattr("sys.argv", ["relvan", "restore", str(tmp_path / "missing.tar.gz")])
    with pytest.raises(SystemExit) as left:
        main()
    assert left.value.code == 1
    assert "There is no file" in capsys.readouterr().err


def test_an_unknown_benchmark_is_said_to_be_none(run):
    found = run("bench", "bench_nothing")
    assert (found.exit_code, "no benchmark bench_nothing" in found.output) == (1, True)
