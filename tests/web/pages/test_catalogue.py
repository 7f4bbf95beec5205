"""Tests the list of products: how it is sorted, what can be done to many, and who may do it."""

from lxml import html

from relvan.services.catalogue.families import NewFamily, link_family
from relvan.services.catalogue.save import change_facts, create_product
from tests.applications import client_of
from tests.house import add_pot, pot, work
from tests.steps.catalogue import GLAZE, kit
from tests.steps.imports import facts
from tests.visitor import page, post, sign_in, words


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


def test_products_go_into_the_archive_and_out_again_after_it_was_foreseen(web, workplace, pots):
    head = {"X-CSRF-Token": web.csrf}
    foreseen = web.post(
        "/catalogue/foresee/archive", data={"pick": ["PT-INK", "PT-OAT"]}, headers=head
    )
    assert "2" in foreseen.text
    answer = post(web, "/catalogue/archive", pick=["PT-INK", "PT-OAT"])
    assert "Archived" in words(answer)
    assert facts(workplace, "PT-INK")["archived"] is True
    assert "Restored" in words(post(web, "/catalogue/unarchive", pick=["PT-INK"]))
    assert "archived" not in facts(workplace, "PT-INK")
    assert post(web, "/catalogue/archive", pick=["NONE"]).status_code == 200, (
        "a verdict, not a fault"
    )


def test_a_change_of_many_is_foreseen_and_rehearsed_as_a_job(web, workplace, pots):
    typed = {"fact": ["brand", ""], "deed": ["set", "set"], "value": ["Tarn", ""], "by": ["", ""]}
    head = {"X-CSRF-Token": web.csrf, "HX-Request": "true"}
    panel = web.post(
        "/catalogue/change/panel", data={"all": "1", "query": "q=aubrey"}, headers=head
    )
    assert "3" in panel.text
    sample = web.post("/catalogue/change/foresee", data={"pick": ["PT-INK"], **typed}, headers=head)
    assert "Tarn" in sample.text
    wrong = web.post(
        "/catalogue/change/foresee",
        data={"pick": ["PT-INK"], **typed, "fact": ["colour", ""]},
        headers=head,
    )
    assert "colour" in wrong.text
    started = web.post(
        "/catalogue/change", data={"all": "1", "query": "q=oat", **typed}, headers=head
    )
    assert started.status_code == 204
    work(workplace)
    job = started.headers["HX-Redirect"]
    assert "would change" in words(web.get(job))
    post(web, f"{job}/apply")
    work(workplace)
    assert [facts(workplace, sku).get("brand") for sku in ("PT-INK", "PT-OAT")] == [
        facts(workplace, "PT-INK").get("brand"),
        "Tarn",
    ]
    assert facts(workplace, "PT-INK").get("brand") != "Tarn"


def test_a_picker_is_refused_every_deed_of_the_catalogue(workplace, ink_and_oat):
    picker = sign_in_as_picker(workplace)
    for path, typed in (
        ("/families/PT/dissolve", {}),
        ("/families/PT/split-off", {"pick": "PT-INK"}),
        ("/catalogue/archive", {"pick": "PT-INK"}),
        ("/categories/drop", {"path": "Pots"}),
        ("/products/PT-INK/pictures/arrange", {}),
        ("/mappings/drop", {"name": "x"}),
    ):
        assert picker.post(path, data={"csrf": picker.csrf, **typed}).status_code == 403, path
    assert facts(workplace, "PT-INK")["family"] == "PT"


def sign_in_as_picker(workplace):
    client = client_of(workplace)
    client.post("/sign-in", data={"login": "picker", "password": "a good password"})
    client.csrf = page(client.get("/dispatch")).cssselect("input[name=csrf]")[0].get("value")
    return client


def test_columns_are_remembered(workplace, owner, web):
    add_pot(workplace, owner, "PT-14")
    answer = post(web, "/columns/catalogue", path="/catalogue", column=["title", "gtin"])
    heads = [th.text_content().strip() for th in html.fromstring(answer.text).cssselect("th")]
    assert heads[3:] == ["Title", "GTIN"]


def test_a_list_is_sorted_by_its_heads(seven_pots, web):
    page = html.fromstring(web.get("/orders?sort=-total").text)
    heads = {link.text_content(): link for link in page.cssselect("th a.sort")}
    assert heads["Total"].getparent().get("aria-sort") == "descending"
    assert "sort=total" in heads["Total"].get("href")
    assert heads["Units"].getparent().get("aria-sort") == "none"
    totals = [
        cell.text_content().strip()
        for cell in page.cssselect("td.num")
        if "€" in cell.text_content()
    ]
    assert totals == sorted(totals, key=lambda text: -float(text.strip("€").replace(",", "")))
    assert web.get("/orders?sort=nonsense").status_code == 200
    for path in ("/catalogue?sort=title", "/listings?sort=-price", "/stock?sort=-on_hand"):
        assert html.fromstring(web.get(path).text).cssselect("th[aria-sort] a"), path


def test_what_is_free_of_a_family_is_what_is_free_of_its_variants(seven_pots, web):
    page = html.fromstring(web.get("/catalogue?kind=family").text)
    assert "8" in [cell.text_content().strip() for cell in page.cssselect("td.num")]
    assert "not counted" not in page.cssselect("#rows")[0].text_content()
