"""The pages of the second step of signing in, and of invitations."""

import re

import pyotp
import pytest

from tests.applications import client_of
from tests.visitor import page, post, sign_in, words

BASE = "/account/two-step"
GOOD = {"login": "owner", "password": "a good password"}
FIRM = {"name": "Q", "currency": "EUR", "locale": "en_IE", "time_zone": "Europe/Dublin"}


def code(workplace, secret):
    return pyotp.TOTP(secret).at(workplace.now().timestamp())


def add_step(web, workplace):
    begun = post(web, BASE)
    secret = re.search(r"Or type ([A-Z2-7]{32})", words(begun)).group(1)
    assert page(begun).cssselect(".qr svg")
    return secret, post(web, f"{BASE}/confirm", code=code(workplace, secret))


def test_the_second_step_from_the_account_to_the_next_sign_in(web, workplace):
    assert "Sign in by two steps" in words(web.get("/account"))
    secret, added = add_step(web, workplace)
    codes = [one.text for one in page(added).cssselect(".codes li")]
    assert len(codes) == 10
    workplace.now.move(seconds=60)
    client = client_of(workplace)
    asked = client.post("/sign-in", data={**GOOD, "next": "/orders"})
    assert "the code on your phone" in words(asked)
    assert client.get("/account", follow_redirects=False).status_code == 303  # not signed in yet
    fields = {one.get("name"): one.get("value") for one in page(asked).cssselect("form input")}
    wrong = client.post("/sign-in/code", data={**fields, "code": "123456"})
    assert "wrong, or was used before" in words(wrong)
    right = {**fields, "code": code(workplace, secret)}
    answer = client.post("/sign-in/code", data=right, follow_redirects=False)
    assert answer.headers["location"] == "/orders"
    again = client_of(workplace).post("/sign-in/code", data=right)
    assert "wrong, or was used before" in words(again)
    late = client_of(workplace).post(
        "/sign-in/code", data={**fields, "ticket": "x", "code": codes[0]}
    )
    assert "longer than five minutes" in words(late)


def test_owners_must_add_it_where_the_firm_demands_it(web, workplace):
    post(web, "/setup/firm", **FIRM, two_step="yes")
    for path in ("/", "/orders", "/setup/people"):
        assert web.get(path).url.path == BASE
    assert "Owners of this firm sign in by two steps" in words(web.get("/catalogue"))
    assert "Today" in words(sign_in(client_of(workplace), "picker").get("/"))  # others need not
    _, added = add_step(web, workplace)
    assert "Your recovery codes" in words(added)
    assert web.get("/orders").url.path == "/orders"
    gone = post(web, f"{BASE}/end", present="a wrong password")
    assert "not your password" in words(gone)
    post(web, f"{BASE}/end", present="a good password")
    assert web.get("/orders").url.path == BASE
    assert post(web, "/sign-out").url.path == "/sign-in"


def test_an_owner_takes_the_step_of_somebody_else_away(web, workplace):
    picker = sign_in(client_of(workplace), "picker")
    add_step(picker, workplace)
    said = words(web.get("/setup/people"))
    assert "two steps" in said
    assert "ends 1 sign-in, 0 tokens" in said  # what the end of somebody's access would end
    post(web, "/setup/people/picker", deed="one step")
    assert sign_in(client_of(workplace), "picker").get("/account").status_code == 200


def test_somebody_is_invited_and_chooses_a_password(web, workplace):
    shown = post(web, "/setup/people", name="Ben Oram", login="ben", role="orders", password="")
    link = re.search(r"/invitations/[\w-]+", words(shown)).group(0)
    assert link not in words(web.get("/setup/people"))  # it is shown once
    client = client_of(workplace)
    assert "Welcome, Ben Oram" in words(client.get(link))
    chosen = {"password": "a password of mine", "again": "a password of mine"}
    assert client.post(link, data={**chosen, "again": "other"}).status_code == 422
    assert client.post(link, data={"password": "x", "again": "x"}).status_code == 422
    assert client.post(link, data=chosen).url.path == "/"
    assert "Ben Oram" in words(client.get("/account"))
    assert client_of(workplace).get(link).status_code == 404
    assert client_of(workplace).post(link, data=chosen).status_code == 404


def test_a_new_link_for_somebody_who_has_not_come(web, workplace):
    post(web, "/setup/people", name="Ben", login="ben", role="orders", password="")
    shown = post(web, "/setup/people/ben", deed="invite")
    link = re.search(r"/invitations/[\w-]+", words(shown)).group(0)
    assert client_of(workplace).get(link).status_code == 200


def test_a_new_password_by_link_still_needs_the_second_step(web, workplace):
    picker = sign_in(client_of(workplace), "picker")
    secret, _ = add_step(picker, workplace)
    shown = post(web, "/setup/people/picker", deed="invite")
    link = re.search(r"/invitations/[\w-]+", words(shown)).group(0)
    client = client_of(workplace)
    chosen = {"password": "a password of mine", "again": "a password of mine"}
    asked = client.post(link, data=chosen)
    assert "the code on your phone" in words(asked)
    assert picker.get("/account", follow_redirects=False).status_code == 303  # signed out
    fields = {one.get("name"): one.get("value") for one in page(asked).cssselect("form input")}
    workplace.now.move(seconds=60)
    answer = client.post("/sign-in/code", data={**fields, "code": code(workplace, secret)})
    assert answer.url.path == "/"


@pytest.mark.parametrize("path", [BASE, f"{BASE}/confirm", f"{BASE}/end"])
def test_forms_of_another_sign_in_are_refused(web, path):
    assert web.post(path, data={"csrf": "x", "code": "1"}).status_code == 403
