"""Tests orders and estimates that a person enters, and the customers behind them."""

from dataclasses import replace
from datetime import timedelta

import pytest

from relvan.core.orders.draft import DraftLine, OrderDraft, copy_of, read_draft
from relvan.core.orders.intake import Address
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.catalogue.save import change_facts
from relvan.services.orders.addresses import check_written_address, written_phone
from relvan.services.orders.by_hand import draft_of_order, enter_order
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.customers import (
    add_customer_address,
    forget_customer,
    merge_customers,
    save_customer,
    set_own_price,
)
from relvan.services.orders.estimate_papers import estimate_paper
from relvan.services.orders.estimates import (
    accept_by_link,
    accept_estimate,
    cancel_estimate,
    enter_estimate,
)
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.judge import judge_draft
from relvan.services.orders.papers import invoice_paper
from relvan.services.orders.readdress import change_address
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.services.prices.set import set_list_price
from relvan.services.setup.firm import change_firm
from relvan.store.customers import (
    addresses_of,
    customer_by_mail,
    customer_by_number,
    customer_page,
    doubles_of,
    estimate_by_number,
)
from relvan.store.orders import lines_of, order_by_number, reservations_of
from relvan.store.people import person_by_id
from relvan.store.stock import warehouses
from tests.house import assert_sound
from tests.steps.books import FIRM
from tests.steps.orders import one

ADA = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821 AB", "NL", "ada@example.com")


def draft(*lines, **more):
    found = tuple(DraftLine(*line) if isinstance(line, tuple) else line for line in lines)
    return OrderDraft(ship_to=ADA, lines=found, **more)


def last_day(desk, days=14):
    return desk.local_now().date() + timedelta(days=days)


def taken(desk, entered):
    with desk.database.reading() as session:
        order = order_by_number(session, entered.number)
        lines = lines_of(session, [order.id])[order.id]
        names = {warehouse.id: warehouse.key for warehouse in warehouses(session)}
        held = reservations_of(session, [order.id])
    return order, [names[one.warehouse_id] for line in lines for one in held.get(line.id, [])]


def codes(refused):
    return [refusal.code for refusal in refused.value.refusals]


def test_an_order_is_entered_with_its_customer_prices_and_lines(desk, owner):
    entered = enter_order(desk, owner, draft(("PT-14", 2), ("PT-18", 1)))
    assert entered.warnings == ()
    row = one(desk, entered.number)
    assert (row.total, row.tray, row.customer) == (5070, "inbox", "Ada Fennimore")
    with desk.database.reading() as session:
        order = order_by_number(session, entered.number)
        (first, _) = lines_of(session, [order.id])[order.id]
        customer = customer_by_number(session, "K-1001")
        assert (customer.mail, order.customer_id) == ("ada@example.com", customer.id)
        assert first.price_why[0]["label"] == "Retail"
    assert_sound(desk)


def test_the_same_mail_address_is_the_same_customer_and_the_order_keeps_its_address(desk, owner):
    enter_order(desk, owner, draft(("PT-14", 1)))
    elsewhere = replace(ADA, street="9 Mill Lane", mail="ADA@example.com")
    entered = enter_order(desk, owner, replace(draft(("PT-14", 1)), ship_to=elsewhere))
    with desk.database.reading() as session:
        order = order_by_number(session, entered.number)
        assert order.ship_to["street"] == "9 Mill Lane"
        assert [row.orders for row in customer_page(session)] == [2]
        assert len(addresses_of(session, order.customer_id)) == 2


def test_the_price_is_the_customers_own_then_their_list_then_the_default_one(desk, owner):
    add_price_list(desk, owner, NewPriceList("trade", "Trade", "EUR", False))
    set_list_price(desk, owner, "PT-14", "trade", 1000)
    number = save_customer(
        desk, owner, {"name": "Ada", "mail": "ada@example.com", "price_list": "trade"}
    )
    judged = judge_draft(desk, draft(("PT-14", 1), ("PT-18", 1), customer=number))
    assert [line.typed.unit_price for line in judged.lines] == [1200, 1690]
    assert [line.proposed.why.steps[0].label for line in judged.lines] == ["Trade", "Trade"]
    set_own_price(desk, owner, number, "PT-14", (900, "EUR", True))
    judged = judge_draft(desk, draft(("PT-14", 1), customer=number))
    assert judged.lines[0].typed.unit_price == 900
    set_own_price(desk, owner, number, "PT-14", None)
    assert judge_draft(desk, draft(("PT-14", 1), customer=number)).lines[0].typed.unit_price == 1200


def test_prices_without_tax_and_discounts_add_up_on_the_invoice(desk, owner):
    change_firm(desk, owner, FIRM)
    wish = draft(
        DraftLine("PT-14", 3, unit_price=999, discount=100),
        ("PT-18", 1),
        prices_with_tax=False,
        discount=500,
        delivery=490,
    )
    judged = judge_draft(desk, wish)
    entered = enter_order(desk, owner, wish)
    invoice_orders(desk, owner, [entered.number])
    paper = invoice_paper(desk, "I-1001")
    assert paper.payable == judged.total == one(desk, entered.number).total
    assert sum(line.discount for line in paper.lines) == 600
    assert_sound(desk)


def test_goods_that_are_no_product_are_a_line_of_their_own(desk, owner):
    free = DraftLine("", 1, "Glazing workshop", 5000)
    entered = enter_order(desk, owner, draft(("PT-14", 1), free))
    assert one(desk, entered.number).words == "1 of 1 to pick, not invoiced, not paid"
    assert_sound(desk)


@pytest.mark.parametrize(
    ("wish", "code"),
    [
        ({"lines": ()}, "missing"),
        ({"lines": (DraftLine("NOBODY", 1),)}, "not-found"),
        ({"lines": (DraftLine("PT-14", 0),)}, "out-of-range"),
        ({"lines": (DraftLine("PT-14", 1, unit_price=-1),)}, "out-of-range"),
        ({"lines": (DraftLine("", 1, "Work"),)}, "no-price"),
        ({"lines": (DraftLine("PT-14", 1, discount=9_999),)}, "out-of-range"),
        ({"discount": 9_999}, "out-of-range"),
        ({"currency": "XYZ"}, "not-allowed"),
        ({"currency": "CHF"}, "no-price"),
        ({"reference": "r" * 81}, "too-long"),
        ({"customer": "K-9"}, "not-found"),
        ({"ship_to": replace(ADA, postcode="nonsense")}, "warning"),
        ({"ship_to": replace(ADA, country="")}, "missing"),
        ({"ship_to": replace(ADA, name="")}, "missing"),
    ],
)
def test_what_cannot_be_is_refused_and_nothing_is_saved(desk, owner, wish, code):
    with pytest.raises(Refused) as refused:
        enter_order(desk, owner, replace(draft(("PT-14", 1)), **wish))
    assert code in codes(refused)
    with desk.database.reading() as session:
        assert customer_page(session) == []


def test_a_warning_is_overridden_with_a_reason_that_is_kept(desk, owner):
    change_facts(desk, owner, [("PT-14", {"cost": 1690})])
    wish = draft(("PT-14", 9))
    with pytest.raises(Refused) as refused:
        enter_order(desk, owner, wish)
    assert [one.field for one in refused.value.refusals] == [
        "because-negative-margin",
        "because-more-than-free",
    ]
    reasons = {"negative-margin": "an old friend", "more-than-free": "they can wait"}
    entered = enter_order(desk, owner, replace(wish, overridden=reasons))
    assert {warning.code for warning in entered.warnings} == set(reasons)
    with desk.database.reading() as session:
        assert order_by_number(session, entered.number).overridden == reasons
    assert enter_order(desk, owner, wish, strict=False).warnings


def test_an_order_is_copied_to_be_entered_once_more(desk, owner):
    wish = draft(("PT-14", 2), DraftLine("", 1, "Workshop", 5000), reference="R 7")
    number = enter_order(desk, owner, wish).number
    with desk.database.reading() as session:
        order = order_by_number(session, number)
        copied = copy_of(draft_of_order(session, order, lines_of(session, [order.id])[order.id]))
    again = enter_order(desk, owner, copied).number
    assert one(desk, again).total == one(desk, number).total


def test_an_estimate_becomes_an_order_at_its_prices_once(desk, owner, clock):
    made = enter_estimate(desk, owner, draft(("PT-14", 2), last_day=last_day(desk)))
    assert made.number == "E-1001"
    assert [line.title for line in estimate_paper(desk, made.number).lines] != ["PT-14"]
    set_list_price(desk, owner, "PT-14", "retail", 9_999)
    clock.move(days=14)
    number = accept_estimate(desk, owner, made.number)
    assert accept_estimate(desk, owner, made.number) == number
    assert one(desk, number).total == 3380
    with pytest.raises(Refused):
        cancel_estimate(desk, owner, made.number)
    assert_sound(desk)


def test_after_its_last_day_the_prices_are_confirmed_anew(desk, owner, clock):
    made = enter_estimate(desk, owner, draft(("PT-14", 2), last_day=last_day(desk)))
    with desk.database.reading() as session:
        secret = estimate_by_number(session, made.number).secret
    clock.move(days=15)
    for accept in (
        lambda: accept_estimate(desk, owner, made.number),
        lambda: accept_by_link(desk, secret),
    ):
        with pytest.raises(Refused) as refused:
            accept()
        assert refused.value.first.code == "expired"
    assert accept_estimate(desk, owner, made.number, prices_confirmed=True)


def test_a_customer_accepts_by_their_link_and_nobody_by_another(desk, owner):
    made = enter_estimate(desk, owner, draft(("PT-14", 1), last_day=last_day(desk)))
    with desk.database.reading() as session:
        secret = estimate_by_number(session, made.number).secret
    for wrong in ("", secret[:-1]):
        with pytest.raises(NotFound):
            accept_by_link(desk, wrong)
    assert accept_by_link(desk, secret) == accept_by_link(desk, secret)


def test_a_cancelled_estimate_is_not_accepted(desk, owner):
    made = enter_estimate(desk, owner, draft(("PT-14", 1), last_day=last_day(desk)))
    cancel_estimate(desk, owner, made.number)
    with pytest.raises(Refused) as refused:
        accept_estimate(desk, owner, made.number)
    assert refused.value.first.code == "cancelled"


@pytest.mark.parametrize(
    ("days", "mail", "code"),
    [(None, "x", "missing"), (-1, "x", "out-of-range"), (5, "", "missing")],
)
def test_an_estimate_needs_a_day_to_come_and_somebody_to_whom_it_goes(
    desk, owner, days, mail, code
):
    to = ADA if mail else replace(ADA, mail="")
    day = last_day(desk, days) if days is not None else None
    with pytest.raises(Refused) as refused:
        enter_estimate(desk, owner, replace(draft(("PT-14", 1), last_day=day), ship_to=to))
    assert code in codes(refused)


def test_what_a_customer_bought_is_told_by_currency_and_without_what_is_cancelled(desk, owner):
    add_price_list(desk, owner, NewPriceList("chf", "Francs", "CHF", True))
    priced = DraftLine("PT-14", 1, unit_price=1000)
    (first, *_) = [
        enter_order(desk, owner, replace(draft(("PT-14", 1)), lines=(priced,))).number
        for _ in range(3)
    ]
    francs = replace(draft(("PT-14", 1)), lines=(priced,), currency="CHF")
    enter_order(desk, owner, francs, paid=True)
    cancel_orders(desk, owner, [first])
    with desk.database.reading() as session:
        (row,) = customer_page(session)
    assert (row.orders, row.last) == (3, desk.now())
    assert [(one.currency, one.total, one.owed) for one in row.bought] == [
        ("EUR", 2000, 2000),
        ("CHF", 1000, 0),
    ]


def test_doubles_are_proposed_and_merged_and_both_numbers_lead_to_the_one(desk, owner):
    enter_order(desk, owner, draft(("PT-14", 1)))
    other = replace(ADA, mail="ada@home.example")
    enter_order(desk, owner, replace(draft(("PT-14", 1)), ship_to=other))
    with desk.database.reading() as session:
        found = doubles_of(session, customer_by_number(session, "K-1001"))
        assert [row.number for row in found] == ["K-1002"]
    assert merge_customers(desk, owner, "K-1001", "K-1002") == 1
    with desk.database.reading() as session:
        assert customer_by_number(session, "K-1002").number == "K-1001"
        assert [(row.number, row.orders) for row in customer_page(session)] == [("K-1001", 2)]
    with pytest.raises(Refused):
        merge_customers(desk, owner, "K-1001", "K-1002")


def test_a_person_is_forgotten_and_the_books_stay(desk, owner):
    change_firm(desk, owner, FIRM)
    work = DraftLine("", 1, "Workshop", 5000)
    done = enter_order(desk, owner, draft(work)).number
    invoice_orders(desk, owner, [done])
    waiting = enter_order(desk, owner, draft(("PT-14", 1))).number
    with pytest.raises(Refused) as refused:
        forget_customer(desk, owner, "K-1001")
    assert waiting in refused.value.first.message
    cancel_orders(desk, owner, [waiting])
    assert forget_customer(desk, owner, "K-1001") == 2
    assert one(desk, done).customer == "Forgotten"
    assert invoice_paper(desk, "I-1001").buyer["name"] == "Ada Fennimore"
    with desk.database.reading() as session:
        assert customer_by_number(session, "K-1001").mail == ""
        assert addresses_of(session, customer_by_number(session, "K-1001").id) == []
    with pytest.raises(Refused):
        save_customer(desk, owner, {"name": "Ada"}, "K-1001")
    assert_sound(desk)


@pytest.mark.parametrize(
    ("wish", "code"),
    [
        ({"name": " "}, "missing"),
        ({"name": "n" * 201}, "too-long"),
        ({"name": "Eve", "mail": "nowhere"}, "form"),
        ({"name": "Eve", "mail": "Ada@Example.com"}, "taken"),
    ],
)
def test_a_customer_that_cannot_be_is_refused(desk, owner, wish, code):
    save_customer(desk, owner, {"name": "Ada", "mail": "ada@example.com"})
    with pytest.raises(Refused) as refused:
        save_customer(desk, owner, wish)
    assert code in codes(refused)


def test_a_customer_keeps_telephone_numbers_in_one_form(desk, owner):
    bill_to = {**ADA.as_dict()}
    number = save_customer(
        desk, owner, {"name": "Ada", "phone": "020 794 1234", "bill_to": bill_to}
    )
    with desk.database.reading() as session:
        assert customer_by_number(session, number).phone == "+31207941234"


def test_the_telephone_number_of_an_order_is_kept_in_one_form_and_known_of_a_new_customer(
    desk, owner
):
    to = replace(ADA, phone="020 794 1234", mail="new@example.com")
    number = enter_order(desk, owner, OrderDraft(ship_to=to, lines=(DraftLine("PT-14", 1),))).number
    with desk.database.reading() as session:
        order = order_by_number(session, number)
        assert order.ship_to["phone"] == "+31207941234"
        assert customer_by_mail(session, to.mail).phone == "+31207941234"
        customer = customer_by_mail(session, to.mail)
        assert len(addresses_of(session, customer.id)) == 1
    add_customer_address(desk, owner, customer.number, replace(to, phone="020 794 5555"))
    with desk.database.reading() as session:
        (address,) = addresses_of(session, customer.id)
        assert address.address["phone"] == "+31207945555", "the place is the same"
    change_address(desk, owner, number, replace(to, phone="020 794 9999"))
    with desk.database.reading() as session:
        assert order_by_number(session, number).ship_to["phone"] == "+31207949999"


@pytest.mark.parametrize(
    ("number", "country", "written"),
    [
        ("+31 20 794 1234", "", "+31207941234"),
        ("01 679 1234", "IE", "+35316791234"),
        ("call me", "IE", "call me"),
        ("", "IE", ""),
    ],
)
def test_a_telephone_number_is_written_as_the_standard_says(number, country, written):
    assert written_phone(number, country) == written


@pytest.mark.parametrize(
    ("change", "fields"),
    [
        ({}, []),
        ({"postcode": ""}, ["postcode"]),
        ({"country": "IE", "postcode": "D04 K7K2"}, []),
        ({"country": "US", "postcode": "ABC"}, ["postcode"]),
        ({"country": "XX"}, ["country"]),
        ({"street": "", "town": ""}, ["street", "town"]),
    ],
)
def test_an_address_is_checked_by_the_rules_of_its_country(change, fields):
    assert sorted(one.field for one in check_written_address(replace(ADA, **change))) == fields


def test_an_address_is_added_once(desk, owner):
    number = save_customer(desk, owner, {"name": "Ada"})
    for _ in range(2):
        add_customer_address(desk, owner, number, ADA)
    with desk.database.reading() as session:
        assert len(addresses_of(session, customer_by_number(session, number).id)) == 1


def test_who_may_not_change_orders_enters_none(desk, picker):
    with pytest.raises(NotAllowed):
        enter_order(desk, picker, draft(("PT-14", 1)))
    with pytest.raises(NotAllowed):
        save_customer(desk, picker, {"name": "Ada"})


def test_a_draft_is_the_same_after_it_was_kept(desk):
    wish = draft(DraftLine("PT-14", 2, "Pot", 5, 1), last_day=last_day(desk), overridden={"x": "y"})
    assert read_draft(wish.as_dict()) == wish


def test_an_order_leaves_from_the_one_warehouse_that_was_chosen_or_waits(desk, owner):
    there = enter_order(desk, owner, draft(("PT-14", 2), warehouse="Millrace"))
    assert taken(desk, there)[1] == ["millrace"]
    waits = enter_order(desk, owner, draft(("PT-14", 2), warehouse="yard"), strict=False)
    assert taken(desk, waits)[1] == []
    assert "more-than-free" in [one.code for one in waits.warnings]
    assert_sound(desk)


def test_an_order_names_its_salesperson_and_an_unknown_one_is_refused(desk, owner, picker):
    with desk.database.reading() as session:
        login = person_by_id(session, picker.person_id).login
    sold, _ = taken(desk, enter_order(desk, owner, draft(("PT-14", 1), salesperson=login)))
    assert sold.salesperson_id == picker.person_id
    with pytest.raises(Refused) as refused:
        enter_order(desk, owner, draft(("PT-14", 1), salesperson="nobody", warehouse="nowhere"))
    assert [one.field for one in refused.value.refusals] == ["salesperson", "warehouse"]
