"""Writes an invoice or a credit note as UBL 2.1 that meets EN 16931.

Source: OASIS Universal Business Language 2.1, and the binding of EN 16931 to it (CEN/TS 16931-3-2).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from lxml import etree

from relvan.core.money import as_decimal

CBC = "urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"
CAC = "urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
ROOTS = {
    "invoice": "urn:oasis:names:specification:ubl:schema:xsd:Invoice-2",
    "credit": "urn:oasis:names:specification:ubl:schema:xsd:CreditNote-2",
}
CODES = {"invoice": "380", "credit": "381"}  # UNTDID 1001
EN_16931 = "urn:cen.eu:en16931:2017"
OUTSIDE = "O"  # UNTDID 5305: not subject to tax
PIECE = "C62"  # UN/ECE Recommendation 20: one
DELIVERY_CHARGE = "FC"  # UNTDID 7161: freight charge
MOST_DECIMALS = Decimal("0.00000001")


@dataclass(frozen=True)
class BilledLine:
    """A line of goods: units, the net amount in minor units, and its rate with its category."""

    position: int
    sku: str
    title: str
    quantity: int
    unit_price: int
    discount: int
    net: int
    paid: int
    percent: Decimal
    category: str


@dataclass(frozen=True)
class PaperRate:
    """What stands under one rate: its category, the net amount and the tax in minor units."""

    percent: Decimal
    category: str
    net: int
    tax: int


@dataclass(frozen=True)
class InvoicePaper:
    """An invoice or credit note as it is written on paper and in files. Amounts are in minor units;
    `charges` are delivery charges, `exemption` and `words` say why no tax is owed, `prepaid` is what
    had been paid when it was issued."""

    kind: str
    number: str
    issued_on: str
    due_on: str
    supplied_on: str
    currency: str
    order: str
    corrects: str
    corrects_on: str
    reason: str
    seller: dict[str, Any]
    buyer: dict[str, Any]
    lines: Sequence[BilledLine]
    charges: Sequence[BilledLine]
    rates: Sequence[PaperRate]
    net: int
    tax: int
    total: int
    payable: int
    prepaid: int
    with_tax: bool
    exemption: str = ""
    words: str = ""

    @property
    def rounding(self) -> int:
        """What is added to the total to give what is paid."""
        return self.payable - self.total

    @property
    def due(self) -> int:
        """What is still to be paid."""
        return self.payable - self.prepaid


def ubl_of(paper: InvoicePaper) -> bytes:
    """Returns the invoice as an XML document in UTF-8."""
    root = etree.Element(
        etree.QName(ROOTS[paper.kind], "Invoice" if paper.kind == "invoice" else "CreditNote"),
        nsmap={None: ROOTS[paper.kind], "cac": CAC, "cbc": CBC},
    )
    _head(root, paper)
    _party(_sub(root, "AccountingSupplierParty"), paper.seller, paper.seller.get("vat_number", ""))
    _party(_sub(root, "AccountingCustomerParty"), paper.buyer, paper.buyer.get("tax_number", ""))
    _delivery(root, paper)
    if paper.kind == "invoice":
        _text(_sub(root, "PaymentTerms"), "Note", f"Payable until {paper.due_on}")
    for charge in paper.charges:
        _charge(root, charge, paper.currency)
    _taxes(root, paper)
    _totals(root, paper)
    for line in paper.lines:
        _line(root, line, paper)
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _head(root: Any, paper: InvoicePaper) -> None:
    _text(root, "CustomizationID", EN_16931)
    _text(root, "ID", paper.number)
    _text(root, "IssueDate", paper.issued_on)
    if paper.kind == "invoice":
        _text(root, "DueDate", paper.due_on)
        _text(root, "InvoiceTypeCode", CODES[paper.kind])
    else:
        _text(root, "CreditNoteTypeCode", CODES[paper.kind])
    if paper.reason:
        _text(root, "Note", paper.reason)
    _text(root, "DocumentCurrencyCode", paper.currency)
    _text(_sub(root, "OrderReference"), "ID", paper.order)
    if paper.corrects:
        before = _sub(_sub(root, "BillingReference"), "InvoiceDocumentReference")
        _text(before, "ID", paper.corrects)
        _text(before, "IssueDate", paper.corrects_on)


def _party(parent: Any, told: dict[str, Any], number: str) -> None:
    party = _sub(parent, "Party")
    if "vat_number" in told and not number:  # a seller without one needs another identifier
        _text(_sub(party, "PartyIdentification"), "ID", told.get("eori") or told["name"])
    _address(_sub(party, "PostalAddress"), told)
    if number:
        tax = _sub(party, "PartyTaxScheme")
        _text(tax, "CompanyID", number)
        _text(_sub(tax, "TaxScheme"), "ID", "VAT")
    legal = _sub(party, "PartyLegalEntity")
    _text(legal, "RegistrationName", told.get("name", "") or "unnamed")
    if told.get("eori"):
        _text(legal, "CompanyID", told["eori"])
    if told.get("mail"):
        _text(_sub(party, "Contact"), "ElectronicMail", told["mail"])


def _address(parent: Any, told: dict[str, Any]) -> None:
    for name, part in (("StreetName", "street"), ("CityName", "town"), ("PostalZone", "postcode")):
        if told.get(part):
            _text(parent, name, told[part])
    _text(_sub(parent, "Country"), "IdentificationCode", told.get("country", ""))


def _delivery(root: Any, paper: InvoicePaper) -> None:
    delivery = _sub(root, "Delivery")
    _text(delivery, "ActualDeliveryDate", paper.supplied_on)
    to = paper.buyer.get("ship_to") or paper.buyer
    _address(_sub(_sub(delivery, "DeliveryLocation"), "Address"), to)


def _charge(root: Any, charge: BilledLine, currency: str) -> None:
    element = _sub(root, "AllowanceCharge")
    _text(element, "ChargeIndicator", "true")
    _text(element, "AllowanceChargeReasonCode", DELIVERY_CHARGE)
    _text(element, "AllowanceChargeReason", charge.title)
    _money(element, "Amount", charge.net, currency)
    _category(_sub(element, "TaxCategory"), charge.category, charge.percent)


def _taxes(root: Any, paper: InvoicePaper) -> None:
    total = _sub(root, "TaxTotal")
    _money(total, "TaxAmount", paper.tax, paper.currency)
    for rate in paper.rates:
        part = _sub(total, "TaxSubtotal")
        _money(part, "TaxableAmount", rate.net, paper.currency)
        _money(part, "TaxAmount", rate.tax, paper.currency)
        category = _sub(part, "TaxCategory")
        _text(category, "ID", rate.category)
        if rate.category != OUTSIDE:
            _text(category, "Percent", str(rate.percent))
        if paper.exemption:
            _text(category, "TaxExemptionReasonCode", paper.exemption)
            _text(category, "TaxExemptionReason", paper.words)
        _text(_sub(category, "TaxScheme"), "ID", "VAT")


def _totals(root: Any, paper: InvoicePaper) -> None:
    charges = sum(charge.net for charge in paper.charges)
    totals = _sub(root, "LegalMonetaryTotal")
    for name, amount in (
        ("LineExtensionAmount", paper.net - charges),
        ("TaxExclusiveAmount", paper.net),
        ("TaxInclusiveAmount", paper.total),
    ):
        _money(totals, name, amount, paper.currency)
    if paper.charges:
        _money(totals, "ChargeTotalAmount", charges, paper.currency)
    if paper.prepaid:
        _money(totals, "PrepaidAmount", paper.prepaid, paper.currency)
    if paper.rounding:
        _money(totals, "PayableRoundingAmount", paper.rounding, paper.currency)
    _money(totals, "PayableAmount", paper.due, paper.currency)


def _line(root: Any, line: BilledLine, paper: InvoicePaper) -> None:
    is_invoice = paper.kind == "invoice"
    element = _sub(root, "InvoiceLine" if is_invoice else "CreditNoteLine")
    _text(element, "ID", str(line.position))
    quantity = _text(
        element, "InvoicedQuantity" if is_invoice else "CreditedQuantity", str(line.quantity)
    )
    quantity.set("unitCode", PIECE)
    _money(element, "LineExtensionAmount", line.net, paper.currency)
    item = _sub(element, "Item")
    _text(item, "Name", line.title or line.sku)
    if line.sku:
        _text(_sub(item, "SellersItemIdentification"), "ID", line.sku)
    _category(_sub(item, "ClassifiedTaxCategory"), line.category, line.percent)
    amount = _text(_sub(element, "Price"), "PriceAmount", str(_net_price(line, paper.currency)))
    amount.set("currencyID", paper.currency)


def _net_price(line: BilledLine, currency: str) -> Decimal:
    """Returns the net price of one, after discounts, as exactly as it can be written."""
    price = (as_decimal(line.net, currency) / line.quantity).quantize(MOST_DECIMALS, ROUND_HALF_UP)
    plain = price.quantize(as_decimal(0, currency))
    return plain if plain == price else price.normalize()


def _category(element: Any, category: str, percent: Decimal) -> None:
    _text(element, "ID", category)
    if category != OUTSIDE:
        _text(element, "Percent", str(percent))
    _text(_sub(element, "TaxScheme"), "ID", "VAT")


def _sub(parent: Any, name: str) -> Any:
    return etree.SubElement(parent, etree.QName(CAC, name))


def _text(parent: Any, name: str, text: str) -> Any:
    element = etree.SubElement(parent, etree.QName(CBC, name))
    element.text = text
    return element


def _money(parent: Any, name: str, amount: int, currency: str) -> None:
    element = _text(parent, name, str(as_decimal(amount, currency)))
    element.set("currencyID", currency)
