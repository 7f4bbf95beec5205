"""Tests that invoices, estimates and manifests are printed in the seller's own layout, also with their data
inside, and that the layout of the customer's language is taken."""

import io
from datetime import timedelta

import pytest
import zxingcpp
from pypdf import PdfReader
from pypdfium2 import PdfDocument

from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.intake import Address
from relvan.core.papers.layouts import PaperKind, lay_out
from relvan.core.papers.starts import STARTS, TOPICS
from relvan.core.refusal import NotFound, Refused
from relvan.services.mail.papers import files_of
from relvan.services.orders.estimates import enter_estimate
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.own_papers import printed_estimate, printed_invoice
from relvan.services.orders.papers import invoice_paper
from relvan.services.setup.firm import change_firm
from relvan.services.shipping.layouts import LayoutWish, add_layout, preview_layout
from relvan.store.invoices import invoices_of_order
from relvan.store.layouts import layout_for
from tests.house import add_pot
from tests.snapshots import built_once
from tests.steps.books import FIRM
from tests.steps.orders import take
from tests.steps.sale import send


@built_once
def shop(workplace, owner):
    """Builds an order that was sent and invoiced."""
    change_firm(workplace, owner, FIRM)
    add_pot(workplace, owner, "PT-14", units=9)
    take(workplace, owner, ("PT-14", 2))
    send(workplace, owner, "O-1001")
    (verdict,) = invoice_orders(workplace, owner, ["O-1001"])
    assert verdict.ok, verdict
    return workplace


def number_of(shop):
    with shop.database.reading() as session:
        return invoices_of_order(session, 1)[0].number


def text_of(pdf):
    return PdfDocument(pdf)[0].get_textpage().get_text_range()


def codes_on(pdf):
    image = PdfDocument(pdf)[0].render(scale=3).to_pil()
    return {found.text for found in zxingcpp.read_barcodes(image)}


def own(shop, owner, kind, body="", **more):
    return add_layout(shop, owner, kind, LayoutWish(name=f"Our {kind}", body=body, **more))


def test_an_invoice_is_printed_in_the_layout_in_use_with_its_data_inside(shop, owner):
    paper = invoice_paper(shop, number_of(shop))
    usual = printed_invoice(shop, paper)
    own(shop, owner, "invoice", "<h1>Ours {{ paper.number }}</h1>{{ barcode.number }}")
    ours = printed_invoice(shop, paper, hybrid=True)
    assert "Ours" not in text_of(usual)
    assert f"Ours {paper.number}" in text_of(ours)
    assert codes_on(ours) == {paper.number}
    (name,) = PdfReader(io.BytesIO(ours)).attachments
    assert name.endswith(".xml")
    (file,) = files_of(shop, [["invoice", paper.number]])
    assert "Ours" in text_of(file.content)


@pytest.mark.parametrize("kind", list(PaperKind))
def test_every_kind_begins_with_a_text_that_names_only_places_that_there_are(kind):
    many = ("lines", "picks", "rates", "parcels", "left")
    values = {
        topic: [dict.fromkeys(names, "x")] if topic in many else dict.fromkeys(names, "x")
        for topic, names in TOPICS[kind].items()
    }
    assert lay_out(STARTS[kind][1], values).missing == ()


def test_what_begins_as_the_usual_invoice_says_all_of_it(shop, owner):
    own(shop, owner, "invoice")
    text = text_of(printed_invoice(shop, invoice_paper(shop, number_of(shop))))
    for words in ("PT-14", "Net at", "To be paid by", number_of(shop), "Quillmoss"):
        assert words in text, (words, text)


def test_the_layout_of_the_customers_language_is_taken(shop, owner):
    general = own(shop, owner, "packing slip")
    german = own(shop, owner, "packing slip", language="de")
    hagglet = own(shop, owner, "packing slip", language="nl")
    with shop.database.reading() as session:
        found = [
            layout_for(session, "packing slip", "", languages).id
            for languages in ((), ("de", "en"), ("fr", "nl", "de"), ("fr",))
        ]
    assert found == [general, german, hagglet, general]
    with pytest.raises(Refused, match="is not the code of a language"):
        own(shop, owner, "packing slip", language="xx")


def test_a_preview_is_over_a_real_invoice(shop, owner):
    found = preview_layout(shop, "invoice", "{{ paper.number }} {{ paper.colour }}", 1)
    assert number_of(shop) in found.html
    assert found.missing == ("paper.colour",)
    for kind in ("invoice", "estimate", "manifest"):
        with pytest.raises(NotFound):
            preview_layout(shop, kind, "x", 99)


def test_an_estimate_is_printed_in_the_layout_in_use(shop, owner):
    line = DraftLine("PT-14", quantity=3)
    buyer = Address("Ada", "1 Row", "Graz", "8010", "AT", "ada@example.com")
    last = shop.local_now().date() + timedelta(days=14)
    draft = OrderDraft(mail=buyer.mail, ship_to=buyer, lines=(line,), last_day=last)
    number = enter_estimate(shop, owner, draft).number
    own(
        shop,
        owner,
        "estimate",
        "<h1>Für Sie: {{ paper.number }}</h1>{{ barcode.link }}",
        language="de",
    )
    ours = printed_estimate(shop, number)
    assert f"Für Sie: {number}" in text_of(ours)
    assert codes_on(ours).pop().endswith("/e/") is False
    (file,) = files_of(shop, [["estimate", number]])
    assert "Für Sie" in text_of(file.content)
    found = preview_layout(shop, "estimate", "{{ payment.total }}", 1)
    assert "€50.70" in found.html
