"""Mails to customers are written with what they tell of, sent once in any weather, and threaded."""

import pytest

from relvan.core.mail.texts import MailEvent, MailText
from relvan.core.orders.by_hand import OrderKind
from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder
from relvan.core.orders.rules import Rule, RuleDeed, RuleEvent, RuleThen
from relvan.core.refusal import Refused
from relvan.gateways.calling import OutsideTrouble
from relvan.services.mail import deliver
from relvan.services.mail.alerts import alert_of_unknown_lines
from relvan.services.mail.deliver import send_again, send_mails
from relvan.services.mail.texts import delete_mail_text, preview_mail, save_mail_text
from relvan.services.mail.write import mail_estimate, mail_orders
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.estimates import accept_estimate, enter_estimate
from relvan.services.orders.invoices import credit_invoice, invoice_orders
from relvan.services.orders.payments import NewPayment, add_payment
from relvan.services.orders.rule_book import save_rule
from relvan.services.orders.take import take_channel_orders, take_manual_order
from relvan.services.setup.firm import change_firm
from relvan.services.setup.mail import change_mail_server
from relvan.store.mailing import mail_page, mails_of_order
from relvan.store.notices import notices_of
from relvan.store.orders import order_by_number
from relvan.store.trays import tags_of
from tests.house import add_pot, assert_sound, channel_ids, connect
from tests.steps.books import FIRM

ADA = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "1012 XK", "NL", "ada@example.com")
LINES = "{% for line in lines %}{{ line.quantity }} x {{ line.title }}; {% endfor %}"


@pytest.fixture
def mailroom(world, worlds):
    worlds[0].present.open_mailroom()
    return world.client.get("/world").json()["mailroom"]


@pytest.fixture
def post(workplace, owner, mailroom):
    """Builds a firm with goods and a mail server."""
    change_firm(workplace, owner, FIRM)
    add_pot(workplace, owner, "PT-14", units=50)
    server = {
        "host": mailroom["host"],
        "port": mailroom["port"],
        "security": "none",
        "login": mailroom["login"],
        "sender": "orders@quillmoss.example",
        "alerts_to": "tobias@quillmoss.example",
    }
    change_mail_server(workplace, owner, server, mailroom["token"])
    return workplace


def write(place, owner, event, subject="{{ order.number }}", text=LINES, **more):
    wish = MailText(
        f"On {event}", event, subject, text, automatic=more.pop("automatic", True), **more
    )
    return save_mail_text(place, owner, wish)


def take(place, owner, to=ADA, paid=False):
    line = IncomingLine("", "PT-14", "Aubrey pot", 2, 1690)
    return take_manual_order(place, owner, (line,), to, paid=paid)


def arrived(world, to="ada@example.com"):
    return world.client.get("/world/mailroom/messages", params={"to": to}).json()[::-1]


def states(place):
    with place.database.reading() as session:
        return [row.state for row in mail_page(session)][::-1]


def test_what_happens_is_mailed_once_with_its_paper_and_as_one_thread(post, owner, world):
    for event in (MailEvent.TAKEN, MailEvent.PAID, MailEvent.INVOICED, MailEvent.REFUNDED):
        write(
            post, owner, event, subject=f"{event} {{{{ order.number }}}} {{{{ invoice.number }}}}"
        )
    number = take(post, owner)
    invoice = invoice_orders(post, owner, [number])[0].message
    add_payment(post, owner, NewPayment(number, 3380))
    note = credit_invoice(post, owner, invoice, "One was broken", {1: 1})
    assert send_mails(post) is None
    assert send_mails(post) is None
    found = arrived(world)
    assert [mail["subject"] for mail in found] == [
        f"taken {number}",
        f"invoiced {number} {invoice}",
        f"paid {number}",
        f"refunded {number} {note}",
    ]
    assert [[file["name"] for file in mail["attachments"]] for mail in found] == [
        [],
        [f"{invoice}.pdf"],
        [],
        [f"{note}.pdf"],
    ]
    assert "2 x Aubrey pot" in found[0]["text"]
    assert found[0]["references"] == ""
    assert found[3]["references"].split() == [mail["message_id"] for mail in found[:3]]
    assert set(states(post)) == {"sent"}
    assert_sound(post)


def test_nothing_is_written_without_a_text_a_server_or_an_address(post, owner, mailroom):
    take(post, owner)
    write(post, owner, MailEvent.TAKEN)
    take(post, owner, to=Address("Bo", "1 Row", "Kestrow", "1012 XK", "NL"))
    write(post, owner, MailEvent.CANCELLED, automatic=False)
    cancel_orders(post, owner, [take(post, owner)])
    change_mail_server(post, owner, {"host": ""})
    take(post, owner)
    assert states(post) == ["waiting"]
    assert send_mails(post) is None


def test_customers_of_a_channel_are_mailed_if_its_policy_says_so(post, owner, world):
    connect(post, owner, world, "hagglet")
    (channel,) = channel_ids(post).values()
    write(post, owner, MailEvent.TAKEN, channel="hagglet")

    def arrive(number):
        line = IncomingLine("1", "PT-14", "Pot", 1, 1690)
        order = IncomingOrder(number, post.now(), "EUR", (line,), ADA, changed=1)
        take_channel_orders(post, channel, [order])

    arrive("H-1")
    assert states(post) == []
    from relvan.services.channels.settings import change_channel

    change_channel(post, owner, "hagglet", {"orders": {"mails": ["taken"]}})
    arrive("H-2")
    assert states(post) == ["waiting"]


@pytest.mark.parametrize("kind", ["flaky", "slow", "lost answers"])
def test_in_bad_weather_every_mail_arrives_once_or_a_person_decides(post, owner, world, kind):
    write(post, owner, MailEvent.TAKEN)
    world.weather("mailroom", kind, seed=5)
    numbers = [take(post, owner) for _ in range(12)]
    for _ in range(200):
        if send_mails(post) is None:
            break
        post.now.move(seconds=60)
    world.weather("mailroom", "calm")
    subjects = [mail["subject"] for mail in arrived(world)]
    assert sorted(subjects) == sorted(set(subjects)), "none twice"
    unsure = states(post).count("unsure")
    assert states(post).count("sent") + unsure == 12
    assert set(subjects) == set(numbers), "what is unsure had arrived"
    assert (unsure > 0) == (kind == "lost answers")
    with post.database.reading() as session:
        told = [notices_of(session, order_by_number(session, one).id) for one in numbers]
    assert sum(map(bool, told)) == unsure


def test_while_the_server_is_down_mails_wait_and_keep_their_order(post, owner, world):
    write(post, owner, MailEvent.TAKEN)
    world.weather("mailroom", "down")
    numbers = [take(post, owner) for _ in range(3)]
    wait = send_mails(post)
    assert 0 < wait <= 1800
    assert states(post) == ["waiting"] * 3
    world.weather("mailroom", "calm")
    post.now.move(seconds=3600)
    send_mails(post)
    assert sorted(mail["subject"] for mail in arrived(world)) == sorted(numbers)


def test_a_mailbox_that_is_not_there_is_refused_said_and_can_be_tried_again(post, owner, world):
    write(post, owner, MailEvent.TAKEN)
    number = take(
        post, owner, to=Address("No", "1 Row", "Kestrow", "1012 XK", "NL", "nobody@x.example")
    )
    send_mails(post)
    assert states(post) == ["refused"]
    with post.database.reading() as session:
        order = order_by_number(session, number)
        (notice,) = notices_of(session, order.id)
        assert "550 there is no such mailbox" in notice.words
        (mail,) = mails_of_order(session, order.id)
    send_again(post, owner, mail.id)
    send_again(post, owner, mail.id)
    send_mails(post)
    assert states(post) == ["refused"]


def test_a_worker_that_died_leaves_the_mail_to_a_person(post, owner, world, monkeypatch):
    write(post, owner, MailEvent.TAKEN)
    take(post, owner)

    def die(*_):
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(deliver, "send_by", die)
        with pytest.raises(KeyboardInterrupt):
            send_mails(post)
    assert states(post) == ["sending"]
    send_mails(post)
    assert states(post) == ["sending"], "its lease is not over"
    post.now.move(seconds=400)
    send_mails(post)
    assert states(post) == ["unsure"]
    assert arrived(world) == []


def test_by_hand_the_same_text_is_not_written_twice_within_minutes(post, owner):
    text = write(post, owner, MailEvent.BY_HAND, automatic=False)
    number = take(post, owner)
    nobody = take(post, owner, to=Address("Bo", "1 Row", "Kestrow", "1012 XK", "NL"))
    told = [mail_orders(post, owner, [number, nobody, "O-9"], text) for _ in range(2)]
    assert [[one.code for one in verdicts] for verdicts in told] == [
        ["", "no-address", "not-found"]
    ] * 2
    assert states(post) == ["waiting"]
    post.now.move(seconds=301)
    mail_orders(post, owner, [number], text)
    assert states(post) == ["waiting"] * 2


def test_a_rule_mails_and_another_follows_what_was_mailed(post, owner):
    text = write(post, owner, MailEvent.BY_HAND, automatic=False)
    mail = RuleThen(RuleDeed.MAIL, str(text))
    save_rule(post, owner, Rule("Write", RuleEvent.RESERVED, (mail,)))
    save_rule(post, owner, Rule("Note", RuleEvent.MAILED, (RuleThen(RuleDeed.TAG, "written"),)))
    with pytest.raises(Refused, match="circle"):
        save_rule(post, owner, Rule("Again", RuleEvent.MAILED, (mail,)))
    with pytest.raises(Refused, match="sends this text"):
        delete_mail_text(post, owner, text)
    number = take(post, owner)
    send_mails(post)
    with post.database.reading() as session:
        order = order_by_number(session, number)
        assert tags_of(session, [order.id])[order.id] == ["written"]


def test_a_text_is_shown_over_an_order_and_nothing_is_sent(post, owner):
    number = take(post, owner)
    wish = MailText(
        "x",
        MailEvent.SHIPPED,
        "{{ order.total }}",
        "{{ address.country }} {{ order.link }}",
        language="nl",
    )
    mail = preview_mail(post, wish, number)
    assert "33,80" in mail.subject
    assert mail.text.startswith("Nederland ")
    assert states(post) == []
    with post.database.reading() as session:
        assert order_by_number(session, number).secret == "", "no link is made by looking"
    with pytest.raises(Refused):
        preview_mail(post, MailText("x", MailEvent.SHIPPED, "x", "{{ order.nothing }}"), number)


def test_an_estimate_is_mailed_with_its_paper_and_stays_in_the_thread_of_its_order(
    post, owner, world
):
    last = post.local_now().date()
    draft = OrderDraft(
        mail="ada@example.com",
        ship_to=ADA,
        lines=(DraftLine("PT-14", 3, unit_price=1500),),
        kind=OrderKind.ESTIMATE,
        last_day=last,
    )
    number = enter_estimate(post, owner, draft, strict=False).number
    with pytest.raises(Refused, match="no text for estimates"):
        mail_estimate(post, owner, number)
    write(
        post,
        owner,
        MailEvent.ESTIMATE,
        "{{ estimate.number }}",
        "{{ estimate.link }}",
        automatic=False,
    )
    assert mail_estimate(post, owner, number) == mail_estimate(post, owner, number) == ADA.mail
    send_mails(post)
    (mail,) = arrived(world)
    assert [file["name"] for file in mail["attachments"]] == [f"{number}.pdf"]
    assert "/e/" in mail["text"]
    write(post, owner, MailEvent.TAKEN)
    order = accept_estimate(post, owner, number)
    send_mails(post)
    assert arrived(world)[-1]["references"] == mail["message_id"]
    with post.database.reading() as session:
        assert len(mails_of_order(session, order_by_number(session, order).id)) == 2


def test_the_person_in_charge_hears_of_unknown_lines_at_most_once_an_hour(post, owner, world):
    connect(post, owner, world, "hagglet")
    (channel,) = channel_ids(post).values()

    def arrive(number, sku):
        line = IncomingLine("1", sku, "What is this", 1, 500)
        order = IncomingOrder(number, post.now(), "EUR", (line,), ADA, changed=1)
        take_channel_orders(post, channel, [order])

    assert not alert_of_unknown_lines(post)
    arrive("H-1", "NO-SUCH")
    assert alert_of_unknown_lines(post)
    arrive("H-2", "NOR-THIS")
    post.now.move(seconds=3500)
    assert not alert_of_unknown_lines(post)
    post.now.move(seconds=200)
    assert alert_of_unknown_lines(post)
    post.now.move(seconds=4000)
    assert not alert_of_unknown_lines(post), "nothing new"
    send_mails(post)
    first, second = arrived(world, "tobias@quillmoss.example")
    assert ("NO-SUCH" in first["text"], "NOR-THIS" in first["text"]) == (True, False)
    assert ("NO-SUCH" in second["text"], "NOR-THIS" in second["text"]) == (False, True)


def test_what_a_mail_tells_of_is_saved_with_it_or_not_at_all(post, owner, monkeypatch):
    write(post, owner, MailEvent.TAKEN)

    def fail(*_):
        raise OutsideTrouble("the disk is full")

    monkeypatch.setattr("relvan.services.orders.add._promise", fail)
    with pytest.raises(OutsideTrouble):
        take(post, owner)
    assert states(post) == []
