"""Sale prices: planned for a window, starting and ending by themselves."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from relvan.core.people.roles import Right
from relvan.core.prices.sales import SalePrice, check_sale
from relvan.core.refusal import not_found, refuse_if_any
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.listings.refresh import refresh_listings
from relvan.services.uncollected import uncollected
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.database import after_commit
from relvan.store.facts import variants_of
from relvan.store.listings import list_prices
from relvan.store.prices import next_turning, price_list_by_key, sale_windows, turning_sales
from relvan.store.tables import SaleWindow

AT_ONCE = 500


@dataclass(frozen=True)
class PlanSale:
    """A sale price to plan: minor units of the list's currency, from an instant (now when it is past) until another."""

    sku: str
    price_list: str
    amount: int
    since: datetime
    until: datetime


def plan_sale(workplace: Workplace, actor: Actor, wish: PlanSale) -> int:
    """Plan a sale price; one whose window is open holds at once. Planned a second time the same, it stays one."""
    actor.must(Right.PRICES)
    now = workplace.now()
    with workplace.database.writing() as session:
        product = find_product(session, wish.sku)
        price_list = price_list_by_key(session, wish.price_list)
        sale = SalePrice(wish.amount, wish.since, wish.until)
        there = sale_windows(session, product.id, price_list.id)
        for row in there:
            if (row.amount, row.since, row.until) == (sale.amount, sale.since, sale.until) and row.state != "over":
                return row.id
        regular = list_prices(session, [product.id]).get((price_list.id, product.id))
        others = [SalePrice(row.amount, row.since, row.until) for row in there if row.state != "over"]
        refuse_if_any(check_sale(sale, regular, others, now))
        row = SaleWindow(
            price_list_id=price_list.id, product_id=product.id, amount=sale.amount, since=sale.since, until=sale.until,
            state="running" if sale.holds_at(now) else "planned", made_at=now,
        )  # fmt: skip
        session.add(row)
        session.flush()
        changes = {f"sale {price_list.key}": (None, f"{sale.amount} {sale.words}")}
        audit.record(session, actor, now, "product", product.id, "changed", changes)
        after_commit(session, lambda: workplace.wake(Work.SALES, 0))
        if row.state == "running":
            _follow(session, workplace, [product.id], f"sale price planned by {actor.name}")
        return row.id


def end_sale(workplace: Workplace, actor: Actor, window_id: int) -> None:
    """End a sale price before its time, or take back one that was planned; ended twice, it stays ended."""
    actor.must(Right.PRICES)
    with workplace.database.writing() as session:
        row = session.get(SaleWindow, window_id)
        if row is None:
            raise not_found("sale price", window_id)
        if row.state == "over":
            return
        running, now = row.state == "running", workplace.now()
        row.state = "over"
        if running and row.since < now < row.until:
            row.until = now
        changes = {"sale": (row.amount, None)}
        audit.record(session, actor, now, "product", row.product_id, "changed", changes)
        session.flush()
        if running:
            _follow(session, workplace, [row.product_id], f"sale price ended by {actor.name}")


def turn_sales(workplace: Workplace) -> int:
    """Let sale prices start and end whose time has come; how many. Called again and again by the worker."""
    now = workplace.now()
    with workplace.database.reading() as session:
        if not turning_sales(session, now, limit=1):
            return 0
    with workplace.database.writing() as session, uncollected():
        rows = turning_sales(session, now, limit=AT_ONCE)
        for row in rows:
            row.state = "over" if row.until <= now else "running"
        _follow(session, workplace, [row.product_id for row in rows], "a sale price starts or ends")
        return len(rows)


def next_turn_s(workplace: Workplace) -> float | None:
    """Seconds until the next sale price starts or ends; none when none does."""
    with workplace.database.reading() as session:
        moment = next_turning(session)
    return None if moment is None else max(0.0, (moment - workplace.now()).total_seconds())


def _follow(session: Session, workplace: Workplace, product_ids: list[int], cause: str) -> None:
    session.flush()
    concerned = {*product_ids, *variants_of(session, product_ids)}
    refresh_listings(session, workplace, product_ids=concerned, cause=cause)
