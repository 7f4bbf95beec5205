"""Tests the mail server: saved with its password sealed, tested against the mailroom in all its
weathers, and used for invitations.
"""

import pytest

from relvan.core.refusal import NotAllowed, Refused
from relvan.services.setup.mail import (
    Mail,
    change_mail_server,
    mail_invitation,
    send,
    view_mail_server,
)
from relvan.services.setup.mail import test_mail_server as try_mail_server
from relvan.store.history import history
from relvan.store.mail import mail_server_of

TO = "ada@quillmoss.example"


@pytest.fixture
def mailroom(world, worlds):
    worlds[0].present.open_mailroom()
    return world.client.get("/world").json()["mailroom"]


@pytest.fixture
def mailing(workplace, owner, mailroom):
    """Saves the mailroom as the mail server."""
    change_mail_server(workplace, owner, wish_of(mailroom), mailroom["token"])
    return workplace


def wish_of(mailroom, **more):
    start = {
        "host": mailroom["host"],
        "port": mailroom["port"],
        "security": "none",
        "login": mailroom["login"],
        "sender": "orders@quillmoss.example",
    }
    return {**start, **more}


def mails(world, to=TO):
    return world.client.get("/world/mailroom/messages", params={"to": to}).json()


def trouble_of(workplace, owner, to=TO):
    with pytest.raises(Refused) as refused:
        try_mail_server(workplace, owner, to)
    return refused.value.first


def test_a_test_mail_arrives_and_the_answer_is_shown(mailing, owner, world):
    assert try_mail_server(mailing, owner, f" {TO} ") == "250 kept as 1"
    (mail,) = mails(world)
    assert mail["from"] == "orders@quillmoss.example"
    assert mail["subject"].startswith("Test from")
    assert mail["message_id"].endswith("@quillmoss.example>")
    view = view_mail_server(mailing)
    assert (view.works, view.answer, view.has_password) == (True, "250 kept as 1", True)


def test_the_password_is_sealed_kept_and_deleted_with_the_server(mailing, owner, mailroom):
    def password():
        with mailing.database.reading() as session:
            return mail_server_of(session).password

    assert mailroom["token"] not in password()
    change_mail_server(mailing, owner, {"sender": "shop@quillmoss.example"})
    assert mailing.secrets.open(password()) == mailroom["token"]
    change_mail_server(mailing, owner, {"host": ""})
    assert password() == ""
    assert trouble_of(mailing, owner).code == "no-mail-server"
    with mailing.database.reading() as session:
        said = [(line.deed, line.changes) for line in history(session, "firm", 1, 10)]
    assert len(said) == 3
    assert mailroom["token"] not in str(said)


def test_a_server_that_puts_mail_off_is_told_and_nothing_arrives(mailing, owner, world):
    world.weather("mailroom", "down")
    assert "nobody is here" in trouble_of(mailing, owner).message
    assert view_mail_server(mailing).works is False
    assert mails(world) == []
    world.weather("mailroom", "calm")
    assert try_mail_server(mailing, owner, TO)


def answer_or_trouble(workplace, owner):
    """Returns what the server answered, or the code of the refusal."""
    try:
        return try_mail_server(workplace, owner, TO)
    except Refused as refused:
        return refused.first.code


@pytest.mark.parametrize(("kind", "arrives"), [("lost answers", True), ("flaky", False)])
def test_no_trouble_counts_as_success(mailing, owner, world, kind, arrives):
    world.weather("mailroom", kind, seed=1)
    answers = [answer_or_trouble(mailing, owner) for _ in range(12)]
    troubles = answers.count("unreachable")
    assert 0 < troubles < 12
    # a mail whose answer was lost has arrived, and a person decides whether to send it once more
    assert len(mails(world)) == (12 if arrives else 12 - troubles)


@pytest.mark.parametrize(
    ("wish", "password", "words"),
    [
        ({}, "wrong", "refuses the login: 535"),
        ({"login": ""}, None, "refuses mail from"),
        ({"port": 9}, None, "cannot be reached"),
        ({"security": "tls"}, None, "does not speak TLS"),
        ({"security": "starttls"}, None, "cannot be reached"),
    ],
)
def test_each_trouble_says_what_it_is(mailing, owner, wish, password, words):
    change_mail_server(mailing, owner, wish, password)
    assert words in trouble_of(mailing, owner).message


def test_a_recipient_that_is_refused_and_one_that_is_none(mailing, owner, world):
    assert "550" in trouble_of(mailing, owner, "nobody@quillmoss.example").message
    for wrong in ("", "ada", f"{TO}\nBcc: eve@quillmoss.example"):
        assert trouble_of(mailing, owner, wrong).field == "to"
    assert mails(world, "") == []


def test_an_invitation_is_mailed_with_its_link(mailing, owner, world):
    mail_invitation(mailing, owner, TO, "https://relvan.example/invitations/abc")
    (mail,) = mails(world)
    assert "https://relvan.example/invitations/abc" in mail["text"]


def test_words_of_other_alphabets_arrive_as_they_are(mailing, world):
    send(mailing, Mail(TO, "Töpfe für Ægir", "Ωραία\nαγγεία"))
    (mail,) = mails(world)
    assert mail["subject"] == "Töpfe für Ægir"
    assert mail["text"].split() == ["Ωραία", "αγγεία"]


def test_a_host_that_leads_into_a_private_network_later_gets_no_mail(mailing, world):
    mailing.settings.private_addresses = False
    with pytest.raises(Refused) as refused:
        send(mailing, Mail(TO, "x", "y"))
    assert "private network" in refused.value.first.message
    assert mails(world) == []


def test_private_addresses_are_refused_where_they_are_not_allowed(
    workplace, owner, picker, mailroom
):
    workplace.settings.private_addresses = False
    with pytest.raises(Refused) as refused:
        change_mail_server(workplace, owner, wish_of(mailroom))
    assert "private network" in refused.value.first.message
    assert view_mail_server(workplace).server.host == ""
    for deed in (
        lambda: change_mail_server(workplace, picker, wish_of(mailroom)),
        lambda: try_mail_server(workplace, picker, TO),
    ):
        with pytest.raises(NotAllowed):
            deed()
