"""Sale prices: planned for a window that opens and closes without anybody doing it."""

from dataclasses import dataclass
from datetime import datetime

from relvan.core.people.roles import Right
from relvan.core.prices.sales import SALE_OF, SalePrice, SaleState, check_sale, kept_sale
from relvan.core.refusal import not_found, refuse_if_any
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.uncollected import uncollected
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.database import after_commit
from relvan.store.facts import variant_ids
from relvan.store.listings import list_prices
from relvan.store.prices import next_turning, price_list_by_key, sale_windows, turning_sales
from relvan.store.session import Session
from relvan.store.tables import PriceList, SaleWindow

AT_ONCE = 500


@dataclass(frozen=True)
class PlanSale:
    """A sale price that is to be planned: minor units of the list's currency, from a moment (now
    when it is past) until another."""

    sku: str
    price_list: str
    amount: int
    since: datetime
    until: datetime


def plan_sale(workplace: Workplace, actor: Actor, wish: PlanSale) -> int:
    """Plans a sale price; it holds at once when its window is open. Planned again in the same way,
    it stays one."""
    actor.must(Right.PRICES)
    now = workplace.now()
    with workplace.database.writing() as session:
        product = find_product(session, wish.sku)
        price_list = price_list_by_key(session, wish.price_list)
        sale = SalePrice(wish.amount, wish.since, wish.until)
        there = sale_windows(session, product.id, price_list.id)
        for row in there:
            if (row.amount, row.since, row.until) == (
                sale.amount,
                sale.since,
                sale.until,
            ) and row.state != SaleState.OVER:
                return row.id
        regular = list_prices(session, [product.id]).get((price_list.id, product.id))
        others = [
            SalePrice(row.amount, row.since, row.until)
            for row in there
            if row.state != SaleState.OVER
        ]
        refuse_if_any(check_sale(sale, regular, others, now))
        row = SaleWindow(
            price_list_id=price_list.id,
            product_id=product.id,
            amount=sale.amount,
            since=sale.since,
            until=sale.until,
            state=SaleState.RUNNING if sale.holds_at(now) else SaleState.PLANNED,
            made_at=now,
        )
        session.add(row)
        session.flush()
        changes = {f"{SALE_OF}{price_list.key}": (None, kept_sale(sale))}
        audit.record(session, actor, now, audit.Subject("product", product.id), "changed", changes)
        after_commit(session, lambda: workplace.wake(Work.SALES, 0))
        if row.state == SaleState.RUNNING:
            _follow(session, workplace, [product.id], f"sale price planned by {actor.name}")
        return row.id


def end_sale(workplace: Workplace, actor: Actor, window_id: int) -> None:
    """Ends a sale price before its time, or cancels one that was planned; ended twice, it stays
    ended."""
    actor.must(Right.PRICES)
    with workplace.database.writing() as session:
        row = session.get(SaleWindow, window_id)
        if row is None:
            raise not_found("sale price", window_id)
        if row.state == SaleState.OVER:
            return
        running, now = row.state == SaleState.RUNNING, workplace.now()
        before = kept_sale(SalePrice(row.amount, row.since, row.until))
        row.state = SaleState.OVER
        if running and row.since < now < row.until:
            row.until = now
        price_list = session.get_one(PriceList, row.price_list_id)
        changes = {f"{SALE_OF}{price_list.key}": (before, None)}
        audit.record(
            session, actor, now, audit.Subject("product", row.product_id), "changed", changes
        )
        session.flush()
        if running:
            _follow(session, workplace, [row.product_id], f"sale price ended by {actor.name}")


def turn_sales(workplace: Workplace) -> int:
    """Starts and ends the sale prices whose time has come; returns how many. The worker calls it
    again and again."""
    now = workplace.now()
    with workplace.database.reading() as session:
        if not turning_sales(session, now, limit=1):
            return 0
    with workplace.database.writing() as session, uncollected():
        rows = turning_sales(session, now, limit=AT_ONCE)
        for row in rows:
            row.state = SaleState.OVER if row.until <= now else SaleState.RUNNING
        _follow(session, workplace, [row.product_id for row in rows], "a sale price starts or ends")
        return len(rows)


def next_turn_s(workplace: Workplace) -> float | None:
    """Returns the seconds until the next sale price starts or ends; None when there is none."""
    with workplace.database.reading() as session:
        moment = next_turning(session)
    return None if moment is None else max(0.0, (moment - workplace.now()).total_seconds())


def _follow(session: Session, workplace: Workplace, product_ids: list[int], cause: str) -> None:
    session.flush()
    concerned = {*product_ids, *variant_ids(session, product_ids)}
    changes_of(session).products_changed(concerned, cause)
