"""Tests the mailroom as a program that sends mail meets it."""

import smtplib
from email.message import EmailMessage

import pytest

PNG = b"\x89PNG\r\n\x1a\n" + bytes(40)


@pytest.fixture
def room(world, worlds):
    worlds[0].present.open_mailroom()
    return world.client.get("/world").json()["mailroom"]


def mail(to="ada@quillmoss.example"):
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = "a@b.example", to, "Your order"
    message.set_content("It is on its way.")
    message.add_attachment(PNG, maintype="image", subtype="png", filename="slip.png")
    return message


def spoken_to(room):
    return smtplib.SMTP(room["host"], room["port"], timeout=5)


def test_mail_is_kept_shown_and_found_by_its_recipient(room, world):
    with spoken_to(room) as smtp:
        smtp.login(room["login"], room["token"])
        assert smtp.send_message(mail()) == {}
    (kept,) = world.client.get("/world/mailroom/messages?to=ADA@quillmoss.example").json()
    assert (kept["subject"], kept["from"]) == ("Your order", "a@b.example")
    assert kept["attachments"] == [{"name": "slip.png", "type": "image/png", "size": len(PNG)}]
    assert world.client.get("/world/mailroom/messages?to=iris@quillmoss.example").json() == []
    page = world.client.get("/mailroom").text
    assert "Your order" in page
    assert "slip.png" in page


def test_nobody_sends_without_the_login(room, world):
    with spoken_to(room) as smtp, pytest.raises(smtplib.SMTPSenderRefused):
        smtp.send_message(mail())
    with spoken_to(room) as smtp, pytest.raises(smtplib.SMTPAuthenticationError):
        smtp.login(room["login"], "guessed")
    assert world.client.get("/world/mailroom/messages").json() == []


def test_a_mailbox_that_does_not_exist_is_refused(room):
    with spoken_to(room) as smtp:
        smtp.login(room["login"], room["token"])
        with pytest.raises(smtplib.SMTPRecipientsRefused):
            smtp.send_message(mail("nobody@quillmoss.example"))


def test_the_weather_is_that_of_the_other_stand_ins(room, world):
    world.weather("mailroom", "down")
    with spoken_to(room) as smtp:
        smtp.login(room["login"], room["token"])
        with pytest.raises(smtplib.SMTPSenderRefused) as refused:
            smtp.send_message(mail())
    assert refused.value.smtp_code == 421
    assert world.client.put("/world/mailroom/weather", json={"kind": "hail"}).status_code == 422
