"""The first visit and the first steps, by page."""

import pytest

from relvan.services.people.first_visit import begin_first_visit
from tests.applications import client_of
from tests.visitor import page, post, sign_in, words, wrong_beside

FIELDS = {"name": "Ada Quill", "login": "ada", "password": "a good password"}


@pytest.fixture
def newcomer(bare):
    """Returns the owner of an empty database, just signed in by the first visit."""
    client = client_of(bare)
    code = begin_first_visit(bare)
    again = FIELDS["password"]
    answer = client.post("/first-visit", data={**FIELDS, "code": code, "again": again})
    assert answer.status_code == 200
    client.csrf = page(answer).cssselect("input[name=csrf]")[0].get("value")
    return client


def test_while_nobody_works_here_every_page_leads_to_the_first_visit(bare):
    client = client_of(bare)
    for path in ("/", "/sign-in", "/orders?tray=inbox", "/setup/firm"):
        assert client.get(path).url.path == "/first-visit"
    assert client.get("/api/v1/products").status_code == 401


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        ({"code": "AAAA-AAAA-AAAA-AAAA"}, "code"),
        ({"again": "another password"}, "again"),
        ({"password": "short", "again": "short"}, "password"),
        ({"login": "a b"}, "login"),
        ({"name": ""}, "name"),
    ],
)
def test_what_is_wrong_stands_beside_its_field_and_what_was_typed_stays(bare, wish, field):
    client = client_of(bare)
    told = {**FIELDS, "code": begin_first_visit(bare), "again": FIELDS["password"], **wish}
    answer = client.post("/first-visit", data=told)
    assert answer.status_code == 422
    assert wrong_beside(answer, field)
    typed = page(answer).cssselect("input[name=login]")[0].get("value")
    assert typed == told["login"]
    assert client.get("/").url.path == "/first-visit"


def test_once_the_owner_is_there_the_first_visit_is_over(newcomer, bare):
    stranger = client_of(bare)
    assert stranger.get("/first-visit").url.path == "/sign-in"
    assert stranger.get("/").url.path == "/sign-in"


def test_today_is_the_list_of_first_steps_until_they_are_done_or_skipped(newcomer):
    shown = newcomer.get("/")
    assert "0 of 7 done" in words(shown)
    steps = page(shown).cssselect(".first-steps li")
    assert len(steps) == 7
    for step in page(shown).cssselect(".first-steps h2 a"):
        assert newcomer.get(step.get("href")).status_code == 200, step.text
    assert "3 of 7 done" not in words(newcomer.get("/"))
    post(newcomer, "/setup/firm", name="Quillmoss", currency="EUR", locale="en_IE")
    post(newcomer, "/setup/warehouses", name="Hall", kind="own")
    answer = post(newcomer, "/setup/first-steps/carrier")
    assert "3 of 7 done or skipped" in words(answer)
    assert "2 of 7" in words(post(newcomer, "/setup/first-steps/carrier", restore="yes"))
    assert post(newcomer, "/setup/first-steps/lunch").status_code == 404
    for step in ("price-list", "channel", "products", "stock", "carrier"):
        answer = post(newcomer, f"/setup/first-steps/{step}")
    assert "What is waiting for you" in words(answer)


def test_every_page_of_the_line_opens_on_an_empty_database(newcomer):
    wrong = {}
    for link in page(newcomer.get("/")).cssselect(".line a, .apart a"):
        pages = [link.get("href")]
        pages += [one.get("href") for one in page(newcomer.get(pages[0])).cssselect(".rooms a")]
        for path in pages:
            answer = newcomer.get(path)
            if answer.status_code != 200:
                wrong[path] = answer.status_code
    assert wrong == {}


def test_only_who_may_set_things_up_sees_what_is_still_to_set_up(workplace, web):
    assert "first sale" in words(web.get("/"))
    lister = sign_in(client_of(workplace), "lister")
    assert "What is waiting for you" in words(lister.get("/"))
