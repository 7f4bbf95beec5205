"""Tests the page of the mail server, and the invitation that goes by it."""

import pytest

from tests.visitor import page, post, words, wrong_beside

BASE = "/setup/mail"


@pytest.fixture
def saved(web, world, worlds):
    """Saves the mailroom by the page; returns how it is reached."""
    worlds[0].present.open_mailroom()
    mailroom = world.client.get("/world").json()["mailroom"]
    post(
        web,
        BASE,
        host=mailroom["host"],
        port=mailroom["port"],
        security="none",
        login=mailroom["login"],
        password=mailroom["token"],
        sender="orders@quillmoss.example",
    )
    return mailroom


def test_what_is_wrong_stands_beside_its_field_and_what_was_typed_stays(web):
    wrong = {"host": "mail.example", "port": "x", "security": "none", "sender": "me"}
    answer = post(web, BASE, **wrong)
    assert answer.status_code == 422
    assert wrong_beside(answer, "port")
    answer = post(web, BASE, **{**wrong, "port": "25"})
    assert "must be a mail address" in wrong_beside(answer, "sender")
    assert page(answer).cssselect("#f-host")[0].get("value") == "mail.example"
    assert "Save where the server is" in words(web.get(BASE))


def test_the_test_shows_what_came_back(web, saved, world):
    assert saved["token"] not in web.get(BASE).text
    answer = words(post(web, f"{BASE}/test", to="ada@quillmoss.example"))
    assert "The mail server answers: 250 kept as 1" in answer
    assert "Last answer" in answer
    world.weather("mailroom", "down")
    answer = post(web, f"{BASE}/test", to="ada@quillmoss.example")
    assert answer.status_code == 422
    assert "nobody is here" in wrong_beside(answer, "host")
    assert "must be a mail address" in wrong_beside(post(web, f"{BASE}/test", to="ada"), "to")


def test_an_invitation_goes_by_mail_and_is_shown_when_it_cannot(web, saved, world):
    person = {"name": "Iris Fenn", "login": "iris", "role": "warehouse"}
    answer = words(post(web, "/setup/people", **person, mail="iris@quillmoss.example"))
    assert "mailed to iris@quillmoss.example" in answer
    (mail,) = world.client.get("/world/mailroom/messages").json()
    (link,) = (word for word in mail["text"].split() if "/invitations/" in word)
    assert link in answer
    world.weather("mailroom", "down")
    person = {"name": "Odo Fenn", "login": "odo", "role": "warehouse"}
    answer = words(post(web, "/setup/people", **person, mail="odo@quillmoss.example"))
    assert "nobody is here" in answer
    assert "Send it yourself" in answer
