"""Tests that plain facts are written many at once; what comes of it must be what comes of writing
each product by itself."""

import csv
import io

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from relvan.core.catalogue.facts import draft_from
from relvan.core.people.roles import Role
from relvan.services.bulk.work import work_next
from relvan.services.catalogue.save import archive_products, change_facts, save_many
from relvan.services.jobs.life import move_job
from relvan.services.open import open_workplace
from relvan.services.workplace import Actor
from relvan.store.job_rows import job_verdicts
from relvan.store.tables import PriceList
from tests.house import add_pot, assert_sound, work
from tests.steps.imports import carry, facts, rehearse, rows, verdicts

OWNER = Actor(1, "Owner", Role.OWNER, "hand")
# SKU -> what is there before the file comes
THERE = {
    "PT-1": {
        "title": "Pot one",
        "description": "A pot.",
        "weight_g": 700,
        "price retail": 1690,
        "cost": 0,
    },
    "pt-2": {
        "title": "Pot two",
        "category": "Pots / Indoors",
        "fragile": True,
        "gtin": "4006381333931",
    },
    "PT-3": {
        "title": "Pot three",
        "length_mm": 100,
        "width_mm": 90,
        "height_mm": 80,
        "aliases": ["OLD-3"],
    },
    "GONE": {"title": "No more"},
    "FAM": {
        "title": "A family",
        "kind": "family",
        "axes": [["Glaze", ["Ink", "Moss"]]],
        "brand": "Quillmoss",
    },
    "FAM-INK": {
        "title": "Ink",
        "kind": "variant",
        "family": "FAM",
        "trait Glaze": "Ink",
        "weight_g": 400,
    },
    "KIT": {"title": "A set", "kind": "kit", "parts": [["PT-1", 2]]},
    "SVC": {"title": "Wrapping", "kind": "service", "price retail": 300},
}
SKUS = [
    "PT-1",
    "pt-1",
    "PT-2",
    "PT-3",
    "old-3",
    "GONE",
    "FAM",
    "FAM-INK",
    "KIT",
    "SVC",
    "NEW-1",
    "new-1",
    "Töpfe/4",
    "",
]
# heading -> cells, right and wrong
CELLS = {
    "title": ["", "Pot one", " Pot one ", "A new name", "x" * 201],
    "description": ["", "A pot.", "Lines\nof it"],
    "category": ["", "Pots / Indoors", "Bowls", "Pots /Indoors"],
    "gtin": ["", "4006381333931", "036000291452", "4006381333932"],
    "weight g": ["", "700", "0", "1.5", "720"],
    "length mm": ["", "100", "20001"],
    "width mm": ["", "90"],
    "height mm": ["", "80", "85"],
    "case quantity": ["", "6"],
    "cost": ["", "0", "5.20", "-1"],
    "price: retail": ["", "16.90", "17.90", "nothing"],
    "fragile": ["", "yes", "no", "perhaps"],
    "supplier": ["", "Own workshop"],
    "origin": ["", "IE", "ie"],
}
options = st.fixed_dictionaries({"clear": st.booleans(), "create": st.booleans()})
DUMPS = (
    "SELECT sku, sku_key, kind, title, brand, description, gtin, gtin_key, category, weight_g, length_mm, width_mm,"
    " height_mm, cost, floor, tax_code, fragile, case_quantity, supplier, origin, attributes, traits, axes,"
    " asked, lacking, archived_at IS NULL FROM product ORDER BY sku_key",
    "SELECT n.key, n.sku, n.alias, p.sku, n.title, n.prices FROM sku_name n JOIN product p ON p.id = product_id"
    " ORDER BY n.key",
    "SELECT p.sku, amount FROM list_price JOIN product p ON p.id = product_id ORDER BY p.sku, amount",
    "SELECT s.sku, s.title, s.gtin, s.alias, s.brand FROM product_search s ORDER BY s.sku, s.title",
    "SELECT p.sku, a.deed, a.changes, a.via, a.person_id, a.job_id FROM audit_entry a"
    " JOIN product p ON p.id = subject_id WHERE subject_kind = 'product' ORDER BY p.sku, a.id",
    "SELECT state, total, done, refused, counts FROM bulk_job ORDER BY id",
    "SELECT path, path_key FROM category ORDER BY path_key",
)


@st.composite
def files(draw):
    """Builds a file of products whose columns all name plain facts."""
    sides = ["length mm", "width mm", "height mm"]
    names = draw(
        st.lists(st.sampled_from([n for n in CELLS if n not in sides]), unique=True, max_size=5)
    )
    names += sides if draw(st.booleans()) else []
    row = st.tuples(st.sampled_from(SKUS), *(st.sampled_from(CELLS[name]) for name in names))
    out = io.StringIO()
    csv.writer(out).writerows([("sku", *names), *draw(st.lists(row, min_size=1, max_size=9))])
    return out.getvalue()


@pytest.fixture(scope="module")
def stocked(furnished, houses, tmp_path_factory):
    """Builds a catalogue with a product of every kind."""
    house = houses.copy(furnished, tmp_path_factory.mktemp("stocked") / "data")
    workplace = open_workplace(house)
    drafts = [(sku, draft_from({"sku": sku} | said)) for sku, said in THERE.items()]
    for some in (drafts[:-4], drafts[-4:-3], drafts[-3:]):  # each may name those before it
        verdicts = save_many(workplace, OWNER, some)
        assert all(verdict.ok for verdict in verdicts), verdicts
    assert archive_products(workplace, OWNER, ["GONE"], archived=True)[0].ok
    workplace.close()
    return house


def everything(workplace):
    with workplace.database.reading() as session:
        jobs = session.scalars(text("SELECT id FROM bulk_job ORDER BY id")).all()
        rows = [job_verdicts(session, job) for job in jobs]
        return [rows, *(session.execute(text(dump)).all() for dump in DUMPS)]


def carried(house, content, chosen, how):
    """Returns what the database says after the rehearsal, after applying and after taking it
    back."""
    with pytest.MonkeyPatch.context() as patch:
        if how == "each":
            patch.setattr("relvan.services.imports.rehearse.can_be_plain", lambda *_: False)
            patch.setattr("relvan.services.bulk.work.write_plain", lambda *_, **__: [])
        workplace = open_workplace(house)
        found = []
        job, _ = rehearse(workplace, OWNER, "products", content, options=chosen)
        found.append(everything(workplace))
        for event in ("apply", "undo"):
            move_job(workplace, OWNER, job, event)
            work(workplace)
            found.append(everything(workplace))
        assert_sound(workplace)
        workplace.close()
    return found


@settings(max_examples=40, suppress_health_check=list(HealthCheck))
@given(content=files(), chosen=options)
def test_many_at_once_or_each_by_itself_comes_to_the_same(
    stocked, houses, tmp_path_factory, content, chosen
):
    folder, came = tmp_path_factory.mktemp("both"), []
    for how in ("many", "each"):
        house = houses.copy(stocked, folder / how)
        try:
            came.append(carried(house, content, chosen, how))
        finally:
            houses.drop(house)
    for many, each in zip(*came, strict=True):
        for dump, (one, other) in zip(
            ("verdicts", *DUMPS), zip(many, each, strict=True), strict=True
        ):
            assert one == other, dump


def many(count, **more):
    """Builds a file of so many products, with more columns that say the same in all rows."""
    head, tail = (
        ",".join(["sku,title,weight g,price: retail", *more]),
        "".join(f",{value}" for value in more.values()),
    )
    return "\n".join([head, *(f"S-{n},Thing {n},{n + 1},{n + 1}.50{tail}" for n in range(count))])


@pytest.mark.parametrize("before", [False, True])
def test_no_row_costs_a_statement_of_its_own(workplace, owner, count_queries, before):
    seen = {}
    for count in (40, 400):
        if before:
            job, _ = rehearse(workplace, owner, "products", many(count))
            carry(workplace, owner, job)
        content = many(count, supplier="Own workshop")
        with count_queries(workplace.database) as statements:
            job, found = rehearse(workplace, owner, "products", content)
            assert {row[2] for row in found} == {"changes" if before else "new"}
            assert {row[2] for row in carry(workplace, owner, job)} == {"done"}
            assert {row[2] for row in carry(workplace, owner, job, "undo")} == {"taken back"}
            seen[count] = len(statements)
        with workplace.database.writing() as session:  # none is there any more for the next file
            for table in ("list_price", "sku_name", "product_search", "product"):
                session.execute(text(f"DELETE FROM {table}"))
    assert seen[400] == seen[40]


def test_a_row_that_somebody_else_has_touched_since_is_refused_and_the_others_are_written(
    workplace, owner
):
    job, _ = rehearse(workplace, owner, "products", many(6))
    carry(workplace, owner, job)
    job, _ = rehearse(workplace, owner, "products", many(6).replace(".50", ".60"))
    change_facts(workplace, owner, [("S-2", {"price retail": 999}), ("S-4", {"brand": "Tarn"})])
    after = carry(workplace, owner, job)
    assert [row[2] for row in after] == ["done", "done", "refused", "done", "done", "done"]
    assert "price retail is now “999”" in after[2][3]
    assert facts(workplace, "S-2")["price retail"] == 999
    assert facts(workplace, "S-4")["price retail"] == 560, "another fact was touched, not this one"
    assert_sound(workplace)


def test_a_product_made_by_hand_meanwhile_is_not_made_again(workplace, owner):
    job, found = rehearse(workplace, owner, "products", many(3))
    assert [row[2] for row in found] == ["new"] * 3
    add_pot(workplace, owner, "s-1", units=0)
    after = carry(workplace, owner, job)
    assert [row[2] for row in after] == ["done", "refused", "done"]
    assert "made by somebody else" in after[1][3]
    assert facts(workplace, "S-1")["title"] == "Pot s-1"


def test_a_gtin_given_to_another_meanwhile_is_refused(workplace, owner):
    lines = "sku,title,gtin\nA,First,4006381333931\nB,Second,036000291452\n"
    job, _ = rehearse(workplace, owner, "products", lines)
    add_pot(workplace, owner, "C", units=0, gtin="4006381333931")
    after = carry(workplace, owner, job)
    assert [row[2] for row in after] == ["refused", "done"]
    assert "is the GTIN of C already" in after[0][3]


def test_half_a_size_that_comes_of_a_change_by_hand_is_refused(workplace, owner):
    head = "sku,title,length mm,width mm,height mm\n"
    job, _ = rehearse(workplace, owner, "products", head + "A,First,100,90,80\n")
    carry(workplace, owner, job)
    job, found = rehearse(workplace, owner, "products", head + "A,First,120,90,80\n")
    assert found[0][2] == "changes"
    change_facts(workplace, owner, [("A", {"length_mm": 100, "width_mm": None, "height_mm": None})])
    change_facts(
        workplace, owner, [("A", {"length_mm": None, "width_mm": None, "height_mm": None})]
    )
    assert carry(workplace, owner, job)[0][2] == "refused"


def test_a_price_list_that_is_gone_meanwhile_is_no_fault_of_ours(workplace, owner):
    job, _ = rehearse(workplace, owner, "products", many(2))
    with workplace.database.writing() as session:
        session.execute(text("UPDATE price_list SET key = 'trade'"))
    after = carry(workplace, owner, job)
    assert [row[2] for row in after] == ["refused"] * 2
    assert "There is no price list “retail”" in after[0][3]


@pytest.mark.parametrize("kind", ["products", "prices", "attributes"])
def test_two_rows_of_one_product_by_its_sku_and_its_alias_are_refused_the_second_time(
    workplace, owner, kind
):
    add_pot(workplace, owner, "PT-3", units=0, aliases=("OLD-3",))
    content = {
        "products": "sku,price: retail\nOLD-3,20.00\nPT-3,21.00\n",
        "prices": "sku,price list,price\nOLD-3,retail,20.00\nPT-3,retail,21.00\n",
        "attributes": "sku,attribute,value\nOLD-3,material,clay\nPT-3,material,glass\n",
    }[kind]
    job, found = rehearse(workplace, owner, kind, content)
    assert [row[2] for row in found] == ["changes", "refused"]
    assert "“PT-3” is the same product as “OLD-3” in row 2" in found[1][3]
    assert [row[2] for row in carry(workplace, owner, job)] == ["done", "refused"]
    assert_sound(workplace)


def test_rows_that_say_one_thing_together_get_its_verdict_together(workplace, owner):
    with workplace.database.writing() as session:
        session.add(PriceList(key="trade", name="Trade", currency="EUR", tax_inside=False))
    for sku in ("A", "B"):
        add_pot(workplace, owner, sku, units=0)
    content = "sku,price list,price\nA,retail,20.00\nB,retail,21.00\nA,trade,15.00\nB,trade,16.00\n"
    job, found = rehearse(workplace, owner, "prices", content)
    assert verdicts(found) == ["changes"] * 4
    assert verdicts(carry(workplace, owner, job)) == ["done"] * 4
    assert (facts(workplace, "A")["price trade"], facts(workplace, "B")["price retail"]) == (
        1500,
        2100,
    )
    assert verdicts(carry(workplace, owner, job, "undo")) == ["taken back"] * 4
    assert "price trade" not in facts(workplace, "B")


def test_a_file_taken_up_again_after_any_chunk_comes_to_the_same(workplace, owner, monkeypatch):
    monkeypatch.setattr("relvan.services.imports.rehearse.READ", 4)
    job, _ = rehearse(workplace, owner, "products", many(11))
    move_job(workplace, owner, job, "apply")
    for _ in range(3):
        chunks = iter([False, True])
        work_next(workplace, stopped=lambda chunks=chunks: next(chunks, True))
    assert verdicts(rows(workplace, job)) == ["done"] * 11
    with workplace.database.reading() as session:
        made = "SELECT count(*), count(DISTINCT subject_id) FROM audit_entry WHERE deed = 'created' AND job_id = :job"
        assert session.execute(text(made), {"job": job}).one() == (11, 11)
    assert_sound(workplace)


def test_hurried_transactions_do_not_wait_for_the_disk_and_the_others_do(workplace, in_the_box):
    def mode(session):
        return session.execute(text("PRAGMA synchronous")).scalar_one()

    found = []
    for hurried in (False, True, False):
        with workplace.database.writing(hurried=hurried) as session:
            found.append(mode(session))
    full, normal = 2, 1
    assert found == [full, normal, full]
