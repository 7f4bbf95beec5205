"""Pages of the catalogue: what they refuse and keep, and what one sees without a browser's help."""

import pytest
from lxml import html
from sqlalchemy import select

from relvan.services.bulk.work import work_next
from relvan.services.catalogue.families import NewFamily, link_family
from relvan.services.catalogue.save import change_facts, create_product
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.store.catalogue import find_product
from relvan.store.tables import BulkJob
from tests.applications import client_of
from tests.house import add_pot, pot
from tests.steps.catalogue import GLAZE, kit
from tests.visitor import post, shown, sign_in, wrong_beside


def page(answer):
    return html.fromstring(answer.text)


@pytest.fixture
def family(workplace, owner):
    for sku in ("A", "B"):
        add_pot(workplace, owner, sku, units=3)
    head = NewFamily("F", "Pots", (GLAZE,), {"brand": "Quillmoss"})
    link_family(workplace, owner, head, {"A": {"Glaze": "Ink"}, "B": {"Glaze": "Oat"}})
    return "F"


def test_a_kit_with_a_fault_keeps_its_parts_as_typed(web, workplace, owner):
    add_pot(workplace, owner, "A")
    answer = post(
        web,
        "/catalogue/new",
        kind="kit",
        sku="K",
        title="Kit",
        part_sku=["A", "NONE"],
        part_quantity=["2", "x"],
    )
    assert answer.status_code == 422
    assert "must be a whole number" in wrong_beside(answer, "parts")
    typed = [box.get("value") for box in page(answer).cssselect("[name=part_sku]")][:2]
    assert typed == ["A", "NONE"]
    answer = post(
        web,
        "/catalogue/new",
        kind="kit",
        sku="K",
        title="Kit",
        part_sku=["A", "K"],
        part_quantity=["2", "1"],
    )
    assert "part of itself" in wrong_beside(answer, "parts")
    assert web.get("/products/K").status_code == 404


def test_a_kits_page_names_parts_sums_and_the_scarcest(web, workplace, owner):
    add_pot(workplace, owner, "A", units=5)
    kit(workplace, owner, "K", ("A", 2), prices={"retail": 3000})
    paths = ("/products/K", "/products/K/parts", "/products/K/can-be-made")
    text = " ".join(shown(page(web.get(path))) for path in paths)
    for words in ("scarcest part A: 5 free, 2 in each", "€33.80", "11.2 % cheaper", "Used in"):
        assert (words in text) == (words != "Used in")
    assert "Used in" in shown(page(web.get("/products/A/related")))


def test_a_variant_shows_what_its_family_lends(web, workplace, owner, family):
    change_facts(workplace, owner, [("A", {"brand": None})])
    text = page(web.get("/products/A")).text_content()
    assert "from the family: Quillmoss" in text
    assert "of Pots" in text


def test_the_grid_of_a_family_shows_cells_and_refuses_doubles(web, workplace, owner, family):
    grid = page(web.get("/products/F")).cssselect(".family-grid td")
    assert len(grid) == 2
    answer = post(
        web,
        "/families/F/traits",
        variant=["A", "B"],
        trait=["Glaze", "Glaze"],
        value=["Rust", "rust"],
    )
    assert answer.status_code == 422
    assert "are both Glaze" in page(answer).text_content()
    assert [box.get("value") for box in page(answer).cssselect("#traits input.cell")] == [
        "Rust",
        "rust",
    ]
    answer = post(web, "/families/F/fill", trait="Glaze", value="Ink", new_sku="C", new_title="C")
    assert answer.status_code == 422
    answer = post(
        web, "/families/F/fill", trait="Glaze", value="Rust", new_sku="C", new_title="A third"
    )
    assert "C is the variant that was missing" in shown(page(answer))


def test_linking_keeps_the_table_when_it_is_refused(web, workplace, owner):
    for sku in ("A", "B"):
        add_pot(workplace, owner, sku, units=0)
    answer = post(
        web,
        "/families/make",
        sku="F",
        title="F",
        trait=["Glaze", "", ""],
        member=["A", "B"],
        value_0=["Ink", "", ""],
        value_1=["ink", "", ""],
    )
    assert answer.status_code == 422
    assert "“A”" in page(answer).text_content()
    assert "“B”" in page(answer).text_content()
    assert page(answer).cssselect("[name=value_1]")[0].get("value") == "ink"
    assert web.get("/products/F").status_code == 404


def test_generated_variants_are_previewed_before_they_are_made(web):
    typed = {"axis_name": ["Glaze"], "axis_values": ["Ink, Oat"], "title_pattern": "Pot, {Glaze}"}
    assert "P-OAT" in post(web, "/families/preview", sku_pattern="P-{Glaze:3}", **typed).text
    assert "is no trait" in post(web, "/families/preview", sku_pattern="P-{Size}", **typed).text
    answer = post(web, "/families/new", sku="P", title="", sku_pattern="P-{Glaze:3}", **typed)
    assert answer.status_code == 422
    assert page(answer).cssselect("[name=axis_values]")[0].get("value") == "Ink, Oat"


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("a.csv", b"", "is empty"),
        ("a.exe", b"MZ", "must be a CSV"),
        ("a.xlsx", b"PK\x03\x04", "damaged or cut off"),
    ],
)
def test_a_file_that_cannot_be_read_is_refused_beside_the_field(web, name, content, words):
    data = {"csrf": web.csrf, "kind": "products"}
    answer = web.post("/imports", data=data, files={"file": (name, content)})
    assert answer.status_code == 422
    assert words in wrong_beside(answer, "file")


def test_a_file_goes_from_the_form_to_its_verdicts(web, workplace):
    data = {"csrf": web.csrf, "kind": "products"}
    answer = web.post(
        "/imports", data=data, files={"file": ("a.csv", b"no.;name\nX-1;A pot\nX-2;<b>B</b>\n")}
    )
    job = answer.url.path.split("/")[-1]
    columns = {
        "heading": ["no.", "name"],
        "decimal": [".", "."],
        "dates": ["ymd"] * 2,
        "unit": [""] * 2,
        "constant": [""] * 2,
        "encoding": "utf-8",
        "delimiter": ";",
        "header": "1",
    }
    refused = post(web, f"/imports/{job}", name=["", "title"], **columns)
    assert refused.status_code == 422
    assert "No column is “SKU”" in page(refused).text_content()
    post(web, f"/imports/{job}", name=["sku", "title"], keep_as="Theirs", **columns)
    while work_next(workplace):
        pass
    answer = web.get(f"/jobs/{job}")
    assert "would make 2." in shown(page(answer))
    assert "&lt;b&gt;B" in answer.text
    assert "Theirs" in web.get("/imports").text
    assert web.get(f"/jobs/{job}/result.csv").text.count("new") == 2
    assert "cannot “undo”" in page(post(web, f"/jobs/{job}/undo")).text_content()
    assert post(web, f"/jobs/{job}/nonsense").status_code == 404


def test_a_picker_may_look_but_not_change_the_catalogue(workplace, owner):
    add_pot(workplace, owner, "A")
    picker = sign_in(client_of(workplace), "picker")
    for path, fields, status in (
        ("/families/new", {"sku": "F"}, 422),
        ("/categories/add", {"category": "X"}, 422),
        ("/catalogue/change", {"pick": "A"}, 403),
        ("/products/A", {"title": "x", "sku": "A"}, 422),
        ("/prices/lists", {"key": "x", "name": "x", "currency": "EUR"}, 422),
    ):
        answer = post(picker, path, **fields)
        assert answer.status_code == status, path
        assert "may not change" in answer.text, path


def test_a_list_is_taken_out_with_the_columns_chosen(web, workplace, owner):
    for sku in ("A", "B"):
        add_pot(workplace, owner, sku, units=0)
    answer = post(
        web, "/catalogue/take-out", kind="products", form="csv", query="q=Pot+A", column=["title"]
    )
    assert answer.content.decode("utf-8-sig").splitlines() == ["SKU,Title", "A,Pot A"]


def test_a_category_and_an_attribute_with_a_fault_are_refused_in_place(web):
    assert "must not be empty" in wrong_beside(
        post(web, "/categories/add", category=" / "), "category"
    )
    answer = post(web, "/categories/attributes", name="Glaze", kind="one of", choices="")
    assert "has no choices" in wrong_beside(answer, "choices")
    post(web, "/categories/add", category="Pots / Indoors")
    post(web, "/categories/attributes", name="Glaze", kind="one of", choices="ink\noat")
    post(web, "/categories/asks", path="Pots", asked="Glaze", needed="Glaze")
    assert "asks for 1" in page(web.get("/categories")).text_content()


def test_the_price_sheet_saves_what_can_be_read_and_says_what_cannot(web, workplace, owner):
    add_price_list(workplace, owner, NewPriceList("trade", "Trade", "EUR", False))
    add_pot(workplace, owner, "A", units=0)
    answer = post(
        web,
        "/prices/lists/cells",
        subject=["A", "X"],
        column=["trade", "trade"],
        value=["9,90", "1"],
        least=["1"] * 2,
    )
    assert [item["ok"] for item in answer.json()["items"]] == [True, False]
    assert page(web.get("/prices/lists")).cssselect("[data-column=trade]")[0].get("value") == "9.90"
    assert "Profit" in web.get("/prices/lists/margin?sku=A&key=trade").text


@pytest.mark.parametrize(
    ("currency", "typed", "shown"), [("JPY", "1500", "1500"), ("CHF", "15", "15.00")]
)
def test_a_break_is_shown_in_the_currency_of_its_list(
    web, workplace, owner, currency, typed, shown
):
    add_price_list(workplace, owner, NewPriceList("abroad", "Abroad", currency, True))
    add_pot(workplace, owner, "A", units=0)
    post(web, "/prices/lists/cells", subject=["A"], column=["abroad"], value=[typed], least=["12"])
    (breaks,) = page(web.get("/prices/lists")).cssselect("td.breaks")
    assert f"abroad from 12: {shown}" in breaks.text_content().replace("+ break", "")
    assert breaks.cssselect("span.nowrap")[0].text_content().endswith(f": {shown}")


def test_more_addresses_than_are_fetched_at_once_are_refused_whole(web, workplace, owner):
    add_pot(workplace, owner, "A", units=0)
    many = " ".join(f"http://127.0.0.1:9/{n}.png" for n in range(31))
    answer = post(web, "/products/A/pictures", address=many)
    assert answer.status_code == 422
    assert "At most 30 pictures are fetched at once; these are 31" in answer.text
    with workplace.database.reading() as session:
        assert session.scalars(select(BulkJob)).all() == []


def test_lists_and_grids_need_as_many_queries_for_thirty_as_for_one(
    web, workplace, owner, count_queries
):
    def grow(first, last):
        for n in range(first, last):
            create_product(workplace, owner, pot(f"V-{n:02d}"))

    def queries():
        found = {}
        for path in (
            "/catalogue",
            "/products/F",
            "/products/K",
            "/prices/lists",
            "/catalogue/history",
        ):
            web.get(path)
            with count_queries(workplace.database) as seen:
                assert web.get(path).status_code == 200
            found[path] = len([text for text in seen if not text.startswith("BEGIN")])
        return found

    grow(0, 1)
    link_family(workplace, owner, NewFamily("F", "F", (GLAZE,), {}), {"V-00": {"Glaze": "g0"}})
    kit(workplace, owner, "K", ("V-00", 1))
    one = queries()
    grow(1, 30)
    for n in range(1, 30):
        change_facts(
            workplace,
            owner,
            [(f"V-{n:02d}", {"kind": "variant", "family": "F", "trait Glaze": f"g{n}"})],
        )
    change_facts(workplace, owner, [("K", {"parts": [[f"V-{n:02d}", 1] for n in range(30)]})])
    assert queries() == one
    assert max(one.values()) < 70


def test_what_a_family_shares_is_kept_as_typed_when_it_is_refused(web, workplace, owner, family):
    fields = {
        "sku": "F",
        "title": "The family, renamed",
        "weight_g": "heavy",
        "brand": "Tarn",
        "attribute_name": ["material"],
        "attribute_value": ["stoneware, fired twice"],
    }
    answer = post(web, "/products/F", **fields)
    assert answer.status_code == 422
    assert "“Weight” must be a whole number" in wrong_beside(answer, "weight_g")
    typed = {
        one.get("name"): one.get("value")
        for one in page(answer).cssselect("form#product input, form input")
    }
    assert (typed["title"], typed["weight_g"], typed["brand"]) == (
        "The family, renamed",
        "heavy",
        "Tarn",
    )
    assert "stoneware, fired twice" in answer.text
    with workplace.database.reading() as session:
        assert find_product(session, "F").title != "The family, renamed"


def test_a_margin_is_a_column_only_where_it_can_be_known(web, workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0)
    add_price_list(workplace, owner, NewPriceList("francs", "Francs", "CHF", tax_inside=True))
    sheet = page(web.get("/prices/lists"))
    headings = [
        cell.text_content().strip() for cell in sheet.cssselect("table.sheet-grid thead th")
    ]
    assert headings.count("Margin") == 1
    assert any(heading.startswith("Francs, CHF") for heading in headings)
    [row] = sheet.cssselect("tr[data-subject='PT-14']")
    assert len(row.cssselect("td")) == len(headings)


def test_a_products_page_asks_at_most_twelve_queries(web, workplace, owner, family, count_queries):
    kit(workplace, owner, "K", ("A", 2), prices={"retail": 3000})
    add_pot(workplace, owner, "ALONE", units=5)
    for sku in ("A", "ALONE", "K"):
        web.get(f"/products/{sku}")
        with count_queries(workplace.database) as seen:
            assert web.get(f"/products/{sku}").status_code == 200
        assert len([one for one in seen if one.startswith("SELECT")]) <= 12
    related = web.get("/products/A/related").text
    assert "Used in" in related
    parts = html.fromstring(web.get("/products/K/parts").text)
    assert [cell.text_content().strip() for cell in parts.cssselect("td.sku")] == ["A"]
    made = html.fromstring(web.get("/products/K/can-be-made").text)
    assert made.cssselect("h2")[0].text == "Can be made"
    assert "The family" in related
