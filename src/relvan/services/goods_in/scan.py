"""Goods in by scanner: a code is the number of a return, goods, a number of units, or a bin. Goods are in
the hand until their bin is scanned; only then anything is written, once under its key.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from relvan.core.orders.returns import ReturnState, ReturnTo
from relvan.core.people.roles import Right
from relvan.core.refusal import NotFound, refuse, refuse_if_any
from relvan.core.stock.movements import MOST_UNITS
from relvan.core.stock.putting_away import PutAway, put_away, said_of_units
from relvan.core.stock.use_by import check_use_by, read_gs1
from relvan.services.orders.returns import ArrivedGoods, receive_return
from relvan.services.stock.coming import ReceiveGoods, receive_goods
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import ids_by_scan
from relvan.store.coming import open_receipts
from relvan.store.orders import lines_of
from relvan.store.pictures import pictures_on
from relvan.store.returns import find_return, lines_of_return, return_by_number
from relvan.store.session import Session
from relvan.store.shelves import shelves_for
from relvan.store.stock import find_bin, warehouse_by_key
from relvan.store.tables import Product

MOST_DIGITS = 5  # of a number of units; a longer one is a code


@dataclass(frozen=True)
class Hand:
    """What somebody at goods in has in the hand: goods by SKU, how many, the key under which they are
    received once, the number of the return to which they belong (empty for other goods), where goods of a
    return go, and the day (ISO 8601) by which they must be used, or empty."""

    warehouse: str
    sku: str = ""
    units: int = 0
    key: str = ""
    back: str = ""
    to: ReturnTo = ReturnTo.STOCK
    use_by: str = ""

    def told_by(self, code: str, today: date) -> "Hand":
        """Returns the hand with the use-by date that a GS1 code names.

        Raises:
            Refused: if the goods in the hand expire on another day.
        """
        told = read_gs1(code, today)
        if told is None or told.use_by is None:
            return self
        day = told.use_by.isoformat()
        if self.sku and self.use_by not in ("", day):
            message = f"These expire on {day}, those in the hand on {self.use_by}."
            raise refuse("other-date", message, "Put away what is in the hand first.", "code")
        return replace(self, use_by=day)


@dataclass(frozen=True)
class GoodsShown:
    """Goods in the hand as they are shown: what is said of their number, whether that needs a look, and
    the bins that are proposed."""

    sku: str
    title: str
    picture: str
    said: str
    look: bool
    bins: tuple[PutAway, ...]


@dataclass(frozen=True)
class GoodsScanned:
    """What a scan led to: the hand as it is now, its goods, what was done, and the receipts of which
    something is still expected."""

    hand: Hand
    goods: GoodsShown | None = None
    done: str = ""
    open_receipts: tuple[int, ...] = ()


def scan_goods(workplace: Workplace, actor: Actor, hand: Hand, code: str) -> GoodsScanned:
    """Takes a scan at goods in.

    Raises:
        Refused: if the code means nothing here, or other goods while some are in the hand.
    """
    actor.must(Right.STOCK)
    code = code.strip()
    hand = hand.told_by(code, workplace.local_now().date())
    refuse_if_any(check_use_by(hand.use_by))
    with workplace.database.reading() as session:
        warehouse_by_key(session, hand.warehouse)
        if not hand.sku:
            return _begin(session, workplace, hand, code)
        product = _product(session, code)
        if product is not None:
            return _one_more(session, hand, product)
        if code.isascii() and code.isdigit() and len(code) <= MOST_DIGITS:
            return _counted(session, hand, int(code))
        shelf = _bin(session, hand.warehouse, code)
    return _receive(workplace, actor, hand, shelf)


def _begin(session: Session, workplace: Workplace, hand: Hand, code: str) -> GoodsScanned:
    back = find_return(session, code)
    if back is not None:
        if back.state not in (ReturnState.EXPECTED, ReturnState.RECEIVED):
            raise refuse("wrong-state", f"“{back.number}” is {back.state}.", "Note a new return.")
        return GoodsScanned(replace(hand, back=back.number), None, f"Return {back.number}.")
    product = _product(session, code)
    if product is None:
        message = f"“{code[:60]}” is no goods and no return."
        raise refuse("unknown", message, "Scan goods, or the number of a return.", "code")
    taken = replace(hand, sku=product.sku, units=1, key=workplace.new_key())
    if hand.back:
        _refuse_not_of_return(session, hand.back, product)
    return GoodsScanned(taken, _goods(session, taken, product))


def _one_more(session: Session, hand: Hand, product: Product) -> GoodsScanned:
    if product.sku != hand.sku:
        message = f"You have {hand.sku} in the hand; this is {product.sku}."
        raise refuse("other-goods", message, "Scan its bin first, or lay it aside.", "code")
    more = replace(hand, units=hand.units + 1)
    return GoodsScanned(more, _goods(session, more, product))


def _counted(session: Session, hand: Hand, units: int) -> GoodsScanned:
    if not 1 <= units <= MOST_UNITS:
        message = f"“Units” must be between 1 and {MOST_UNITS:,}; it got {units:,}."
        raise refuse("out-of-range", message, "Type how many there are.", "code")
    product = _product(session, hand.sku)
    assert product is not None
    counted = replace(hand, units=units)
    return GoodsScanned(counted, _goods(session, counted, product))


def goods_in_hand(workplace: Workplace, hand: Hand) -> GoodsShown | None:
    """Returns what somebody has in the hand, to show it again; None for nothing."""
    with workplace.database.reading() as session:
        product = _product(session, hand.sku) if hand.sku else None
        return None if product is None else _goods(session, hand, product)


def bins_for(workplace: Workplace, sku: str, warehouse: str, units: int) -> list[PutAway]:
    """Returns the bins into which units of a product are put in a warehouse."""
    with workplace.database.reading() as session:
        product = _product(session, sku)
        place = warehouse_by_key(session, warehouse)
        if product is None:
            raise refuse("not-found", f"There is no product “{sku[:60]}”.", "Check the SKU.", "sku")
        return put_away(units, shelves_for(session, product.id, place.id, units))


def _product(session: Session, code: str) -> Product | None:
    found = ids_by_scan(session, code)
    if len(found) != 1:
        return None
    product = session.get_one(Product, found.pop())
    return product if product.kind in ("single", "variant") else None


def _bin(session: Session, warehouse: str, code: str) -> str:
    place = warehouse_by_key(session, warehouse)
    try:
        shelf = find_bin(session, place.id, code)
    except NotFound:
        message = f"“{code[:60]}” is no bin of {place.name}."
        raise refuse(
            "unknown", message, "Scan a bin, or type how many there are.", "code"
        ) from None
    if shelf.closed:
        raise refuse("closed", f"Bin {shelf.code} is closed.", "Take another one.", "code")
    return shelf.code


def _goods(session: Session, hand: Hand, product: Product) -> GoodsShown:
    place = warehouse_by_key(session, hand.warehouse)
    expected, came = _expected(session, hand, product, place.id)
    said, look = said_of_units(expected, came, hand.units)
    bins = put_away(hand.units, shelves_for(session, product.id, place.id, hand.units))
    pictures = pictures_on(session, product.id)
    return GoodsShown(
        product.sku, product.title, pictures[0].sha if pictures else "", said, look, tuple(bins)
    )


def _expected(session: Session, hand: Hand, product: Product, warehouse_id: int) -> tuple[int, int]:
    """Returns how many units are expected, and how many of them had come before."""
    if hand.back:
        lines = _lines_back(session, hand.back, product.id)
        return sum(one.expected for one in lines), sum(one.came for one in lines)
    rows = open_receipts(session, product.id, warehouse_id)
    return sum(row.quantity for row in rows), sum(row.received for row in rows)


@dataclass(frozen=True)
class _LineBack:
    position: int
    expected: int
    came: int


def _lines_back(session: Session, number: str, product_id: int) -> list[_LineBack]:
    row = return_by_number(session, number)
    held = {one.order_line_id: one for one in lines_of_return(session, row.id)}
    return [
        _LineBack(line.position, held[line.id].quantity, held[line.id].received)
        for line in lines_of(session, [row.order_id])[row.order_id]
        if line.id in held and line.product_id == product_id
    ]


def _refuse_not_of_return(session: Session, number: str, product: Product) -> None:
    if not _lines_back(session, number, product.id):
        message = f"{product.sku} is not expected back by “{number}”."
        raise refuse("not-expected", message, "Lay it aside, or note a new return.", "code")


def _receive(workplace: Workplace, actor: Actor, hand: Hand, shelf: str) -> GoodsScanned:
    done = f"{hand.units} of {hand.sku} lie in {shelf}."
    rest = Hand(hand.warehouse, back=hand.back, to=hand.to)
    if not hand.back:
        wish = ReceiveGoods(hand.sku, hand.warehouse, hand.units, shelf, hand.key, hand.use_by)
        return GoodsScanned(rest, None, done, tuple(receive_goods(workplace, actor, wish)))
    with workplace.database.reading() as session:
        product = _product(session, hand.sku)
        lines = _lines_back(session, hand.back, product.id) if product else []
    arrived = _spread(hand, shelf, lines)
    receive_return(workplace, actor, hand.back, arrived, hand.warehouse, hand.key)
    return GoodsScanned(rest, None, done)


def _spread(hand: Hand, shelf: str, lines: Sequence[_LineBack]) -> list[ArrivedGoods]:
    """Spreads units over the lines of a return; what is beyond them is refused when it is received."""
    left, found = hand.units, []
    for at, line in enumerate(lines):
        units = left if at == len(lines) - 1 else min(left, line.expected - line.came)
        if units > 0:
            found.append(ArrivedGoods(line.position, units, hand.to, shelf))
            left -= units
    return found
