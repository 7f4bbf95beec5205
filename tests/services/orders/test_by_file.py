"""Files of orders: rehearsed, taken as rehearsed, skipped when they come again, and undone as long as
nothing was done with an order."""

import csv
import io

import pytest

from relvan.core.orders.intake import Address, IncomingLine
from relvan.services.bulk.work import work_next
from relvan.services.imports.receive import NewFile, receive_file
from relvan.services.jobs.life import move_job
from relvan.services.orders.customers import save_customer
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.payments import release_payments
from relvan.services.orders.take import take_manual_order
from relvan.services.setup.firm import change_firm
from relvan.store.catalogue import find_product
from relvan.store.customers import addresses_of, customer_by_mail
from relvan.store.invoices import payments_of
from relvan.store.job_rows import job_verdicts
from relvan.store.orders import lines_of, numbers_by_reference, order_by_number
from tests.house import add_pot, assert_sound, every_row, stock_of_sku, work
from tests.steps.books import FIRM

HEAD = (
    "Order,Date,Mail,Name,Street,Town,Postcode,Country,SKU,Goods,Qty,Price,Tax of the line,Paid\n"
)
ADA = "ada@example.com,Ada Fennimore,12 Larkspur Row,Tarnhollow,1012 XK,NL"
BO = "bo@example.com,Bo Tarn,3 Mill Lane,Kestrow,1017 AB,Niederlande"
FAIR = (
    HEAD
    + f"F-1,7 Nov 2025,{ADA},PT-14,,2,16.90,,yes\n"
    + "F-1,,,,,,,,,Gift wrap,1,2.50,,\n"
    + f"F-2,8.11.2025,{BO},PT-14,,9,16.90,,10.00\n"
    + f"F-3,8.11.2025,{BO},NO-SUCH,Special pot,1,12.00,1.95,\n"
)


@pytest.fixture
def shop(workplace, owner):
    change_firm(workplace, owner, FIRM)
    add_pot(workplace, owner, "PT-14", units=5)
    return workplace


def bring(place, owner, text, **options):
    job = receive_file(place, owner, NewFile("orders", "fair.csv", text.encode()), options=options)
    work(place)
    return job


def apply(place, owner, job, event="apply"):
    move_job(place, owner, job, event)
    work(place)


def verdicts(place, job):
    with place.database.reading() as session:
        return {row.position: (row.verdict, row.reason) for row in job_verdicts(session, job)}


def taken(place, *references):
    with place.database.reading() as session:
        found = numbers_by_reference(session, references)
        return [
            order_by_number(session, found[one.casefold()])
            for one in references
            if one.casefold() in found
        ]


def test_a_rehearsal_changes_nothing_and_says_what_would_be_taken(shop, owner):
    before = {name: rows for name, rows in every_row(shop).items() if "bulk_job" not in name}
    job = bring(shop, owner, FAIR)
    after = {name: rows for name, rows in every_row(shop).items() if "bulk_job" not in name}
    assert after == before
    told = verdicts(shop, job)
    assert [verdict for verdict, _ in told.values()] == ["new"] * 4
    assert "“NO-SUCH” is no product" in told[5][1]
    assert "is 1.95; 2.00 is worked out" in told[5][1]


def test_rows_with_one_reference_are_one_order_with_customer_lines_and_payment(shop, owner):
    apply(shop, owner, bring(shop, owner, FAIR))
    first, second, third = taken(shop, "F-1", "F-2", "F-3")
    with shop.database.reading() as session:
        lines = lines_of(session, [first.id])[first.id]
        assert [(line.title, line.quantity, line.is_free) for line in lines] == [
            ("Pot PT-14", 2, False),
            ("Gift wrap", 1, True),
        ]
        assert (first.total, first.paid, first.fact_reserved) == (3630, 3630, "all")
        assert first.placed_at.date().isoformat() == "2025-11-07"
        bo = customer_by_mail(session, "bo@example.com")
        assert second.customer_id == third.customer_id == bo.id
        assert len(addresses_of(session, bo.id)) == 1
        assert (second.fact_reserved, second.paid, second.country) == ("none", 1000, "NL")
        (odd,) = lines_of(session, [third.id])[third.id]
        assert (odd.sku, odd.is_free, odd.tax, odd.tax_worked) == ("NO-SUCH", True, 195, 200)
    assert_sound(shop)


def test_a_customer_who_is_known_keeps_their_own_address(shop, owner):
    home = {"name": "Bo Tarn", "street": "1 Old Row", "town": "Kestrow", "country": "NL"}
    save_customer(shop, owner, {"name": "Bo", "mail": "BO@example.com", "bill_to": home})
    apply(shop, owner, bring(shop, owner, FAIR))
    (order,) = taken(shop, "F-2")
    with shop.database.reading() as session:
        bo = customer_by_mail(session, "bo@example.com")
        assert (bo.name, bo.bill_to["street"]) == ("Bo", "1 Old Row")
        assert (order.customer_id, order.ship_to["street"]) == (bo.id, "3 Mill Lane")
        assert order.bill_to["street"] == "1 Old Row"


def test_what_was_taken_before_is_skipped_and_named(shop, owner):
    apply(shop, owner, bring(shop, owner, FAIR))
    numbers = {order.reference: order.number for order in taken(shop, "F-1", "F-2")}
    job = bring(shop, owner, FAIR + f"F-4,8.11.2025,{ADA},PT-14,,1,16.90,,\n")
    told = verdicts(shop, job)
    assert [told[row][0] for row in (2, 3, 4, 6)] == ["same", "same", "same", "new"]
    assert numbers["F-1"] in told[2][1]
    apply(shop, owner, job)
    assert len(taken(shop, "F-1", "F-2", "F-3", "F-4")) == 4


def test_two_jobs_of_one_file_take_each_order_once(shop, owner):
    first, second = bring(shop, owner, FAIR), bring(shop, owner, FAIR)
    apply(shop, owner, first)
    apply(shop, owner, second)
    assert {verdict for verdict, _ in verdicts(shop, second).values()} == {"refused"}
    assert "taken meanwhile" in verdicts(shop, second)[2][1]
    assert_sound(shop)


def test_a_refused_row_refuses_its_order_and_no_other(shop, owner):
    job = bring(shop, owner, FAIR.replace("2.50", "two fifty"))
    told = verdicts(shop, job)
    assert [told[row][0] for row in (2, 3, 4, 5)] == ["refused", "refused", "new", "new"]
    assert told[2][1] == "It goes together with row 3, which is refused."
    apply(shop, owner, job)
    assert len(taken(shop, "F-1", "F-2", "F-3")) == 2


def test_undo_cancels_what_nothing_was_done_with_and_the_file_can_come_again(shop, owner):
    job = bring(shop, owner, FAIR)
    apply(shop, owner, job)
    first, second, third = taken(shop, "F-1", "F-2", "F-3")
    invoice_orders(shop, owner, [third.number])
    apply(shop, owner, job, "undo")
    told = verdicts(shop, job)
    assert [told[row][0] for row in (2, 3, 4, 5)] == [
        "taken back",
        "taken back",
        "taken back",
        "not taken back",
    ]
    assert f"{third.number} stays: it is invoiced." in told[5][1]
    with shop.database.reading() as session:
        gone = order_by_number(session, first.number)
        assert (gone.tray, gone.reference, gone.paid) == ("cancelled", "", 0)
        assert [row.state for row in payments_of(session, gone.id)] == ["void"]
        assert stock_of_sku(session, "PT-14")[0].reserved == 0
    assert_sound(shop)
    apply(shop, owner, bring(shop, owner, FAIR))
    assert [order.number != first.number for order in taken(shop, "F-1")] == [True]
    assert_sound(shop)


def test_provisional_payments_wait_and_the_tray_is_chosen(shop, owner):
    apply(shop, owner, bring(shop, owner, FAIR, payments="provisional", tray="short"))
    (order,) = taken(shop, "F-2")
    with shop.database.reading() as session:
        (payment,) = payments_of(session, order.id)
        assert (order.paid, payment.state, payment.amount) == (0, "provisional", 1000)
    release_payments(shop, owner, [payment.id])
    assert taken(shop, "F-2")[0].paid == 1000


def test_what_changes_after_the_rehearsal_is_said(shop, owner):
    job = bring(shop, owner, FAIR)
    add_pot(shop, owner, "NO-SUCH", units=1)
    apply(shop, owner, job)
    assert verdicts(shop, job)[5] == (
        "refused",
        "It has changed since: “NO-SUCH” is a product now. Rehearse the file again.",
    )


def test_a_job_that_is_killed_goes_on_and_takes_nothing_twice(shop, owner, monkeypatch):
    monkeypatch.setattr("relvan.services.bulk.order_files.AT_ONCE", 1)
    job = bring(shop, owner, FAIR)
    move_job(shop, owner, job, "apply")
    seen = iter([False, True])
    work_next(shop, stopped=lambda: next(seen, True))
    assert len(taken(shop, "F-1", "F-2", "F-3")) == 1
    work(shop)
    assert len(taken(shop, "F-1", "F-2", "F-3")) == 3
    assert_sound(shop)


def test_an_order_typed_by_hand_with_the_same_reference_is_left_alone(shop, owner):
    line = IncomingLine("", "PT-14", "PT-14", 1, 1690)
    to = Address("Ada", "1 Row", "Kestrow", "1012 XK", "NL")
    number = take_manual_order(shop, owner, (line,), to, paid=False)
    with shop.database.writing() as session:
        order_by_number(session, number).reference = "F-1"
    job = bring(shop, owner, FAIR)
    assert verdicts(shop, job)[2] == ("same", f"It was taken before, as {number}.")


def test_a_net_order_whose_tax_differs_is_invoiced_at_what_was_paid(shop, owner):
    text = HEAD.replace("Price,", "Net price,") + f"F-9,8.11.2025,{ADA},PT-14,,1,20.00,4.03,yes\n"
    apply(shop, owner, bring(shop, owner, text))
    (order,) = taken(shop, "F-9")
    assert (order.with_tax, order.total, order.paid) == (False, 2403, 2403)
    invoice_orders(shop, owner, [order.number])
    assert taken(shop, "F-9")[0].fact_invoiced == "all"
    assert_sound(shop)


def test_the_queries_do_not_grow_with_the_orders(shop, owner, count_queries):
    def file(first, count):
        out = io.StringIO()
        write = csv.writer(out)
        for n in range(first, first + count):
            write.writerow([f"G-{n}", "8.11.2025", *ADA.split(","), "PT-14", "", 1, "1.00", "", ""])
        return HEAD + out.getvalue()

    with shop.database.reading() as session:
        assert find_product(session, "PT-14")
    small = bring(shop, owner, file(0, 10))
    large = bring(shop, owner, file(100, 150))
    with count_queries(shop.database) as few:
        apply(shop, owner, small)
    with count_queries(shop.database) as many:
        apply(shop, owner, large)
    asked, before = (sum(one.startswith("SELECT") for one in seen) for seen in (many, few))
    assert asked <= before + 3
