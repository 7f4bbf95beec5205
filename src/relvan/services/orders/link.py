"""Links order lines whose product is unknown; one link repairs all lines like it, and the listing by
which they were bought.
"""

from dataclasses import dataclass

from relvan.core.catalogue.product import ProductKind
from relvan.core.listings.likeness import Goods, compare
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.services import audit
from relvan.services.listings.linking import link_finding
from relvan.services.orders.lines import add_parts, is_stocked, kits_among
from relvan.services.orders.reserve import reserve_in
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store import search
from relvan.store.catalogue import find_product
from relvan.store.findings import hints_of
from relvan.store.order_lines import (
    open_findings_of,
    orders_by_id,
    unlinked_lines,
    unlinked_of_listing,
)
from relvan.store.orders import lines_of, order_by_number
from relvan.store.session import Session
from relvan.store.tables import OrderLine

MOST_LIKELY = 3
LEAST_LIKE = 20
TRIED_WORDS, TRIED_PRODUCTS = 5, 40


@dataclass(frozen=True)
class LikelyProduct:
    """A product that an unknown line may mean, and how alike their words are (0 to 100)."""

    sku: str
    title: str
    percent: int


def likeliest(session: Session, line: OrderLine) -> list[LikelyProduct]:
    """Returns the products that an unknown line most likely means, by its words and its SKU."""
    said = f"{line.title} {line.sku}".replace(",", " ").replace("-", " ")
    words = sorted({word for word in said.split() if len(word) > 2}, key=len, reverse=True)
    ids: dict[int, None] = {}
    for word in words[:TRIED_WORDS]:
        ids |= dict.fromkeys(search.first_matches(session, word, TRIED_PRODUCTS))
    theirs = Goods(line.title, "", "")
    found = [
        LikelyProduct(product.sku, product.title, like.percent)
        for product in hints_of(session, list(ids))
        if product.kind != ProductKind.FAMILY
        and (like := compare(Goods(product.title, product.brand, product.gtin), theirs)).percent
        >= LEAST_LIKE
    ]
    return sorted(found, key=lambda one: (-one.percent, one.sku))[:MOST_LIKELY]


def link_lines(workplace: Workplace, actor: Actor, line_sku: str, sku: str) -> list[str]:
    """Says which product an unknown code on order lines means; returns the numbers of the orders
    that were repaired. The listings by which these lines were bought are linked too."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        numbers, findings = _link(session, workplace, actor, unlinked_lines(session, line_sku), sku)
    _link_listings(workplace, findings, sku)
    return numbers


def link_line(
    workplace: Workplace, actor: Actor, number: str, position: int, sku: str
) -> list[str]:
    """Says which product an unknown line of an order means; all lines with its code, or bought by
    the same listing, are linked too. Returns the numbers of the orders that were repaired.

    Raises:
        Refused: if the order has no such line, or it is known.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        order = order_by_number(session, number)
        mine = [line for line in unlinked_in(session, order.id) if line.position == position]
        if not mine:
            message = f"“{number}” has no unknown line {position}."
            raise refuse("not-found", message, "Load the order again.", "line")
        alike = {line.id: line for line in unlinked_lines(session, mine[0].sku)}
        if order.channel_id is not None:
            same = unlinked_of_listing(session, order.channel_id, mine[0].listing_ref)
            alike |= {line.id: line for line in same}
        alike |= {line.id: line for line in mine}
        numbers, findings = _link(session, workplace, actor, list(alike.values()), sku)
    _link_listings(workplace, findings, sku)
    return numbers


def unlinked_in(session: Session, order_id: int) -> list[OrderLine]:
    """Returns the unknown lines of an order."""
    return [line for line in lines_of(session, [order_id])[order_id] if not line.is_known]


def _link(
    session: Session, workplace: Workplace, actor: Actor, lines: list[OrderLine], sku: str
) -> tuple[list[str], list[int]]:
    """Links lines inside a transaction; returns the numbers of their orders, and the listings that
    are to be linked."""
    product = find_product(session, sku)
    if product.kind == ProductKind.FAMILY:
        message = f"“{product.sku}” is a family, which is never sold."
        raise refuse("family", message, "Name a variant of it.", "sku")
    findings = open_findings_of(session, lines)
    codes = {line.order_id: line.sku for line in lines}
    for line in lines:
        line.product_id, line.stocked = product.id, is_stocked(product.kind)
        line.sku = product.sku
    session.flush()
    add_parts(session, lines, kits_among([product]))
    numbers = []
    for order in orders_by_id(session, codes.keys()):
        changes = {"product": (codes[order.id], product.sku)}
        subject = audit.Subject("order", order.id)
        audit.record(session, actor, workplace.now(), subject, "line linked", changes)
        if not order.cancelled_at:
            reserve_in(session, workplace, actor, order)
        numbers.append(order.number)
    return numbers, findings


def _link_listings(workplace: Workplace, findings: list[int], sku: str) -> None:
    """Links the listings by which lines were bought, as far as that is possible: one of a product
    that is listed there already stays for somebody to look at."""
    for finding_id in findings:
        try:
            link_finding(workplace, SYSTEM, finding_id, sku)
        except Refused:
            continue
