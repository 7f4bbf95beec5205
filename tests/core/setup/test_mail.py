"""Tests what a mail server may be, and what a mail address is."""

import pytest

from relvan.core.setup.mail import MailServer, check_mail_server, is_mail_address

GOOD = MailServer("mail.quillmoss.example", 587, "starttls", "orders", "orders@quillmoss.example")


@pytest.mark.parametrize(
    ("text", "is_one"),
    [
        ("orders@quillmoss.example", True),
        ("o.quill+shop@post.quillmoss.example", True),
        ("ørder@grün.example", False),
        ("quillmoss", False),
        ("@quillmoss.example", False),
        ("a@b", False),
        ("a@b..example", False),
        ("a b@quillmoss.example", False),
        ("a@quillmoss.example, b@quillmoss.example", False),
        ("a@quillmoss.example\nBcc: b@quillmoss.example", False),
        ("a" * 65 + "@quillmoss.example", False),
        ("a@" + "b" * 250 + ".example", False),
    ],
)
def test_what_has_the_form_of_one_mail_address(text, is_one):
    assert is_mail_address(text) is is_one


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        ({"host": "https://mail.quillmoss.example"}, "host"),
        ({"host": "-mail"}, "host"),
        ({"host": "m" * 254}, "host"),
        ({"port": 0}, "port"),
        ({"port": 65_536}, "port"),
        ({"port": "587"}, "port"),
        ({"security": "ssl"}, "security"),
        ({"sender": "Quillmoss"}, "sender"),
        ({"sender": ""}, "sender"),
        ({"login": "x" * 201}, "login"),
    ],
)
def test_each_wrong_value_is_named(wish, field):
    assert [one.field for one in check_mail_server(GOOD.changed(wish))] == [field]


def test_a_good_one_passes_and_without_a_host_nothing_is_needed():
    assert check_mail_server(GOOD) == []
    assert check_mail_server(GOOD.changed({"host": " ", "sender": "", "port": -4})) == []
    assert GOOD.changed({"host": " relay.example "}).host == "relay.example"
