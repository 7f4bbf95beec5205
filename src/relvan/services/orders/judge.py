"""Judges orders and estimates that a person enters: prices by precedence with their why, margins, and
warnings. Nothing is changed.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductKind
from relvan.core.orders.by_hand import (
    OrderMargin,
    OrderWarning,
    PricedLine,
    PriceSource,
    TypedLine,
    open_warnings,
    order_margin_of,
    price_of_line,
    warnings_of,
)
from relvan.core.orders.draft import DraftLine, OrderDraft, check_draft, with_discount_spread
from relvan.core.orders.intake import Address, check_receiver
from relvan.core.orders.invoicing import Billable, delivery_lines, line_of, sums_of
from relvan.core.orders.tax_case import TaxCase, rates_in, tax_case
from relvan.core.refusal import Refusal, Refused
from relvan.core.why import Why
from relvan.services.orders.addresses import check_written_address, with_written_phone
from relvan.services.orders.lines import is_stocked
from relvan.services.workplace import Workplace
from relvan.store.catalogue import products_by_code
from relvan.store.customers import (
    breaks_of,
    customer_by_mail,
    customer_by_number,
    lists_in,
    own_prices,
)
from relvan.store.listings import list_prices
from relvan.store.order_lines import expected_days, products_for_sale
from relvan.store.people import person_by_login
from relvan.store.session import Session
from relvan.store.stock import balances_of, warehouse_by_key
from relvan.store.tables import Customer, Product

OWN_PRICE = "Price of their own"


@dataclass(frozen=True)
class JudgedLine:
    """A line of a draft with what is known of it: the product if it is one, the price that holds and
    the one that was proposed with its why, and how it is judged."""

    line: DraftLine
    product: Product | None
    title: str
    tax_code: str
    proposed: PricedLine
    typed: TypedLine


@dataclass(frozen=True)
class JudgedDraft:
    """A draft with its lines judged: how it is taxed, its currency, what is warned of, what keeps it
    from being saved, and its sums in minor units. The margin is for people inside only."""

    draft: OrderDraft
    customer: Customer | None
    case: TaxCase
    currency: str
    lines: Sequence[JudgedLine]
    warnings: Sequence[OrderWarning]
    refusals: Sequence[Refusal]
    margin: OrderMargin
    tax: int
    total: int
    salesperson_id: int | None = None
    warehouse_id: int | None = None

    @property
    def open_warnings(self) -> list[OrderWarning]:
        """The warnings for which no reason was given."""
        return open_warnings(self.warnings, self.draft.overridden)


def judge_draft(workplace: Workplace, draft: OrderDraft) -> JudgedDraft:
    """Judges a draft; nothing is changed."""
    with workplace.database.reading() as session:
        return judge_in(session, workplace, draft)


def judge_in(session: Session, workplace: Workplace, draft: OrderDraft) -> JudgedDraft:
    """Judges a draft inside a session."""
    draft = replace(draft, ship_to=with_written_phone(draft.ship_to))
    refusals = [*check_draft(draft), *check_receiver(draft.ship_to)]
    customer = _customer(session, draft, refusals)
    number = customer.tax_number if customer else ""
    country = draft.ship_to.country or workplace.tax.home
    case = tax_case(workplace.tax, country, number=number)
    currency = draft.currency or workplace.firm.currency
    lines = _judge_lines(session, workplace, replace(draft, currency=currency), customer, case)
    found = [line.typed for line in lines]
    for line in lines:
        if line.product is None and line.line.sku and not line.line.title:
            message = f"There is no product “{line.line.sku}”."
            fix = "Correct the SKU; or type words and a price for what is no product."
            refusals.append(Refusal("not-found", message, fix, "lines"))
        elif line.proposed.price is None and line.line.unit_price is None:
            message = f"“{line.line.sku or line.title}” has no price in {currency}."
            refusals.append(Refusal("no-price", message, "Type the price of one.", "lines"))
    discounts, wrong = with_discount_spread(draft, tuple(line.unit_price for line in found))
    refusals += wrong
    if discounts:
        found = [replace(one, discount=part) for one, part in zip(found, discounts, strict=True)]
        lines = [replace(one, typed=two) for one, two in zip(lines, found, strict=True)]
    tax, total = _sums(draft, lines)
    salesperson_id, warehouse_id = _chosen(session, draft, refusals)
    today = workplace.local_now().date()
    return JudgedDraft(
        draft,
        customer,
        case,
        currency,
        lines,
        [*_of_address(draft.ship_to), *warnings_of(found, draft.promised, today)],
        refusals,
        order_margin_of(found),
        tax,
        total,
        salesperson_id,
        warehouse_id,
    )


def _of_address(address: Address) -> list[OrderWarning]:
    """Returns a warning where an address is not as it is written in its country."""
    faults = [] if check_receiver(address) else check_written_address(address)
    return [OrderWarning("address", 0, one.message) for one in faults[:1]]


def _customer(session: Session, draft: OrderDraft, refusals: list[Refusal]) -> Customer | None:
    if not draft.customer:
        return customer_by_mail(session, draft.mail) if draft.mail else None
    try:
        return customer_by_number(session, draft.customer)
    except Refused as refused:
        refusals.append(replace(refused.first, field="customer"))
        return None


def _chosen(
    session: Session, draft: OrderDraft, refusals: list[Refusal]
) -> tuple[int | None, int | None]:
    """Returns the ids of the salesperson and of the only warehouse that a draft names."""
    seller = person_by_login(session, draft.salesperson) if draft.salesperson else None
    if draft.salesperson and seller is None:
        message = f"Nobody who works here signs in as “{draft.salesperson[:60]}”."
        refusals.append(Refusal("not-found", message, "Choose somebody.", "salesperson"))
    return seller.id if seller else None, _warehouse(session, draft, refusals)


def _warehouse(session: Session, draft: OrderDraft, refusals: list[Refusal]) -> int | None:
    if not draft.warehouse:
        return None
    try:
        return warehouse_by_key(session, draft.warehouse).id
    except Refused as refused:
        refusals.append(replace(refused.first, field="warehouse"))
        return None


def _judge_lines(
    session: Session,
    workplace: Workplace,
    draft: OrderDraft,
    customer: Customer | None,
    case: TaxCase,
) -> list[JudgedLine]:
    known = products_by_code(session, [line.sku for line in draft.lines if line.sku])
    ids = [product_id for product_id, _, _ in known.values()]
    products = products_for_sale(session, ids)
    rates = rates_in(workplace.tax, case, workplace.local_now().date())
    sources = price_sources(session, draft.currency, customer, ids)
    free = _free(session, products, _warehouse(session, draft, []))
    days = expected_days(session, ids)
    found = []
    for line in draft.lines:
        product_id, _, tax_code = known.get(sku_key(line.sku), (0, "", ""))
        product = products.get(product_id)
        percent = rates.get(tax_code or "standard", Decimal(0))
        own, lists = sources(product_id) if product else (None, [])
        proposed = (
            price_of_line(
                line.quantity, percent, own=own, lists=lists, with_tax=draft.prices_with_tax
            )
            if product
            else PricedLine(None, Why())
        )
        price = line.unit_price if line.unit_price is not None else proposed.price or 0
        typed = TypedLine(
            product.sku if product else line.sku or line.title,
            line.quantity,
            price,
            line.discount,
            percent,
            draft.prices_with_tax,
            product.cost if product else None,
            product.floor if product else None,
            product.case_quantity if product else None,
            free.get(product_id),
            days.get(product_id),
        )
        title = line.title or (product.title if product else line.sku)
        found.append(JudgedLine(line, product, title, tax_code or "standard", proposed, typed))
    return found


def price_sources(session: Session, currency: str, customer: Customer | None, ids: Sequence[int]):  # type: ignore[no-untyped-def]
    """Returns a function that gives the own price and the price lists of a product."""
    lists = lists_in(session, currency, customer.price_list_id if customer else None)
    prices = list_prices(session, ids)
    breaks = breaks_of(session, [row.id for row in lists], ids)
    own = own_prices(session, customer.id, ids, currency) if customer else {}

    def of(product_id: int) -> tuple[PriceSource | None, list[PriceSource]]:
        row = own.get(product_id)
        mine = PriceSource(OWN_PRICE, row.with_tax, row.amount) if row else None
        return mine, [
            PriceSource(
                one.name,
                one.tax_inside,
                prices.get((one.id, product_id)),
                tuple(breaks.get((one.id, product_id), ())),
            )
            for one in lists
        ]

    return of


def _free(
    session: Session, products: Mapping[int, Product], only: int | None = None
) -> dict[int, int]:
    """Returns the free units of stocked products that are no kits, everywhere or in one warehouse."""
    single = [
        product_id
        for product_id, product in products.items()
        if is_stocked(product.kind) and product.kind != ProductKind.KIT
    ]
    balances = balances_of(session, single)
    return {
        product_id: sum(
            balance.free
            for warehouse_id, balance in balances.get(product_id, {}).items()
            if only in (None, warehouse_id)
        )
        for product_id in single
    }


def _sums(draft: OrderDraft, lines: Sequence[JudgedLine]) -> tuple[int, int]:
    """Returns the tax and what is payable, in minor units."""
    with_tax = draft.prices_with_tax
    billed = [
        line_of(
            Billable(
                place,
                line.typed.sku,
                line.title,
                line.typed.quantity,
                0,
                line.typed.unit_price,
                min(line.typed.discount, line.typed.unit_price * line.typed.quantity),
                line.typed.percent,
                with_tax,
            ),
            line.typed.quantity,
        )
        for place, line in enumerate(lines)
        if line.typed.quantity > 0
    ]
    charge = delivery_lines(draft.delivery, billed, "Delivery", with_tax=with_tax)
    sums = sums_of([*billed, *charge], with_tax=with_tax)
    return sums.tax, sums.payable
