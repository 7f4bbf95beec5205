"""Tests bringing files in: what the rehearsal says, what applying does, what undo takes back."""

import io
import zipfile

import pytest
import xlsxwriter

from relvan.core.catalogue.attributes import AttributeKind, AttributeRule
from relvan.core.refusal import Refused
from relvan.services.bulk.work import work_next
from relvan.services.catalogue.categories import save_attribute
from relvan.services.imports.receive import NewFile, change_mapping, receive_file
from relvan.services.jobs.life import move_job
from relvan.services.listings.availability import availability
from relvan.store.jobs import job_rows
from tests.house import add_pot, assert_sound, count, receive, work
from tests.steps.imports import carry, facts, rehearse, rows, state, verdicts
from tests.steps.tables import WORKBOOKS


def test_a_file_is_rehearsed_applied_and_taken_back(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0)
    text = "SKU,Title,Weight (kg),Price: retail\nPT-14,Pot PT-14,1.25,18.90\nPT-18,A bigger pot,,24.90\npt-14,Twice,,\n"
    job, found = rehearse(workplace, owner, "products", text)
    assert verdicts(found) == ["changes", "new", "refused"]
    assert "row 2 already" in found[2][3]
    assert facts(workplace, "PT-14")["weight_g"] == 700, "a rehearsal changes nothing"
    assert verdicts(carry(workplace, owner, job)) == ["done", "done", "refused"]
    now = facts(workplace, "PT-14")
    assert (now["weight_g"], now["price retail"], now["title"]) == (1250, 1890, "Pot PT-14")
    assert facts(workplace, "PT-18")["title"] == "A bigger pot"
    assert verdicts(carry(workplace, owner, job, "undo")) == ["taken back", "taken back", "refused"]
    back = facts(workplace, "PT-14")
    assert (back["weight_g"], back["price retail"]) == (700, 1690)
    assert facts(workplace, "PT-18")["archived"] is True
    assert_sound(workplace)


def test_what_somebody_changed_since_the_rehearsal_is_left_alone_and_said(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0)
    job, _ = rehearse(workplace, owner, "products", "sku,cost\nPT-14,6.00\n")
    other, _ = rehearse(workplace, owner, "products", "sku,cost\nPT-14,7.00\n")
    carry(workplace, owner, other)
    found = carry(workplace, owner, job)
    assert verdicts(found) == ["refused"]
    assert "changed since" in found[0][3]
    assert facts(workplace, "PT-14")["cost"] == 700


def test_undo_leaves_what_was_touched_later(workplace, owner):
    for sku in ("PT-14", "PT-18"):
        add_pot(workplace, owner, sku, units=0)
    job, _ = rehearse(workplace, owner, "products", "sku,cost\nPT-14,6.00\nPT-18,6.00\n")
    carry(workplace, owner, job)
    later, _ = rehearse(workplace, owner, "products", "sku,cost\nPT-18,9.00\n")
    carry(workplace, owner, later)
    assert verdicts(carry(workplace, owner, job, "undo")) == ["taken back", "not taken back"]
    assert (facts(workplace, "PT-14")["cost"], facts(workplace, "PT-18")["cost"]) == (500, 900)


def test_a_job_is_never_applied_twice(workplace, owner):
    job, _ = rehearse(workplace, owner, "products", "sku,title\nPT-9,A pot\n")
    carry(workplace, owner, job)
    with pytest.raises(Refused) as refused:
        move_job(workplace, owner, job, "apply")
    assert refused.value.first.code == "wrong-state"


def test_a_family_comes_in_whole_or_not_at_all(workplace, owner):
    text = (
        "Family SKU;Variant SKU;Trait 1;Value 1;Trait 2;Value 2\n"
        "PT;PT-14-INK;Glaze;Ink;Size;14 cm\n"
        "PT;PT-14-OAT;Glaze;Oat;Size;14 cm\n"
        "CU;CU-INK;Glaze;Ink;;\n"
        "CU;CU-TWO;Glaze;ink;;\n"
    )
    job, found = rehearse(workplace, owner, "families", text)
    assert verdicts(found) == ["new", "new", "refused", "refused"]
    assert "“CU-TWO” and “CU-INK” are both Glaze ink" in " ".join(row[3] for row in found)
    carry(workplace, owner, job)
    assert facts(workplace, "PT")["axes"] == [["Glaze", ["Ink", "Oat"]], ["Size", ["14 cm"]]]
    assert facts(workplace, "PT-14-OAT")["family"] == "PT"
    assert_sound(workplace)


def test_members_of_a_family_are_added_or_replaced(workplace, owner):
    text = "Family SKU,Variant SKU,trait: Glaze\nPT,A,Ink\nPT,B,Oat\n"
    job, _ = rehearse(workplace, owner, "families", text)
    carry(workplace, owner, job)
    job, _ = rehearse(
        workplace, owner, "families", "Family SKU,Variant SKU,trait: Glaze\nPT,C,Rust\n"
    )
    carry(workplace, owner, job)
    assert facts(workplace, "A")["family"] == "PT"
    replace = {"members": "replace"}
    job, _ = rehearse(
        workplace,
        owner,
        "families",
        "Family SKU,Variant SKU,trait: Glaze\nPT,C,Rust\n",
        options=replace,
    )
    carry(workplace, owner, job)
    assert (facts(workplace, "A")["kind"], facts(workplace, "C")["kind"]) == ("single", "variant")
    assert "family" not in facts(workplace, "A")


def test_a_kit_may_come_before_its_parts_in_one_file(workplace, owner):
    text = "sku,kind,title,family\nKIT,kit,A set,\nV-INK,variant,,F\nF,family,A family,\n"
    _, found = rehearse(workplace, owner, "products", text)
    assert verdicts(found)[0] == "new"
    add_pot(workplace, owner, "PT-14", units=9)
    text = "kit,part,quantity\nOUTER,INNER,1\nINNER,PT-14,2\nOUTER,PT-14,1\n"
    job, found = rehearse(workplace, owner, "kits", text)
    assert verdicts(found) == ["new", "new", "new"]
    carry(workplace, owner, job)
    assert facts(workplace, "OUTER")["parts"] == [["INNER", 1], ["PT-14", 1]]
    assert availability(workplace, "OUTER").free == 3, "each takes 3 of 9"
    count(workplace, owner, "PT-14", 5)
    shown = availability(workplace, "OUTER")
    assert shown.free == 1
    assert any("scarcest part PT-14" in step.detail for step in shown.why.steps)


def test_a_circle_of_kits_is_refused_by_name(workplace, owner):
    text = "kit,part,quantity\nA,B,1\nB,C,1\nC,A,1\nD,A,1\n"
    _, found = rehearse(workplace, owner, "kits", text)
    assert verdicts(found) == ["refused"] * 4
    assert "A → B → C → A" in found[0][3]


def test_prices_aliases_and_attributes_come_in_by_row(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0)
    job, _ = rehearse(
        workplace,
        owner,
        "prices",
        'sku,price list,price,from\nPT-14,retail,"19,90",\nPT-14,retail,"17,50",10\n',
    )
    carry(workplace, owner, job)
    job, _ = rehearse(
        workplace, owner, "aliases", "alias,sku,own title\nOLD-1,PT-14,The old pot\nOLD-2,PT-14,\n"
    )
    carry(workplace, owner, job)
    job, found = rehearse(
        workplace, owner, "attributes", "sku,attribute,value\nPT-14,glaze,ink\nNOPE,glaze,ink\n"
    )
    assert verdicts(found) == ["changes", "refused"]
    carry(workplace, owner, job)
    now = facts(workplace, "PT-14")
    assert (now["price retail"], now["break retail 10"], now["attribute glaze"]) == (
        1990,
        1750,
        "ink",
    )
    assert now["aliases"] == ["OLD-1", "OLD-2"]
    assert now["alias OLD-1"]["title"] == "The old pot"


def test_counts_move_stock_once_and_are_taken_back(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=10)
    job, found = rehearse(
        workplace,
        owner,
        "stock-counts",
        "sku,warehouse,bin,counted\nPT-14,Millrace,A-01,7\nPT-14,millrace,X-99,1\n",
    )
    assert verdicts(found) == ["changes", "refused"]
    carry(workplace, owner, job)
    assert availability(workplace, "PT-14").free == 7
    carry(workplace, owner, job, "undo")
    assert availability(workplace, "PT-14").free == 10
    assert_sound(workplace)


def test_a_count_that_no_longer_fits_is_refused(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=10)
    job, _ = rehearse(workplace, owner, "stock-counts", "sku,warehouse,counted\nPT-14,millrace,7\n")
    receive(workplace, owner, "PT-14", 5)
    assert verdicts(carry(workplace, owner, job)) == ["refused"]
    assert availability(workplace, "PT-14").free == 15


WESTERN = "Artikel;Bezeichnung;Größe\nPT-1;Töpfchen „grün“;klein\n"


@pytest.mark.parametrize(
    ("content", "title"),
    [
        ("sku,title\r\nPT-1,Töpfchen\r\n".encode("utf-16"), "Töpfchen"),
        ("sku;title\r\nPT-1;Töpfchen €5\r\n".encode("cp1252"), "Töpfchen €5"),
        ("\ufeffsku\ttitle\nPT-1\tTöpfchen\n".encode(), "Töpfchen"),
        (b'sku,title\nPT-1,"Pot, ""big""\nsecond line"\n', None),
        (b"sku|title\nPT-1|Pot\n", "Pot"),
    ],
)
def test_any_encoding_and_delimiter_is_guessed(workplace, owner, content, title):
    job, found = rehearse(workplace, owner, "products", content)
    if title is None:
        assert verdicts(found) == ["refused"], "a title has no second line"
        return
    assert verdicts(found) == ["new"]
    carry(workplace, owner, job)
    assert facts(workplace, "PT-1")["title"] == title


def workbook(sheet_rows, formulas=()):
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    sheet = book.add_worksheet()
    for number, row in enumerate(sheet_rows):
        for column, cell in enumerate(row):
            sheet.write(number, column, cell)
    for place, formula, value in formulas:
        sheet.write_formula(place, formula, None, value)
    book.close()
    return out.getvalue()


def test_a_workbook_with_a_title_merged_headings_and_a_formula(workplace, owner):
    content = workbook(
        [
            ["Our goods"],
            [],
            ["SKU", "Title", "GTIN", "Weight g"],
            ["PT-1", "A pot", 4006381333931, 720],
        ],
        formulas=[("B5", '="A "&"bowl"', "A bowl"), ("A5", '="BW-"&1', "BW-1")],
    )
    job, found = rehearse(workplace, owner, "products", content, "goods.xlsx")
    assert [row[1] for row in found] == ["PT-1", "BW-1"]
    carry(workplace, owner, job)
    assert facts(workplace, "PT-1")["gtin"] == "4006381333931"
    assert facts(workplace, "BW-1")["title"] == "A bowl"


def bomb():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/worksheets/sheet1.xml", b"0" * 80_000_000)
    return out.getvalue()


@pytest.mark.parametrize(
    ("name", "content", "code"),
    [
        ("bomb.xlsx", bomb, "too-large"),
        ("cut.xlsx", lambda: workbook([["sku", "title"], ["A", "B"]])[:900], "no-table"),
        ("text.xlsx", lambda: b"sku,title\nA,B\n", "no-table"),
        ("nothing.csv", lambda: b"", "missing"),
        ("blank.csv", lambda: b"\n\n,,\n", "empty"),
        ("picture.png", lambda: b"\x89PNG", "no-table"),
        ("headless.csv", lambda: b"colour,shape\nred,round\n", "missing"),
    ],
)
def test_a_file_that_cannot_be_read_is_refused_in_words(workplace, owner, name, content, code):
    with pytest.raises(Refused) as refused:
        receive_file(workplace, owner, NewFile("products", name, content()))
    assert refused.value.first.code == code
    assert refused.value.first.message


def test_typed_attributes_are_read_as_the_file_writes_them(workplace, owner):
    save_attribute(workplace, owner, AttributeRule("sow until", AttributeKind.DATE))
    save_attribute(workplace, owner, AttributeRule("capacity", AttributeKind.NUMBER, "l"))
    text = (
        "sku;title;attribute: sow until;attribute: Capacity\nA;A;31.03.2026;1.234,5\nB;B;2026-04-01;2\n"
        "C;C;31.02.2026;1\nD;D;;viel\n"
    )
    job, found = rehearse(workplace, owner, "products", text)
    assert verdicts(found) == ["new", "new", "refused", "refused"]
    carry(workplace, owner, job)
    now = facts(workplace, "A")
    assert (now["attribute sow until"], now["attribute capacity"]) == ("2026-03-31", "1234.5")
    assert facts(workplace, "B")["attribute sow until"] == "2026-04-01"


def test_a_broken_row_says_which_cell_and_stops_no_other(workplace, owner):
    text = (
        "sku,title,weight,gtin,fragile\n"
        "A,First,heavy,,\nB,Second,700,4006381333932,\nC,Third,700,,perhaps\nD,Fourth,700,,yes\n,No SKU,1,,\n"
    )
    _, found = rehearse(workplace, owner, "products", text)
    assert verdicts(found) == ["refused", "refused", "refused", "new", "refused"]
    for row, words in zip(
        found, ("Weight", "check digit would be 1", "Fragile", "", "SKU"), strict=True
    ):
        assert words in row[3]


def test_unknown_columns_are_left_out_and_unknown_skus_as_chosen(workplace, owner):
    head = ",".join(["sku", "title", *(f"x{n}" for n in range(40))])
    _, found = rehearse(
        workplace, owner, "products", f"{head}\nA,First{',1' * 40}\n", options={"create": False}
    )
    assert verdicts(found) == ["refused"]
    assert "not in the catalogue" in found[0][3]


def test_a_mapping_can_be_corrected_and_the_file_read_again(workplace, owner):
    mapping = [{"heading": "a", "name": "sku"}, {"heading": "b", "name": "title"}]
    job, found = rehearse(workplace, owner, "products", "a,b\nPT-1,Pot\n", mapping=mapping)
    assert verdicts(found) == ["new"]
    other = [{"heading": "a", "name": "title"}, {"heading": "b", "name": "sku"}]
    change_mapping(workplace, owner, job, {"mapping": other})
    work(workplace)
    assert [row[1] for row in rows(workplace, job)] == ["Pot"]
    assert state(workplace, job) == "rehearsed"


def test_an_import_goes_on_after_the_worker_was_killed(workplace, owner, monkeypatch):
    monkeypatch.setattr("relvan.services.imports.rehearse.READ", 5)
    lines = "\n".join(f"S-{n:03d},Thing {n}" for n in range(23))
    job, _ = rehearse(workplace, owner, "products", f"sku,title\n{lines}\n")
    move_job(workplace, owner, job, "apply")
    chunks = iter([False, False, True])
    work_next(workplace, stopped=lambda: next(chunks))
    with workplace.database.reading() as session:
        assert job_rows(session, job_id=job)[0].done == 10
    assert state(workplace, job) == "applying"
    work(workplace)
    assert verdicts(rows(workplace, job)) == ["done"] * 23
    assert state(workplace, job) == "ended"
    assert_sound(workplace)


def test_who_may_not_change_a_station_may_not_bring_in_its_files(workplace, picker):
    with pytest.raises(Refused) as refused:
        receive_file(workplace, picker, NewFile("products", "a.csv", b"sku,title\nA,B\n"))
    assert refused.value.first.code == "not-allowed"


@pytest.mark.parametrize("suffix", WORKBOOKS)
def test_a_workbook_of_any_kind_comes_in_and_is_taken_back(workplace, owner, suffix):
    add_pot(workplace, owner, "PT-14", units=0)
    sheet = [
        ["Goods of the spring", None, None, None, None],
        [None, None, None, None, None],
        ["SKU", "Title", "GTIN", "Weight g", "Price: retail"],
        ["pt-14", "Topf, glasiert “grün”", 4006381333931, 1250.0, 18.9],
        ["NEW-1", "=cmd|' /C calc'!A0", None, 3, 16.900000000000002],
        ["NEW-2", "A pot", 4006381333932, 3, 1],
        ["NEW-1", "Once more", None, None, None],
    ]
    content = WORKBOOKS[suffix](
        ("Empty", []), ("Notes", [["nothing to bring in"]]), ("Goods", sheet)
    )
    job, found = rehearse(workplace, owner, "products", content, f"goods{suffix}")
    assert verdicts(found) == ["changes", "new", "refused", "refused"]
    assert "4006381333931" in found[2][3], "the right check digit is told"
    assert "row 5 already" in found[3][3]
    carry(workplace, owner, job)
    now = facts(workplace, "PT-14")
    assert (now["gtin"], now["weight_g"], now["price retail"]) == ("4006381333931", 1250, 1890)
    assert facts(workplace, "NEW-1")["title"] == "=cmd|' /C calc'!A0", "text stays text"
    assert facts(workplace, "NEW-1")["price retail"] == 1690
    carry(workplace, owner, job, "undo")
    assert facts(workplace, "PT-14")["title"] == "Pot PT-14"
    assert_sound(workplace)
