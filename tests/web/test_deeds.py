"""What can be done on pages: every form needs its secret, and each deed does what it says or says
why not."""

import re

import pytest
from fastapi.routing import APIRoute
from lxml import html

from relvan.services.bulk.work import work_next
from relvan.services.catalogue.families import NewFamily, link_family
from relvan.store.history import HistoryFilter, product_history
from relvan.store.jobs import job_rows
from relvan.store.listings import listings_of
from relvan.web.app import PAGES as PAGE_MODULES
from tests.applications import client_of
from tests.house import add_pot, assert_sound, connect, deliver, list_everywhere, png
from tests.steps.catalogue import GLAZE
from tests.steps.imports import facts
from tests.visitor import post, shown, wrong_beside

OPEN = {"/sign-in", "/sign-in/demo"}  # nobody has a secret yet
FORMS = sorted(
    {
        route.path
        for module in PAGE_MODULES
        for route in module.router.routes
        if isinstance(route, APIRoute) and "POST" in route.methods
    }
    - OPEN
)


def page(answer):
    return html.fromstring(answer.text)


def words(answer):
    return shown(page(answer))


def everything_done(workplace):
    with workplace.database.reading() as session:
        listings = [(row.id, row.state, row.wish, row.outdated) for row in listings_of(session)]
        return product_history(session, HistoryFilter(), limit=500), job_rows(session), listings


@pytest.fixture
def pots(workplace, owner):
    for sku, glaze in (("PT-INK", "ink"), ("PT-OAT", "oat"), ("PT-RUST", "rust")):
        add_pot(workplace, owner, sku, title=f"Aubrey pot, {glaze}")


@pytest.fixture
def family(workplace, owner, pots):
    members = {"PT-INK": {"Glaze": "Ink"}, "PT-OAT": {"Glaze": "Oat"}}
    link_family(workplace, owner, NewFamily("PT", "Aubrey pot", (GLAZE,), {}), members)


def test_no_form_is_taken_without_its_secret_or_without_a_sign_in(web, workplace, pots):
    assert len(FORMS) > 80
    stranger, before = client_of(workplace), everything_done(workplace)
    taken = {}
    for path in FORMS:
        address = re.sub(r"\{\w+(:\w+)?\}", "1", path)
        for secret in ({}, {"csrf": ""}, {"csrf": "x" * 43}):
            answer = web.post(address, data={"pick": "PT-INK", **secret})
            if answer.status_code != 403:
                taken[path, str(secret)] = answer.status_code
        answer = stranger.post(address, data={"csrf": web.csrf}, follow_redirects=False)
        if (answer.status_code, answer.headers.get("location", "").partition("?")[0]) != (
            303,
            "/sign-in",
        ):
            taken[path, "signed out"] = answer.status_code
    assert taken == {}
    assert everything_done(workplace) == before


def test_pictures_are_added_ordered_made_first_and_taken_off(web, workplace, pots):
    here = "/products/PT-INK/pictures"
    files = [("picture", (f"{colour}.png", png(colour))) for colour in ("red", "blue")]
    assert "2 added to PT-INK" in words(web.post(here, data={"csrf": web.csrf}, files=files))

    def shown():
        return [
            box.get("value")
            for box in page(web.get("/products/PT-INK")).cssselect("input[name=sha]")
        ]

    first, second, third = shown()
    assert "in order" in words(
        post(web, f"{here}/arrange", sha=[third, first, second], role=["", "", "description"])
    )
    assert shown() == [third, first, second]
    assert "Main picture changed" in words(post(web, f"{here}/{first}/first"))
    assert shown()[0] == first
    assert "taken off" in words(post(web, f"{here}/{first}/remove"))
    assert first not in shown()
    assert post(web, f"{here}/{'0' * 64}/first").status_code == 404
    assert post(web, f"{here}/{'0' * 64}/remove").status_code == 404


def test_a_thumbnail_is_named_by_its_content_and_nothing_else_is_given_out(web, workplace, pots):
    sha = page(web.get("/products/PT-INK")).cssselect("input[name=sha]")[0].get("value")
    answer = web.get(f"/products/PT-INK/pictures/{sha}/96")
    sizes = [
        side
        for side in (48, 96, 160, 240, 320, 480, 640)
        if web.get(f"/products/PT-INK/pictures/{sha}/{side}").status_code == 200
    ]
    assert sizes, answer.text
    found = web.get(f"/products/PT-INK/pictures/{sha}/{sizes[0]}")
    assert "immutable" in found.headers["cache-control"]
    for wrong in (
        f"{sha}/7",
        f"{'0' * 64}/{sizes[0]}",
        f"{'.' * 64}/{sizes[0]}",
        f"short/{sizes[0]}",
    ):
        assert web.get(f"/products/PT-INK/pictures/{wrong}").status_code == 404


@pytest.mark.parametrize(
    ("typed", "words_beside"),
    [
        ({}, "No picture was chosen"),
        ({"address": "ftp://example.com/a.png"}, "http"),
        ({"address": "nonsense"}, ""),
    ],
)
def test_a_picture_that_is_none_is_refused_beside_the_field(web, pots, typed, words_beside):
    answer = post(web, "/products/PT-INK/pictures", **typed)
    assert answer.status_code == 422
    assert words_beside in wrong_beside(answer, "picture")


def test_an_alias_says_something_of_its_own(web, workplace, owner):
    add_pot(workplace, owner, "PT-14", aliases=("OLD-14",))
    here = "/products/PT-14/alias"
    assert "OLD-14 is saved" in words(
        post(web, here, alias="OLD-14", alias_title="Old pot", alias_price_retail="12,50")
    )
    said = facts(workplace, "PT-14")["alias OLD-14"]
    assert (said["title"], said["prices"]) == ("Old pot", {"retail": 1250})
    refused = post(web, here, alias="OLD-14", alias_title="Old pot", alias_price_retail="much")
    assert refused.status_code == 422
    assert facts(workplace, "PT-14")["alias OLD-14"] == said
    post(web, here, alias="OLD-14", alias_title="", alias_price_retail="")
    assert "alias OLD-14" not in facts(workplace, "PT-14"), (
        "an alias that says nothing shows what the product says"
    )


def test_a_product_is_looked_at_as_it_was(web, workplace, owner, clock):
    add_pot(workplace, owner, "PT-14", title="First")
    clock.move(hours=2)
    post(web, "/catalogue/change", pick="PT-14", fact="title", deed="set", value="Second", by="")
    assert web.get("/products/PT-14/at?at=yesterday").status_code == 422
    assert "First" in words(web.get("/products/PT-14/at?at=2026-11-02T10:30"))


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
    while work_next(workplace):
        pass
    job = started.headers["HX-Redirect"]
    assert "would change" in words(web.get(job))
    post(web, f"{job}/apply")
    while work_next(workplace):
        pass
    assert [facts(workplace, sku).get("brand") for sku in ("PT-INK", "PT-OAT")] == [
        facts(workplace, "PT-INK").get("brand"),
        "Tarn",
    ]
    assert facts(workplace, "PT-INK").get("brand") != "Tarn"


def test_ticked_products_are_proposed_as_a_family(web, pots):
    answer = post(web, "/families/link", pick=["PT-INK", "PT-OAT"], more="PT-RUST")
    table = page(answer).cssselect("input[name=member]")
    assert [box.get("value") for box in table] == ["PT-INK", "PT-OAT", "PT-RUST"]
    assert page(answer).cssselect("input[name=sku]")[0].get("value") == "PT"
    refused = post(web, "/families/link", pick=["PT-INK"], more="NONE")
    assert refused.status_code == 422
    assert "NONE" in words(refused)


def test_a_trait_is_renamed_a_variant_split_off_and_the_family_dissolved(web, workplace, family):
    assert "called Colour now" in words(
        post(web, "/families/PT/rename-trait", old="Glaze", new="Colour")
    )
    assert facts(workplace, "PT-INK")["trait Colour"] == "Ink"
    assert post(web, "/families/PT/rename-trait", old="Size", new="X").status_code == 404
    assert "1 split off" in words(post(web, "/families/PT/split-off", pick=["PT-OAT"]))
    assert facts(workplace, "PT-OAT")["kind"] == "single"
    assert "1 singles again" in words(post(web, "/families/PT/dissolve"))
    assert facts(workplace, "PT")["archived"] is True
    assert facts(workplace, "PT-INK")["attribute Colour"] == "Ink", "nothing that was said is lost"


@pytest.mark.parametrize(
    ("path", "typed"),
    [
        ("/families/PT-RUST/dissolve", {}),
        ("/families/PT-RUST/rename-trait", {"old": "Glaze", "new": "Colour"}),
        ("/families/PT/split-off", {"pick": "PT-RUST"}),
        ("/families/PT/split-off", {"pick": "PT"}),
        ("/families/PT/traits", {"variant": "PT-RUST", "trait": "Glaze", "value": "Rust"}),
    ],
)
def test_what_is_for_families_and_variants_is_refused_for_others(
    web, workplace, family, path, typed
):
    answer = post(web, path, **typed)
    assert answer.status_code == 422
    assert "must be a" in words(answer)
    assert facts(workplace, "PT-RUST")["kind"] == "single"
    assert "archived" not in facts(workplace, "PT-RUST")
    assert_sound(workplace)


def test_categories_are_made_moved_asked_and_dropped(web, workplace, owner, pots):
    post(web, "/categories/add", category="Pots / Indoors")
    assert "is Vessels now" in words(post(web, "/categories/rename", path="Pots", new="Vessels"))
    saved = post(
        web, "/categories/attributes", name="Finish", kind="one of", choices="matt\r\ngloss"
    )
    assert "Finish is saved" in words(saved), saved.url
    assert "asks for 1" in words(
        post(web, "/categories/asks", path="Vessels", asked="Finish", needed="Finish")
    )
    assert "out of the tree" in words(post(web, "/categories/drop", path="Vessels / Indoors"))
    assert "plain text now" in words(post(web, "/categories/attributes/drop", name="Finish"))
    assert post(web, "/categories/drop", path="Nowhere").status_code == 404
    assert post(web, "/categories/rename", path="Vessels", new=" / ").status_code == 422


def test_what_is_kept_back_is_typed_on_the_stock_page(web, workplace, owner, pots):
    assert "3 of PT-INK are kept back" in words(
        post(web, "/stock/PT-INK/safety", safety="3", warehouse="millrace")
    )
    for wrong in ("-1", "many", ""):
        answer = post(web, "/stock/PT-INK/safety", safety=wrong, warehouse="millrace")
        assert answer.status_code == 422
        assert wrong_beside(answer, "safety")


def test_products_are_drafted_sent_taken_down_and_put_back(web, workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    add_pot(workplace, owner, "PT-18")
    list_everywhere(workplace, owner, "PT-14")
    head = {"X-CSRF-Token": web.csrf}
    foreseen = web.post("/catalogue/foresee/draft", data={"pick": ["PT-14", "PT-18"]}, headers=head)
    assert "Hagglet" in foreseen.text
    drafted = words(
        post(web, "/listings/draft", pick=["PT-14", "PT-18"], channel=["hagglet", "ownshop"])
    )
    assert "2 drafts made" in drafted
    assert "2 not" in drafted
    with workplace.database.reading() as session:
        live = [str(row.id) for row in listings_of(session) if row.placed]
    for deed, told in (
        ("take-down", "would be taken down"),
        ("put-back", "are not down"),
        ("publish", "nothing to send"),
    ):
        assert told in web.post(f"/listings/foresee/{deed}", data={"pick": live}, headers=head).text
    for deed, state in (("take-down", "down"), ("put-back", "live")):
        assert "in the background" in words(
            post(web, f"/listings/do/{deed}", pick=live, back="/listings")
        )
        deliver(workplace)
        with workplace.database.reading() as session:
            assert {row.state for row in listings_of(session) if str(row.id) in live} == {state}
    before = everything_done(workplace)
    assert post(web, "/listings/do/nonsense", pick=live).status_code == 404
    assert everything_done(workplace) == before, "what nobody knows is not taken for publishing"


def test_a_file_is_looked_at_again_as_it_is_said_to_be_written(web, workplace):
    content = "sku;name\nA;Größe\n".encode("cp1252")
    answer = web.post(
        "/imports", data={"csrf": web.csrf, "kind": "products"}, files={"file": ("a.csv", content)}
    )
    here = answer.url.path
    columns = {
        "heading": ["sku", "name"],
        "name": ["sku", "title"],
        "decimal": [".", "."],
        "dates": ["ymd"] * 2,
        "unit": [""] * 2,
        "constant": [""] * 2,
    }
    looked = post(web, f"{here}/look", encoding="cp1252", delimiter=";", header="1", **columns)
    assert "Größe" in looked.text
    wrong = post(web, f"{here}/look", encoding="utf-8", delimiter=";", header="1", **columns)
    assert wrong.status_code == 422
    assert "not written in utf-8" in words(wrong)
    assert (
        post(
            web, f"{here}/look", encoding="klingon", delimiter=";", header="1", **columns
        ).status_code
        == 422
    )
    sent = post(web, here, encoding="cp1252", delimiter=";", header="1", keep_as="Ours", **columns)
    assert sent.url.path.startswith("/jobs/")
    while work_next(workplace):
        pass
    assert "forgotten" in words(post(web, "/mappings/drop", name="Ours"))
    assert post(web, "/mappings/drop", name="Ours").status_code == 404
    assert web.get("/imports/samples/nothing.csv").status_code == 404


def test_a_picker_is_refused_every_deed_of_the_catalogue(workplace, family):
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
