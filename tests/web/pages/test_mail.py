"""Tests the page of the mail server, and the invitation that goes by it."""

import pytest

from relvan.services.setup.mail import change_mail_server
from tests.house import add_pot
from tests.steps.orders import take
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


TEXT = {
    "id": "",
    "name": "Sent",
    "event": "by-hand",
    "channel": "",
    "language": "",
    "subject": "About {{ order.number }}",
    "text": "Dear {{ customer.name }}, <b>hello</b>",
}


@pytest.fixture
def order(web, workplace, owner):
    server = {"host": "127.0.0.1", "port": 9, "security": "none", "sender": "a@b.example"}
    change_mail_server(workplace, owner, server)
    add_pot(workplace, owner, "PT-14")
    return take(workplace, owner, ("PT-14", 1))


def test_a_text_is_written_shown_over_an_order_and_sent_from_its_page(web, order):
    shown_text = post(web, "/setup/mail/texts/preview", **TEXT, order=order)
    assert f"About {order}" in words(shown_text)
    assert "Dear Ada Fennimore, <b>hello</b>" in page(shown_text).text_content()
    wrong = post(web, "/setup/mail/texts", **{**TEXT, "text": "{{ order.secret }}"})
    assert wrong.status_code == 422
    assert "There is no place “order.secret”" in wrong_beside(wrong, "text")
    assert "Sent" in words(post(web, "/setup/mail/texts", **TEXT))
    written = post(web, "/orders/do/mail", pick=order, text="1", back=f"/orders/{order}")
    assert "Mails are written" in words(written)
    there = page(web.get(f"/orders/{order}")).cssselect("#mails")[0].text_content()
    assert f"About {order}" in there
    assert "Dear Ada Fennimore" in there
    assert f"About {order}" in words(web.get("/orders/mails?state=waiting"))
    assert "None." in words(web.get("/orders/mails?state=sent"))


def test_mailing_many_says_before_what_it_would_do_and_wants_a_text(web, order):
    post(web, "/setup/mail/texts", **TEXT)
    asked = post(web, "/orders/foresee/mail", pick=order)
    assert "would be mailed" in words(asked)
    assert page(asked).cssselect("select[name=text] option")[0].text == "Sent"
    assert "Choose one" in words(post(web, "/orders/do/mail", pick=order, text=""))


def test_a_rule_can_mail_and_says_so(web, order):
    post(web, "/setup/mail/texts", **TEXT)
    rule = {"name": "Write", "when": "taken", "deed-0": "mail", "text-0": "1", "active": "yes"}
    assert "mail the customer “Sent”" in words(post(web, "/orders/rules", **rule))
    refused = post(web, "/setup/mail/texts/1/delete")
    assert "The rule “Write” sends this text." in words(refused)
