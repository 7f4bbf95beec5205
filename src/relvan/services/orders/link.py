"""Links order lines whose product is unknown; one link repairs all lines with the same code."""

from relvan.core.catalogue.product import ProductKind
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.orders.lines import add_parts, is_stocked, kits_among
from relvan.services.orders.reserve import reserve_in
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.order_lines import orders_by_id, unlinked_lines


def link_lines(workplace: Workplace, actor: Actor, line_sku: str, sku: str) -> list[str]:
    """Says which product an unknown code on order lines means; returns the numbers of the orders
    that were repaired."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        if product.kind == ProductKind.FAMILY:
            raise refuse(
                "family",
                f"“{product.sku}” is a family, which is never sold.",
                "Name a variant of it.",
                "sku",
            )
        lines = unlinked_lines(session, line_sku)
        for line in lines:
            line.product_id, line.stocked = product.id, is_stocked(product.kind)
        session.flush()
        add_parts(session, lines, kits_among([product]))
        numbers = []
        for order in orders_by_id(session, {line.order_id for line in lines}):
            changes = {"product": (line_sku, product.sku)}
            audit.record(
                session,
                actor,
                workplace.now(),
                audit.Subject("order", order.id),
                "line linked",
                changes,
            )
            if not order.cancelled_at:
                reserve_in(session, workplace, actor, order)
            numbers.append(order.number)
        return numbers
