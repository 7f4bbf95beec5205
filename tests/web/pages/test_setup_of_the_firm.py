"""Setup of firm, warehouses and people, by page."""

import re

import pytest

from relvan.web.app import PAGES
from tests.applications import client_of
from tests.visitor import page, post, shown, sign_in, words, wrong_beside

OF_THE_SHELF = "/setup/channels/{key}/nearer"  # whoever may change stock sets exceptions here


def setup_pages():
    """Returns (method, path) of every page of Setup, with something in the place of each name."""
    values = {"key": "yard", "login": "owner", "step": "firm"}

    def named(name):
        return "1" if name[1].endswith(":int") else values.get(name[1], "x")

    found = []
    for path, methods in {
        (route.path, tuple(route.methods)) for module in PAGES for route in module.router.routes
    }:
        if path.startswith("/setup") and path != OF_THE_SHELF:
            address = re.sub(r"\{([^}]+)\}", named, path)
            found += [(method, address) for method in methods if method != "HEAD"]
    return found


@pytest.mark.parametrize("login", ["picker", "lister"])
def test_nobody_below_owner_reaches_setup_by_any_page(workplace, login):
    client = sign_in(client_of(workplace), login)
    pages = setup_pages()
    assert len(pages) > 20
    reached = {}
    for method, path in pages:
        data = {"csrf": client.csrf, "name": "Mine"} if method == "POST" else None
        answer = client.request(method, path, data=data)
        if answer.status_code != 403:
            reached[method, path] = answer.status_code
    assert reached == {}
    assert sign_in(client_of(workplace)).get("/setup/firm").status_code == 200


def test_what_leads_into_setup_is_shown_to_owners_only(released, boss):
    picker = sign_in(client_of(released), "picker")
    for path in ("/", "/updates", "/stock/PT-14", "/orders", "/find?q=setup", "/find?q=webhooks"):
        assert 'href="/setup' not in picker.get(path).text, path
        assert 'href="/setup' in boss.get(path).text, path


def test_the_firm_is_saved_and_wrong_values_stand_beside_their_fields(boss):
    fields = {"name": "Quillmoss", "currency": "EUR", "locale": "en_IE"}
    fields |= {"time_zone": "Europe/Dublin", "address_town": "Port Ellery"}
    answer = post(boss, "/setup/firm", **fields, vat_number="DE123456789")
    assert answer.status_code == 422
    assert "wrong digit" in wrong_beside(answer, "vat_number")
    assert page(answer).cssselect("[name=address_town]")[0].get("value") == "Port Ellery"
    for part, value in (("mail", "nobody"), ("country", "Ireland"), ("street", "x" * 200)):
        answer = post(boss, "/setup/firm", **fields, **{f"address_{part}": value})
        assert wrong_beside(answer, f"address_{part}"), part
    answer = post(boss, "/setup/firm", **fields, vat_number="DE1", address_mail="nobody")
    notice = shown(page(answer).cssselect(".notice.stop")[0])
    assert "Not done. “Mail” must" in notice
    assert "post@example.com. “VAT number” must" in notice
    assert "certificate. What you typed is kept." in notice
    answer = post(boss, "/setup/firm", **fields, vat_number="IE 1234567T")
    assert "The firm is saved." in words(answer)
    assert page(answer).cssselect("[name=vat_number]")[0].get("value") == "IE1234567T"


def test_money_is_written_as_the_firm_says_on_the_next_page(boss):
    fields = {"name": "Quillmoss", "currency": "EUR", "time_zone": "Europe/Berlin"}
    answer = post(boss, "/setup/firm", **fields, locale="de_DE")
    assert "1.234,56" in words(answer)


def test_numbers_are_shown_as_they_will_read(boss):
    told = {"order pattern": "Q-{number:06}", "order next": "2000"}
    told |= {"shipment pattern": "S-{number}", "shipment next": ""}
    told |= {"pick list pattern": "L-{number}", "pick list next": "1001"}
    for name, letter in (
        ("invoice", "I"),
        ("credit note", "C"),
        ("customer", "K"),
        ("estimate", "E"),
        ("return", "R"),
        ("manifest", "M"),
    ):
        told |= {f"{name} pattern": f"{letter}-{{number}}", f"{name} next": ""}
    assert "Q-002000" in words(post(boss, "/setup/firm/numbers", **told))
    answer = post(boss, "/setup/firm/numbers", **{**told, "order next": "1999"})
    assert answer.status_code == 422
    assert "2000 or more" in words(answer)


def test_a_warehouse_is_added_with_its_bins_seen_before(boss):
    answer = post(boss, "/setup/warehouses", name="North Hall", kind="own", cut_off="4 pm")
    assert "time of day" in wrong_beside(answer, "cut_off")
    fields = {"name": "North Hall", "kind": "own", "cut_off": "16:00", "day": ["0", "4"]}
    answer = post(boss, "/setup/warehouses", **fields)
    assert answer.url.path == "/setup/warehouses/north-hall"
    path = "/setup/warehouses/north-hall"
    pattern = {"pattern": "{A-L}-{01-40}", "codes": ""}
    assert "480 new" in words(post(boss, f"{path}/bins/look", **pattern))
    assert "runs backwards" in words(post(boss, f"{path}/bins/look", pattern="{L-A}"))
    assert "480 bins are added" in words(post(boss, f"{path}/bins", **pattern))
    answer = post(boss, f"{path}/bins", pattern="", codes="A-01\nM-01")
    assert "1 bins are added, 1 were there already" in words(answer)
    shown = boss.get("/setup/warehouses")
    assert "Mon, Fri until 16:00" in words(shown)
    assert "482" in words(shown)


def test_bins_are_paged_and_changed_one_by_one(boss):
    path = "/setup/warehouses/yard"
    post(boss, f"{path}/bins", pattern="{A-C}-{01-50}")
    first = boss.get(path)
    rows = page(first).cssselect("#bins tbody tr")
    following = page(first).xpath("//a[text()='Next page']/@href")[0]
    assert len(rows) == 100
    assert len(page(boss.get(following)).cssselect("#bins tbody tr")) == 52
    for deed, code, to, said in (
        ("rename", "Y-01", "Z-01", "Y-01 is Z-01 now."),
        ("merge", "Z-01", "Y-02", "0 units lie in Y-02 now"),
        ("open", "Z-01", "", "Z-01 is open again."),
        ("close", "Z-01", "", "Z-01 is closed."),
    ):
        answer = post(boss, f"{path}/bins/change", deed=deed, code=code, to=to)
        assert said in words(answer), deed
    for deed, code, to in (("rename", "Y-02", "A-01"), ("burn", "Y-02", ""), ("close", "NO", "")):
        answer = post(boss, f"{path}/bins/change", deed=deed, code=code, to=to)
        assert answer.status_code == 422, deed


def test_a_warehouse_goes_only_while_nothing_has_moved_there(boss):
    assert "Nothing has ever moved here" in words(boss.get("/setup/warehouses/yard"))
    assert "is deleted" in words(post(boss, "/setup/warehouses/yard/remove"))
    assert boss.get("/setup/warehouses/yard").status_code == 404


def test_a_token_is_shown_once_and_ended(boss):
    answer = post(boss, "/setup/tokens", name="Till", login="owner", right="stock", last_day="soon")
    assert "must be a date" in wrong_beside(answer, "last_day")
    assert page(answer).cssselect("input[value=stock]")[0].get("checked") is not None
    answer = post(boss, "/setup/tokens", name="Till", login="owner", right="stock")
    token = page(answer).cssselect(".notice .mono")[0].text
    assert len(token) > 30
    head = {"Authorization": f"Bearer {token}"}
    assert boss.get("/api/v1/stock", headers=head).status_code == 200
    shown = boss.get("/setup/tokens")
    assert token not in shown.text
    form = page(shown).xpath("//tr[td[text()='Till']]//form/@action")[0]
    assert "not taken any more" in words(post(boss, form))
    assert boss.get("/api/v1/stock", headers=head).status_code == 401


def test_somebody_is_added_and_the_access_ended(boss, workplace):
    told = {"name": "Noor", "login": "noor", "role": "orders", "password": "a good password"}
    assert "Noor may sign in." in words(post(boss, "/setup/people", **told))
    assert post(boss, "/setup/people", **told).status_code == 422
    noor = sign_in(client_of(workplace), "noor")
    assert noor.get("/orders").status_code == 200
    assert "cannot come back" in words(post(boss, "/setup/people/noor", deed="end"))
    assert noor.get("/orders").url.path == "/sign-in"
    assert "may sign in again" in words(post(boss, "/setup/people/noor", deed="again"))
    answer = post(boss, "/setup/people/owner", deed="end")
    assert answer.status_code == 422
    assert "the only owner" in words(answer)
    answer = post(boss, "/setup/people/noor", deed="role", role="king")
    assert answer.status_code == 422


def test_everybody_changes_the_own_password_and_ends_other_sign_ins(workplace):
    here, there = (sign_in(client_of(workplace), "picker") for _ in range(2))
    shown = here.get("/account")
    assert "here and now" in words(shown)
    told = {"present": "wrong password", "new": "another password", "again": "another password"}
    answer = post(here, "/account/password", **told)
    assert answer.status_code == 422
    assert "not your password" in wrong_beside(answer, "present")
    answer = post(here, "/account/password", **{**told, "present": "a good password"})
    assert "Your password is changed" in words(answer)
    assert there.get("/").url.path == "/sign-in"
    assert here.get("/").url.path == "/"
    there.post("/sign-in", data={"login": "picker", "password": "another password"})
    form = page(here.get("/account")).xpath("//form[contains(@action, '/end')]/@action")[0]
    here.csrf = page(here.get("/account")).cssselect("input[name=csrf]")[0].get("value")
    assert "That sign-in is ended" in words(post(here, form))
    assert there.get("/").url.path == "/sign-in"
