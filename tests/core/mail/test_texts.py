"""Texts of mails: which one is used, what may stand in one, and how it reads."""

import pytest

from relvan.core.mail.texts import (
    MailEvent,
    MailText,
    check_mail_text,
    choose_text,
    example_places,
    languages_of,
    places_in_words,
    write_mail,
)

SHIPPED = MailEvent.SHIPPED


def text(name="Sent", event=SHIPPED, channel="", language="", **more):
    return MailText(
        name,
        event,
        "Order {{ order.number }}",
        "Dear {{ customer.name }}",
        channel,
        language,
        **more,
    )


TEXTS = [
    text("all", id=1),
    text("german", language="de", id=2),
    text("own shop", channel="ownshop", id=3),
    text("own shop, german", channel="ownshop", language="de", id=4),
    text("paid", event=MailEvent.PAID, id=5),
]


@pytest.mark.parametrize(
    ("event", "channel", "languages", "wanted"),
    [
        (SHIPPED, "hagglet", ("nl", "en"), "all"),
        (SHIPPED, "hagglet", ("de", "en"), "german"),
        (SHIPPED, "ownshop", ("nl", "en"), "own shop"),
        (SHIPPED, "ownshop", ("de", "en"), "own shop, german"),
        (SHIPPED, "ownshop", ("nl", "fr", "de"), "own shop, german"),
        (MailEvent.PAID, "ownshop", ("de",), "paid"),
        (MailEvent.TAKEN, "ownshop", ("de",), None),
    ],
)
def test_the_nearest_text_is_used(event, channel, languages, wanted):
    found = choose_text(TEXTS, event, channel, languages)
    assert (found.name if found else None) == wanted


@pytest.mark.parametrize(
    ("country", "own", "first"),
    [("DE", "en_IE", "de"), ("NL", "en_IE", "nl"), ("", "de_AT", "de"), ("XX", "en_IE", "en")],
)
def test_a_customer_is_written_to_in_the_language_of_their_country(country, own, first):
    assert languages_of(country, own)[0] == first


def test_a_text_is_filled_and_says_what_it_lacks():
    wish = MailText(
        "x",
        SHIPPED,
        "Order\n{{ order.number }}",
        "{% for line in lines %}{{ line.quantity }} x {{ line.title }}\n{% endfor %}"
        "{% if order.owed %}To be paid: {{ order.owed }}{% endif %}{{ order.promised }}",
    )
    places = {
        "order": {"number": "O-1", "owed": "", "promised": ""},
        "lines": [{"quantity": "2", "title": "Pot"}, {"quantity": "1", "title": "Saucer"}],
    }
    mail = write_mail(wish, places)
    assert mail.subject == "Order O-1"
    assert mail.text == "2 x Pot\n1 x Saucer"
    assert mail.missing == ("order.promised",)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"name": " "}, "name"),
        ({"subject": ""}, "subject"),
        ({"subject": "x" * 301}, "subject"),
        ({"text": " "}, "text"),
        ({"text": "{{ order.secret }}"}, "text"),
        ({"text": "{{ nobody }}"}, "text"),
        ({"text": "{{ order.number.__class__ }}"}, "text"),
        ({"text": "{{ 7 * 7 }}"}, "text"),
        ({"text": "{% for line in lines %}"}, "text"),
        ({"channel": "nowhere"}, "channel"),
        ({"language": "xx"}, "language"),
        ({"event": MailEvent.BY_HAND, "automatic": True}, "automatic"),
    ],
)
def test_what_cannot_be_is_refused_at_its_field(change, field):
    told = {**vars(text()), **change}
    assert field in {refusal.field for refusal in check_mail_text(MailText(**told), ["ownshop"])}


def test_every_place_of_the_list_can_be_named():
    loops = {"lines": "line", "parcels": "parcel"}
    for group, names in places_in_words():
        body = " ".join(f"{{{{ {name} }}}}" for name in names)
        if group in loops:
            body = f"{{% for {loops[group]} in {group} %}}{body}{{% endfor %}}"
        assert check_mail_text(MailText("x", SHIPPED, "x", body), []) == [], group
    assert write_mail(text(), example_places()).text == "Dear x"
