"""The command: people, tokens, check, backup and restore, as somebody types them."""

import json
import subprocess
import sys

import pytest
from typer.testing import CliRunner

from relvan.cli import app, main
from relvan.services.people.sign_in import sign_in
from relvan.services.people.tokens import find_token
from relvan.store.product_list import ProductFilter, product_page
from tests.house import add_pot


@pytest.fixture
def run(settings, monkeypatch):
    monkeypatch.setenv("RELVAN_DATA_DIR", str(settings.data_dir))
    monkeypatch.setenv("RELVAN_NEW_PASSWORD", "another password")
    return lambda *words, **given: CliRunner().invoke(app, list(words), **given)


def test_alone_it_lists_what_it_can_do(run):
    told = run().output
    for name in (
        "demo",
        "serve",
        "worker",
        "world",
        "people",
        "token",
        "backup",
        "restore",
        "check",
        "bench",
        "solve",
    ):
        assert name in told


def test_people_are_added_and_listed(run, workplace):
    assert "owner\towner\tOwner" in run("people").output
    assert "ada may sign in" in run("people", "add", "ada", "Ada", "--role", "orders").output
    assert "ada\torders\tAda" in run("people").output
    assert sign_in(workplace, "ada", "another password", "1.2.3.4").actor.name == "Ada"


def test_a_token_is_made_for_an_owner_unless_somebody_is_named(run, workplace):
    assert find_token(workplace, run("token", "x").output.strip())[1].name == "Owner"
    assert (
        find_token(workplace, run("token", "y", "--login", "picker").output.strip())[1].name
        == "Picker"
    )


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


GOODS = "sku,title,price: retail\nA,A pot,16.90\nB,B pot,much\n"


@pytest.fixture
def goods(tmp_path):
    path = tmp_path / "goods.csv"
    path.write_text(GOODS, encoding="utf-8")
    return path


def known(workplace):
    with workplace.database.reading() as session:
        return {row.sku: row.title for row in product_page(session, ProductFilter(), limit=50)}


def test_a_file_is_rehearsed_and_changes_nothing_until_it_is_to_be_applied(
    run, workplace, goods, tmp_path
):
    told = run("import", "products", str(goods))
    assert told.exit_code == 1, "a row is refused"
    assert "rehearsed: 1 new, 1 refused" in told.output
    assert "row 3, B: “price: retail” must be an amount" in told.output
    assert known(workplace) == {}
    result = tmp_path / "result.csv"
    told = run("import", "products", str(goods), "--apply", "--result", str(result))
    assert "1 row applied, 1 refused." in told.output
    assert known(workplace) == {"A": "A pot"}
    rows = result.read_text(encoding="utf-8-sig").splitlines()
    assert [("done" in row, "refused" in row) for row in rows[1:]] == [(True, False), (False, True)]


def test_a_file_without_faults_exits_well(run, workplace, goods):
    goods.write_text("sku,title\nA,First\n", encoding="utf-8")
    assert run("import", "products", str(goods), "--apply").exit_code == 0
    again = run("import", "products", str(goods), "--apply")
    assert (again.exit_code, "1 same" in again.output) == (0, True), again.output


def test_what_was_chosen_is_heard(run, workplace, goods):
    goods.write_text("sku,title\nA,First\n", encoding="utf-8")
    assert run("import", "products", str(goods), "--apply", "--no-create").exit_code == 1
    assert known(workplace) == {}
    run("import", "products", str(goods), "--apply")
    goods.write_text("sku,brand\nA,Tarn\n", encoding="utf-8")
    run("import", "products", str(goods), "--apply")
    goods.write_text("sku,brand\nA,\n", encoding="utf-8")
    assert "1 same" in run("import", "products", str(goods)).output
    assert "1 changes" in run("import", "products", str(goods), "--clear").output


@pytest.mark.parametrize(
    ("kind", "name", "content", "words"),
    [
        ("wishes", "a.csv", b"sku\nA\n", "must be a kind of file"),
        ("products", "a.exe", b"MZ", "must be a CSV"),
        ("products", "a.csv", b"", "is empty"),
        ("products", "a.csv", b"colour\nred\n", "No column is “SKU”"),
        ("products", "a.xlsx", b"PK\x03\x04", "damaged or cut off"),
    ],
)
def test_a_file_that_cannot_be_taken_is_told_in_words(
    run, tmp_path, monkeypatch, capsys, kind, name, content, words
):
    path = tmp_path / name
    path.write_bytes(content)
    monkeypatch.setattr("sys.argv", ["relvan", "import", kind, str(path)])
    with pytest.raises(SystemExit) as left:
        main()
    assert left.value.code == 1
    assert words in capsys.readouterr().err


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_what_is_taken_out_comes_back_unchanged(run, workplace, owner, tmp_path, ending):
    add_pot(workplace, owner, "PT-14", brand="Tarn", aliases=("OLD-14",))
    add_pot(workplace, owner, "BW-1", title="A bowl", category="Bowls")
    path = tmp_path / f"out.{ending}"
    assert "bytes" in run("export", "products", str(path)).output
    back = run("import", "products", str(path), "--apply")
    assert (back.exit_code, "2 same" in back.output) == (0, True), back.output
    run("export", "products", str(path), "--words", "bowl", "--columns", "title, brand")
    told = run("import", "products", str(path)).output
    assert "1 same" in told, "only what the words find, only the columns chosen"


def test_a_long_list_of_refusals_is_cut_short(run, workplace, tmp_path):
    path = tmp_path / "long.csv"
    path.write_text(
        "sku,weight g\n" + "".join(f"S-{n},heavy\n" for n in range(30)), encoding="utf-8"
    )
    told = run("import", "products", str(path)).output
    assert told.count("must be a whole number") == 20
    assert "and 10 more" in told


ONE_ORDER = {
    "lines": [{"sku": "A", "quantity": 2}],
    "warehouses": [{"key": "M", "free": {"A": 1}}, {"key": "D", "free": {"A": 5}}],
    "policy": "one",
}


def test_a_problem_is_solved_from_a_file_or_from_what_is_piped_in(run, tmp_path):
    (tmp_path / "order.json").write_text(json.dumps(ONE_ORDER))
    told = json.loads(run("solve", "routing", str(tmp_path / "order.json")).output)
    assert [shipment["warehouse"] for shipment in told["shipments"]] == ["D"]
    piped = run("solve", "routing", input=json.dumps([ONE_ORDER]))
    assert json.loads(piped.output) == [told]


@pytest.mark.parametrize(
    ("kind", "given", "named"),
    [
        ("routing", "{", "cannot be read"),
        ("routing", json.dumps({**ONE_ORDER, "policy": "any"}), "policy"),
        ("riddle", "{}", "riddle"),
    ],
)
def test_a_wrong_problem_ends_with_2_and_one_line_beside_the_output(run, kind, given, named):
    answer = run("solve", kind, input=given)
    assert (answer.exit_code, answer.stdout) == (2, "")
    assert named in answer.stderr
    assert answer.stderr.count("\n") == 1


def test_the_answer_of_a_solver_is_all_that_stands_on_the_output():
    problem = {
        "free": {"A": 3},
        "orders": [
            {"id": at, "placed": f"2026-11-0{at}", "lines": {"A": units}}
            for at, units in ((1, 3), (2, 1), (3, 2))
        ],
        "by": "most",
    }
    command = [sys.executable, "-m", "relvan", "solve", "reserve"]
    ran = subprocess.run(command, input=json.dumps(problem), capture_output=True, text=True)
    assert json.loads(ran.stdout) == {"whole": [2, 3], "proof": "exact", "bound": 2}
    assert (ran.stderr, ran.returncode) == ("", 0)
