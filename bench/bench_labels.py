"""Labels for 500 packed shipments at once, from a carrier that takes its time over every answer.

Floor: the same calls, as many at the same time, that do nothing but wait for the carrier.
"""

from concurrent.futures import ThreadPoolExecutor
from itertools import count
from time import perf_counter, sleep

from bench_intake import incoming
from ground import OWNER, add_channels, new_workplace, report, temporary
from relvan.gateways.carriers.port import BoughtLabel, CarrierGateway, LabelWish
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_channel_orders
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.lists import MOST_SHIPMENTS, make_pick_list, record_pick
from relvan.services.shipping.voids import AT_ONCE, label_many
from relvan.services.stock.move import MoveStock, move_stock
from relvan.services.workplace import Workplace
from relvan.store.dispatch import pick_rows
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page
from relvan.store.orders import shipment_rows
from relvan.store.tables import Carrier
from shop import add_pot

SHIPMENTS, SKUS = 500, 40
ANSWER_S = 0.4  # over a purchase and over a label's file, as carriers take in a busy hour


class SlowCarrier:
    """A carrier that answers after `ANSWER_S` and counts what was asked."""

    def __init__(self) -> None:
        self.asked, self._numbers = 0, count(1)

    def buy_label(self, wish: LabelWish) -> BoughtLabel:
        """Sells a label."""
        self._answer()
        return BoughtLabel(f"SC{next(self._numbers):09}", 590, "EUR", "/track")

    def label_file(self, tracking_number: str) -> bytes:
        """Returns a file."""
        self._answer()
        return b"%PDF-1.4 " + tracking_number.encode()

    def close(self) -> None:
        """Has nothing to close."""

    def _answer(self) -> None:
        self.asked += 1
        sleep(ANSWER_S)


def main() -> None:
    """Packs the shipments, buys their labels, then waits for as many answers alone."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        shipments = packed(workplace)
        carrier = SlowCarrier()
        at_carrier(workplace, carrier)
        start = perf_counter()
        verdicts = label_many(workplace, OWNER, shipments, "ostrel:tracked")
        ours = perf_counter() - start
        workplace.close()
    assert all(verdict.ok for verdict in verdicts), verdicts[0]
    assert len(verdicts) == SHIPMENTS
    start = perf_counter()
    with ThreadPoolExecutor(AT_ONCE) as pool:
        list(pool.map(lambda _: sleep(ANSWER_S), range(carrier.asked)))
    floor = perf_counter() - start
    report(
        "labels",
        {
            "shipments": SHIPMENTS,
            "answers": carrier.asked,
            "at_once": AT_ONCE,
            "seconds": round(ours, 2),
            "floor_s": round(floor, 2),
            "ratio": round(ours / floor, 2),
            "target_ratio": 1.1,
        },
    )


def packed(workplace: Workplace) -> list[int]:
    """Takes, releases, picks and packs the orders; returns their shipments."""
    skus = [add_pot(workplace, f"PX-{n:03d}", units=0) for n in range(SKUS)]
    for sku in skus:
        move_stock(workplace, OWNER, MoveStock(sku, "millrace", "receipt", change=1000))
    with workplace.database.writing() as session:
        add_channels(session, ("hagglet", "ownshop"))
    take_channel_orders(workplace, 1, [incoming(number, skus) for number in range(SHIPMENTS)])
    with workplace.database.reading() as session:
        numbers = [row.number for row in order_page(session, OrderFilter(), limit=SHIPMENTS)]
    release_orders(workplace, OWNER, numbers)
    done: list[int] = []
    while ids := waiting(workplace):
        made = make_pick_list(workplace, OWNER, ids)
        with workplace.database.reading() as session:
            rows = pick_rows(session, made)
        for row in rows:
            record_pick(workplace, OWNER, made, row.id, row.quantity)
        for shipment in ids:
            add_parcel(workplace, OWNER, shipment, [], 900)
        done += ids
    return done


def waiting(workplace: Workplace) -> list[int]:
    """Returns the next shipments that are to be picked, as many as a pick list takes."""
    with workplace.database.reading() as session:
        return [row.id for row in shipment_rows(session, states=["to pick"])][:MOST_SHIPMENTS]


def at_carrier(workplace: Workplace, carrier: CarrierGateway) -> None:
    """Connects an account at a carrier."""
    with workplace.database.writing() as session:
        session.add(Carrier(key="ostrel", name="Ostrel Post", address="", token=""))
    workplace.carrier = lambda _: carrier


if __name__ == "__main__":
    main()
