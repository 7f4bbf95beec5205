"""Fills a new workplace with the demo scenario, through the services that people use."""

import random
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import Any

import httpx
from sqlalchemy import event, select

from relvan.core.people.roles import Role
from relvan.demo.buyers import buy
from relvan.demo.depot import send_from_the_depot
from relvan.demo.everywhere import ON_CORVELLO, list_everywhere
from relvan.demo.furnish import furnish, lay_out_samples
from relvan.demo.goods import LIST, SEED, Good, goods
from relvan.demo.in_step import keep_in_step, move_prices
from relvan.demo.loomstead import list_on_loomstead
from relvan.demo.mails import write_to_customers
from relvan.demo.order_desk import (
    keep_books,
    lay_out_desk,
    leave_every_state,
    order_for_a_gift,
    sell_on_account,
)
from relvan.demo.outside import use_mailroom, use_scale
from relvan.demo.parcels import follow_what_left
from relvan.demo.plan import (
    BY_TELEPHONE,
    DAYS,
    DAYS_LEFT,
    DAYS_WORKED,
    FIRM,
    FROM_THE_START,
    LEFT_OPEN,
    MORE_ON_OWNSHOP,
    NOT_ON_HAGGLET,
    NOT_ON_OWNSHOP,
    ORDERS_OPEN,
    ORDERS_WORKED,
    PASSWORD,
    PEOPLE,
    RESTOCK_EVERY,
    ROUNDS,
    SHELVES,
    SOLD_ON_ACCOUNT,
    WAREHOUSES,
)
from relvan.demo.studio import Studio
from relvan.demo.trouble import go_wrong
from relvan.demo.warehouses import hand_over_what_left, make_cartons, make_warehouse
from relvan.gateways.carriers.dialects import CARRIERS
from relvan.services.catalogue.save import save_many
from relvan.services.channels.carriers import connect_carrier
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.settings import change_channel
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.services.mail.deliver import send_mails
from relvan.services.open import open_workplace
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.read import read_orders
from relvan.services.orders.release import release_orders
from relvan.services.outbox.deliver import deliver_next
from relvan.services.outbox.sheets import sheet_due
from relvan.services.packing.parcels import add_parcel
from relvan.services.people.sign_in import NewPerson, add_person_in, passwords
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.setup.firm import change_firm
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import buy_labels
from relvan.services.stock.move import MoveStock, move_each
from relvan.services.uncollected import uncollected
from relvan.services.workplace import SYSTEM, Actor
from relvan.settings import Settings
from relvan.store.channels import channels
from relvan.store.dispatch import pick_rows
from relvan.store.listing_list import ListingFilter, listing_page
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page
from relvan.store.orders import shipment_rows
from relvan.store.schema import bring_up_to_date
from relvan.store.tables import Balance, PriceList, Product, Warehouse

LABELS_AT_ONCE = 6
UNHURRIED_S = 10.0  # nothing urgent waits while the scenario is played
# services that take every parcel of the scenario; one is cheaper, the other quicker
SERVICES = ("ostrel:tracked", "ostrel:tracked", "merrowline:door")


class Seeder:
    """Plays three months of Quillmoss in seconds, by a clock of its own."""

    def __init__(self, settings: Settings, world_url: str, say: Callable[[str], None]) -> None:
        self.now = datetime.now(UTC) - timedelta(days=DAYS)
        self.workplace = open_workplace(settings, clock=lambda: self.now)
        base = self.workplace.database
        if base.is_sqlite:  # a demo that was cut off in the middle is prepared anew
            event.listen(base.engine, "connect", lambda c, _: c.execute("PRAGMA synchronous=OFF"))
        self.world_url = world_url
        # the world ends connections after five seconds without a call
        calls = httpx.Limits(keepalive_expiry=2)
        self.world = httpx.Client(base_url=world_url, timeout=20, limits=calls)
        self.say = say
        self.dice = random.Random(SEED)
        self.owner, self.sold = SYSTEM, set[str]()
        self.opening: list[MoveStock] = []

    def run(self, meanwhile: Callable[[], None]) -> None:
        """Plays the whole scenario; calls `meanwhile` once it waits more than it computes."""
        studio = Studio(self.workplace)
        try:
            with uncollected():
                self._play(studio, meanwhile)
        finally:
            studio.close()

    def _play(self, studio: Studio, meanwhile: Callable[[], None]) -> None:
        bring_up_to_date(self.workplace.database)
        self.say("people and warehouses")
        self._people_and_places()
        self.say("products with pictures and stock")
        found = goods()
        self._products(found, studio)
        self.say("families, kits and the rest of the range")
        furnish(self.workplace, self.owner, self._opening, studio)
        pots = [good.draft.sku for good in found if good.draft.sku.startswith("PT-")]
        studio.order_elsewhere([*pots, *ON_CORVELLO[1:]])
        self._move_all(self.opening)
        samples = self.workplace.settings.data_dir / "samples"
        lay_out_samples(self.workplace, samples, datetime.now(UTC).date())
        self.say("channels and listings")
        self._channels()
        lay_out_desk(self.workplace, self.owner)
        soon = {good.draft.sku for good in found}
        studio.deliver(self.owner, lambda sku: sku in soon or sku.startswith(MORE_ON_OWNSHOP))
        self._listings(found)
        meanwhile()
        self.say("orders")
        self._orders()
        hand_over_what_left(self.workplace, self.owner)
        self.say("Loomstead and Corvello, families and what was there before")
        studio.deliver(self.owner, lambda sku: True)
        list_on_loomstead(self.workplace, self.owner)
        list_everywhere(self.workplace, self.owner, self.world, self._settle, studio)
        self._sell_on_loomstead()
        move_prices(self.workplace, self.owner, self._settle)
        self.say("a few things wrong on purpose")
        go_wrong(self.workplace, self.owner, self.world, self._settle)
        self._settle("hagglet", "ownshop")
        self.now = max(self.now, datetime.now(UTC) - timedelta(minutes=2))
        keep_in_step(self.workplace, self.owner, self.world, self._settle)
        leave_every_state(self.workplace, self.owner)
        send_from_the_depot(self.workplace, self.owner, self.world)
        self.now = datetime.now(UTC)
        write_to_customers(self.workplace, self.owner)
        with ThreadPoolExecutor(2) as beside:  # carriers are asked slowly, and Corvello answers so
            followed = beside.submit(follow_what_left, self.workplace, self.owner, self.world)
            settled = beside.submit(self._settle)
            send_mails(self.workplace)
            followed.result()
            settled.result()
        self._settle()
        self.world.close()
        self.workplace.close()

    def _people_and_places(self) -> None:
        password_hash = passwords.hash(PASSWORD)  # it takes its time, and all have the same one
        with self.workplace.database.writing() as session:
            for login, name, role in PEOPLE:
                wish = NewPerson(login, name, role, PASSWORD).checked()
                person = add_person_in(session, self.workplace, SYSTEM, wish, password_hash)
                if role == Role.OWNER:
                    self.owner = Actor(person, name, role, "hand")
        change_firm(self.workplace, self.owner, FIRM)
        for key, name, pattern in WAREHOUSES:
            make_warehouse(self.workplace, self.owner, key, name, pattern)
        make_cartons(self.workplace, self.owner)
        with self.workplace.database.writing() as session:
            session.add(
                PriceList(
                    key=LIST,
                    name="Retail",
                    currency=self.workplace.firm.currency,
                    tax_inside=True,
                )
            )

    def _products(self, found: list[Good], studio: Studio) -> None:
        drafts = [(good.draft.sku, good.draft) for good in found]
        verdicts = save_many(self.workplace, self.owner, drafts)
        assert all(verdict.ok for verdict in verdicts), verdicts
        for good in found:
            sku = good.draft.sku
            if sku != "CA-STAKE":
                studio.order(sku, good.shape, good.colour, good.draft.title.split(",")[0])
            if good.units:
                self._open_with(sku, good.warehouse, good.units, self._bin(good))
            if good.units > 30 and good.warehouse == "millrace":
                self._open_with(sku, "yard", 6, f"Y3-{self.dice.randint(1, 6):02d}")

    def _opening(self, sku: str, warehouse: str, units: int) -> None:
        shelf = (
            f"Y{self.dice.randint(1, 3)}-{self.dice.randint(1, 6):02d}"
            if warehouse == "yard"
            else (f"{self.dice.choice('ABCDEFGHIJKL')}-{self.dice.randint(1, 8):02d}")
        )
        self._open_with(sku, warehouse, units, shelf)

    def _open_with(self, sku: str, warehouse: str, units: int, shelf: str) -> None:
        self.opening.append(
            MoveStock(sku, warehouse, "opening", change=units, bin=shelf, note="first count")
        )

    def _move_all(self, wishes: list[MoveStock]) -> None:
        """Writes all of these movements together."""
        with self.workplace.database.writing() as session:
            move_each(session, self.workplace, self.owner, wishes)

    def _bin(self, good: Good) -> str:
        if good.warehouse == "yard":
            return f"Y{self.dice.randint(1, 2)}-{self.dice.randint(1, 6):02d}"
        return f"{self.dice.choice('ABCDEFGHIJKL')}-{self.dice.randint(1, 8):02d}"

    def _channels(self) -> None:
        whole = self.world.get("/world").json()
        there = whole["standins"]
        use_mailroom(self.workplace, whole["mailroom"])
        use_scale(self.workplace, self.world_url)
        for key in FROM_THE_START:
            connect_channel(
                self.workplace,
                self.owner,
                ConnectChannel(key, there[key]["seller_api"], there[key]["token"]),
            )
        for key in CARRIERS:
            account = there[key]
            connect_carrier(
                self.workplace,
                self.owner,
                key,
                account["name"],
                account["seller_api"],
                account["token"],
            )
        steps = [
            {"kind": "percent", "percent": "8"},
            {"kind": "ending", "endings": [99, 49], "direction": "nearest"},
        ]
        wishes: dict[str, Any] = {
            "price_steps": steps,
            "stock_policy": {"share": "100", "hold_back": 1, "cap": 12},
        }
        change_channel(self.workplace, self.owner, "hagglet", wishes)

    def _listings(self, found: list[Good]) -> None:
        skus = [good.draft.sku for good in found]
        on_shop = draft_listings(
            self.workplace,
            self.owner,
            "ownshop",
            [sku for sku in skus if sku not in NOT_ON_OWNSHOP],
        )
        publish_listings(self.workplace, self.owner, on_shop.listing_ids)
        more = draft_listings(self.workplace, self.owner, "ownshop", MORE_ON_OWNSHOP)
        publish_listings(self.workplace, self.owner, more.listing_ids, leave_out=True)
        category = {good.draft.sku: good.draft.category for good in found}
        listed = [sku for sku in skus if sku not in NOT_ON_HAGGLET]
        draft_listings(self.workplace, self.owner, "hagglet", listed)
        with self.workplace.database.reading() as session:
            rows = listing_page(session, ListingFilter(channel="hagglet"), limit=500)
        for name, shelf in SHELVES.items():
            ids = [row.id for row in rows if category[row.sku] == name]
            change_listings(self.workplace, self.owner, ids, {"shelf": shelf})
        publish_listings(
            self.workplace, self.owner, [row.id for row in rows if row.sku != "SE-CORI"]
        )
        self._settle()

    def _sell_on_loomstead(self) -> None:
        for sku, units in (("SA-15-CEL", 2), ("PT-14-OCH", 1), ("HP-16-INK", 1)):
            self._buy("loomstead", sku, units)
        self._settle()

    def _settle(self, *only: str) -> None:
        """Reads all orders and delivers everything that waits, as the worker would; only to some
        channels where they are named, since one that is slow need not be waited for each time."""
        with self.workplace.database.reading() as session:
            ids = {channel.key: channel.id for channel in channels(session)}
        for channel_id in ids.values():
            read_orders(self.workplace, channel_id)
        told = [ids[key] for key in only or ids]
        with ThreadPoolExecutor(len(told)) as channels_at_once:  # most of it is waiting for answers
            list(channels_at_once.map(self._deliver, told))

    def _deliver(self, channel_id: int) -> None:
        while True:
            delivery = deliver_next(self.workplace, channel_id, "seed", UNHURRIED_S)
            if delivery.sent:
                continue
            with self.workplace.database.reading() as session:
                if sheet_due(session, channel_id, self.now) is None:
                    return
            self.now += timedelta(seconds=1)  # a reply sheet is asked for by both clocks
            time.sleep(0.1)

    def _buy(self, channel: str, sku: str, quantity: int) -> None:
        buy(self.world, channel, sku, quantity, self.now)

    def _orders(self) -> None:
        start, worked = self.now, ROUNDS - LEFT_OPEN
        times = [
            *(DAYS_WORKED * n / worked for n in range(worked)),
            *(DAYS_WORKED + DAYS_LEFT * n / LEFT_OPEN for n in range(LEFT_OPEN + 1)),
        ]
        for number, (begin, end) in enumerate(pairwise(times), 1):
            many = ORDERS_WORKED if number <= worked else ORDERS_OPEN
            moments = sorted(self.dice.uniform(begin, end) for _ in range(many))
            self._buy_some([start + timedelta(days=moment) for moment in moments])
            if number == SOLD_ON_ACCOUNT:
                sell_on_account(self.workplace, self.owner)
            if number <= worked:
                self._work_the_inbox()
            if number < worked:  # the last afternoon's orders are shipped and not invoiced
                keep_books(self.workplace, self.owner)
            if number % RESTOCK_EVERY == 0:
                self._restock()
        self._every_stage()

    def _buy_some(self, moments: list[datetime]) -> None:
        """Places an order at each of these moments, for different goods."""
        shown = {
            key: [
                row["sku"]
                for row in self.world.get(f"/world/{key}/listings").json()
                if row["quantity"] > 2
            ]
            for key in ("hagglet", "ownshop")
        }
        bought = set(BY_TELEPHONE)
        for moment in moments:
            self.now = max(self.now, moment)
            channel = self.dice.choice(("hagglet", "hagglet", "ownshop"))
            sku = self.dice.choice([sku for sku in shown[channel] if sku not in bought])
            bought.add(sku)
            self.sold.add(sku)
            self._buy(channel, sku, self.dice.choice((1, 1, 1, 2)))
        self._settle()

    def _restock(self) -> None:
        """Receives once a month what has become scarce."""
        with self.workplace.database.reading() as session:
            rows = session.execute(
                select(Product.sku, Warehouse.key, Balance.on_hand)
                .join(Balance, Balance.product_id == Product.id)
                .join(Warehouse, Warehouse.id == Balance.warehouse_id)
                .where(Balance.on_hand < 5, Product.sku.in_(self.sold))
                .order_by(Product.sku_key, Warehouse.key)
            ).all()
        note = "from the workshop"
        self._move_all(
            [
                MoveStock(sku, warehouse, "receipt", change=12 - on_hand, note=note)
                for sku, warehouse, on_hand in rows
            ]
        )
        self._settle()

    def _numbers(self, tray: str = "inbox") -> list[str]:
        with self.workplace.database.reading() as session:
            return [
                row.number
                for row in reversed(order_page(session, OrderFilter(tray=(tray,)), limit=200))
            ]

    def _shipments(self, state: str, warehouse: str = "millrace") -> list[int]:
        with self.workplace.database.reading() as session:
            return [row.id for row in shipment_rows(session, states=[state], warehouse=warehouse)]

    def _work_the_inbox(self) -> None:
        """Releases, picks, packs, labels and dispatches all orders of one afternoon."""
        self.now += timedelta(hours=2)
        release_orders(self.workplace, self.owner, self._numbers())
        for warehouse in ("millrace", "yard"):
            waiting = self._shipments("to pick", warehouse)
            if waiting:
                self._pick_all(make_pick_list(self.workplace, self.owner, waiting))
            self._pack_and_label(self._shipments("to pack", warehouse))
            dispatch_shipments(self.workplace, self.owner, self._shipments("to ship", warehouse))
        self._settle()

    def _pick_all(self, pick_list: int, most: int = 1000) -> None:
        with self.workplace.database.reading() as session:
            rows = pick_rows(session, pick_list)
        for row in rows[:most]:
            record_pick(self.workplace, self.owner, pick_list, row.id, row.quantity, row.sku)

    def _pack_and_label(self, shipments: list[int], *, label: bool = True) -> None:
        for shipment in shipments:
            add_parcel(
                self.workplace, self.owner, shipment, [], 400 + self.dice.randint(0, 900), "BX-M"
            )
        if label:
            with ThreadPoolExecutor(LABELS_AT_ONCE) as labelling:  # the carrier takes its time
                services = [self.dice.choice(SERVICES) for _ in shipments]
                list(labelling.map(self._label, shipments, services))

    def _label(self, shipment: int, service: str) -> None:
        buy_labels(self.workplace, self.owner, shipment, service)

    def _every_stage(self) -> None:
        """Leaves the newest orders in every stage of the warehouse."""
        numbers = self._numbers()
        release_orders(self.workplace, self.owner, numbers[:20])
        waiting = self._shipments("to pick")
        self._pick_all(make_pick_list(self.workplace, self.owner, waiting[:7]))
        self._pack_and_label(self._shipments("to pack")[:4], label=False)
        self._label(self._shipments("to ship")[0], SERVICES[0])
        self._pick_all(make_pick_list(self.workplace, self.owner, waiting[7:11]), most=1)
        cancel_orders(self.workplace, self.owner, numbers[20:21])
        release_orders(self.workplace, self.owner, [order_for_a_gift(self.workplace, self.owner)])
        filled = self._shipments("to pick")[-1:]
        self._pick_all(make_pick_list(self.workplace, self.owner, filled))
