"""Holds what every marketplace and store stand-in does alike: it shows listings, sells, cancels,
and takes tracking codes.
"""

import json
import sqlite3
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from standins.memory import Memory, loads, next_number

VISITORS = (
    ("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL"),
    ("Bram Oldacre", "7 Millpond Lane", "Westerholt", "20457", "DE"),
    ("Cleo Varga", "33 Harbour Steps", "Port Ellery", "D04 X2P1", "IE"),
    ("Dorrit Haas", "5 Chapel Rise", "Oberlinden", "1140", "AT"),
    ("Emil Sandoval", "81 Canal Walk", "Brackwater", "9000", "BE"),
    ("Freya Lindqvist", "2 Orchard End", "Sallowby", "75011", "FR"),
    ("Goran Pell", "19 Quarry Road", "Nettleford", "10249", "DE"),
    ("Hanne Overbeek", "44 Lock Street", "Tarnhollow", "4825", "NL"),
)


# some visitors leave a telephone number; these are kept free for made-up people
PHONES = {"IE": "+353209110042", "DE": "+4930230125555"}


class NotForSale(Exception):
    """A purchase that is impossible, because the item is not shown or too few units are."""


def visitor(number: int) -> dict[str, str]:
    """Returns a made-up buyer."""
    name, street, town, postcode, country = VISITORS[number % len(VISITORS)]
    mail = name.lower().replace(" ", ".") + "@example.com"
    return {
        "name": name,
        "street": street,
        "town": town,
        "postcode": postcode,
        "country": country,
        "mail": mail,
        "phone": PHONES.get(country, ""),
    }


# what an order's number begins with
NUMBERS = {"corvello": "CV", "hagglet": "HG", "ownshop": "WS", "loomstead": "LM"}


def seller_name(memory: Memory, channel: str) -> str:
    """Returns whose account it is: the scenario's seller, or one whom a loaded world names."""
    usual = "Quillmoss shop" if channel == "ownshop" else "Quillmoss"
    return memory.setting(f"seller.{channel}", usual)


def times_of(listing: Any, data: dict[str, Any]) -> dict[str, str]:
    """Returns when a listing was placed and when its content was last changed, as ISO 8601."""
    return {
        "placed": listing["placed_at"],
        "changed": data.get("changed_at") or listing["placed_at"],
    }


def state_now(listing: Any, now: datetime) -> str:
    """Returns whether a listing is live; one whose time is over has lapsed."""
    lapses_at = loads(listing["data"]).get("lapses_at")
    if listing["state"] == "live" and lapses_at and datetime.fromisoformat(lapses_at) <= now:
        return "lapsed"
    return str(listing["state"])


def shown_listings(memory: Memory, channel: str) -> list[dict[str, Any]]:
    """Returns what buyers see now. The page of a family has its variants in `variants`; each of
    them also has a row of its own, which names the page as its `head`.
    """
    rows = memory.rows("SELECT * FROM listing WHERE channel = ? ORDER BY placed_at, ref", channel)
    now = memory.now()
    found = [_shown(row, now) for row in rows]
    by_ref = {row["ref"]: row for row in found}
    for row in found:
        head = by_ref.get(row["head"])
        if head is not None:
            if head["state"] != "live":
                row["state"] = head["state"]
            names = ("ref", "sku", "price", "quantity", "state", "traits")
            head["variants"].append({name: row[name] for name in names})
    return found


def _shown(row: Any, now: datetime) -> dict[str, Any]:
    data = loads(row["data"])
    return {
        "ref": row["ref"],
        "sku": row["sku"],
        "title": row["title"],
        "price": row["price"],
        "currency": row["currency"],
        "quantity": row["quantity"],
        "state": state_now(row, now),
        "pictures": data.get("pictures", []),
        "head": data.get("under", ""),
        "traits": data.get("differs", {}),
        "variants": [],
    }


def under(memory: Memory, channel: str, head: str) -> list[Any]:
    """Returns the rows of the variants on a family's page."""
    sql = "SELECT * FROM listing WHERE channel = ? AND json_extract(data, '$.under') = ? ORDER BY placed_at, ref"
    return memory.rows(sql, channel, head)


def is_open(memory: Memory, listing: Any) -> bool:
    """Says whether a listing can be bought, which it can when it is live and the page on which it
    stands is, too.
    """
    now = memory.now()
    data = loads(listing["data"])
    if state_now(listing, now) != "live" or "grid" in data:
        return False
    if "under" not in data:
        return True
    head = memory.row(
        "SELECT * FROM listing WHERE channel = ? AND ref = ?", listing["channel"], data["under"]
    )
    return head is not None and state_now(head, now) == "live"


def differs_problem(memory: Memory, channel: str, head: Any, differs: Any, but: str = "") -> str:
    """Returns what is wrong with a variant's values on its page's traits, or "" when they are
    right.
    """
    traits = loads(head["data"])["grid"]
    if (
        not isinstance(differs, dict)
        or set(differs) != set(traits)
        or not all(map(str, differs.values()))
    ):
        return f"A value for each of {', '.join(traits)}, and for nothing else."
    for row in under(memory, channel, head["ref"]):
        if row["ref"] != but and loads(row["data"])["differs"] == differs:
            return "There is such a variant on this page already."
    return ""


@dataclass(frozen=True)
class Buying:
    """What a visitor buys: how many of which listing, who pays, and when."""

    ref: str
    quantity: int
    buyer: dict[str, str] | None
    paid: bool
    placed_at: datetime | None = None


def purchase(memory: Memory, channel: str, buying: Buying) -> str:
    """Sells one listing to a visitor, lowers what is shown, and returns the order's number."""
    with memory.writing() as db:
        listing = db.execute(
            "SELECT * FROM listing WHERE channel = ? AND ref = ?", (channel, buying.ref)
        ).fetchone()
        if listing is None or not is_open(memory, listing):
            raise NotForSale(f"{buying.ref} is not for sale here.")
        if listing["quantity"] < buying.quantity:
            raise NotForSale(f"Only {listing['quantity']} of {listing['title']} are left.")
        db.execute(
            "UPDATE listing SET quantity = quantity - ? WHERE channel = ? AND ref = ?",
            (buying.quantity, channel, buying.ref),
        )
        seq = next_number(db)
        number = f"{NUMBERS[channel]}-{40000 + seq}"
        line = {
            "line": "1",
            "ref": buying.ref,
            "sku": listing["sku"],
            "title": listing["title"],
            "quantity": buying.quantity,
            "each": listing["price"],
        }
        db.execute(
            "INSERT INTO purchase VALUES (?, ?, ?, 'placed', ?, 0, ?, ?, ?, ?, '[]', ?)",
            (
                channel,
                number,
                seq,
                int(buying.paid),
                json.dumps({**visitor(seq), **(buying.buyer or {})}),
                json.dumps([line]),
                490,
                listing["currency"],
                (buying.placed_at or memory.now()).isoformat(),
            ),
        )
        tell_store(db, channel, number, "order.placed")
    return number


def tell_store(db: sqlite3.Connection, channel: str, number: str, event: str) -> None:
    """Queues a webhook about an order, on the stand-in that has webhooks."""
    if channel != "ownshop":
        return
    row = db.execute(
        "SELECT * FROM purchase WHERE channel = ? AND number = ?", (channel, number)
    ).fetchone()
    body = {"type": event, "timestamp": row["placed_at"], "data": order_as_dict(row)}
    seq = next_number(db)
    db.execute(
        "INSERT INTO hook_delivery (event, channel, body, due) VALUES (?, ?, ?, 0)",
        (f"msg_{seq:08d}", channel, json.dumps(body)),
    )


def order_as_dict(row: sqlite3.Row) -> dict[str, Any]:
    """Returns an order as plain data; each stand-in words it in its own dialect."""
    return {
        "number": row["number"],
        "seq": row["seq"],
        "state": row["state"],
        "paid": bool(row["paid"]),
        "buyer": loads(row["buyer"]),
        "lines": [
            {**line, "quantity": line["quantity"] - line.get("off", 0)}
            for line in loads(row["lines"])
        ],
        "postage": row["postage"],
        "currency": row["currency"],
        "tracking": loads(row["tracking"]),
        "placed_at": row["placed_at"],
    }


def orders_after(memory: Memory, channel: str, seq: int, limit: int) -> list[dict[str, Any]]:
    """Returns orders that changed after a point of the sequence, the oldest change first."""
    rows = memory.rows(
        "SELECT * FROM purchase WHERE channel = ? AND seq > ? ORDER BY seq LIMIT ?",
        channel,
        seq,
        limit,
    )
    return [order_as_dict(row) for row in rows]


def find_order(memory: Memory, channel: str, number: str) -> dict[str, Any] | None:
    """Returns one order, or None."""
    row = memory.row("SELECT * FROM purchase WHERE channel = ? AND number = ?", channel, number)
    return order_as_dict(row) if row else None


def _with_parcel(
    tracking: list[dict[str, str]], parcel: dict[str, str] | None
) -> list[dict[str, str]]:
    """Returns the parcels of an order with what is said of one of them now; a word that was said before
    stays until another is."""
    if parcel is None:
        return tracking
    said = {key: value for key, value in parcel.items() if value or key != "stage"}
    if any(one["code"] == parcel["code"] for one in tracking):
        return [{**one, **said} if one["code"] == parcel["code"] else one for one in tracking]
    return [*tracking, said]


def change_order(memory: Memory, channel: str, number: str, **changes: Any) -> bool:
    """Changes an order's state, payment or tracking and moves it to the end of the sequence."""
    with memory.writing() as db:
        row = db.execute(
            "SELECT * FROM purchase WHERE channel = ? AND number = ?", (channel, number)
        ).fetchone()
        if row is None:
            return False
        tracking = _with_parcel(loads(row["tracking"]), changes.get("parcel"))
        db.execute(
            "UPDATE purchase SET state = ?, paid = ?, seen = ?, tracking = ?, seq = ? WHERE channel = ? AND number = ?",
            (
                changes.get("state", row["state"]),
                int(changes.get("paid", row["paid"])),
                int(changes.get("seen", row["seen"])),
                json.dumps(tracking),
                next_number(db),
                channel,
                number,
            ),
        )
        if "seen" not in changes:
            tell_store(db, channel, number, f"order.{changes.get('state', 'changed')}")
    return True


def readdress(memory: Memory, channel: str, number: str, to: dict[str, str]) -> bool:
    """Changes parts of the address of an order. Returns whether there is such an order."""
    with memory.writing() as db:
        row = db.execute(
            "SELECT buyer FROM purchase WHERE channel = ? AND number = ?", (channel, number)
        ).fetchone()
        if row is None:
            return False
        buyer = {**loads(row["buyer"]), **to}
        if buyer != loads(row["buyer"]):
            db.execute(
                "UPDATE purchase SET buyer = ?, seq = ? WHERE channel = ? AND number = ?",
                (json.dumps(buyer), next_number(db), channel, number),
            )
            tell_store(db, channel, number, "order.changed")
    return True


def take_off(memory: Memory, channel: str, number: str, units: dict[str, int]) -> bool:
    """Notes how many units of each line of an order were taken off in all. Fewer than before change
    nothing, and an order without any left is cancelled. Returns whether there is such an order.
    """
    with memory.writing() as db:
        row = db.execute(
            "SELECT * FROM purchase WHERE channel = ? AND number = ?", (channel, number)
        ).fetchone()
        if row is None:
            return False
        before = loads(row["lines"])
        lines = [
            {
                **line,
                "off": min(line["quantity"], max(line.get("off", 0), units.get(line["line"], 0))),
            }
            for line in before
        ]
        if lines == [{**line, "off": line.get("off", 0)} for line in before]:
            return True
        gone = all(line["off"] == line["quantity"] for line in lines)
        state = "cancelled" if gone and row["state"] == "placed" else row["state"]
        db.execute(
            "UPDATE purchase SET lines = ?, state = ?, seq = ? WHERE channel = ? AND number = ?",
            (json.dumps(lines), state, next_number(db), channel, number),
        )
        tell_store(db, channel, number, "order.changed")
    return True


def give_back(memory: Memory, channel: str, number: str, key: str, amount: int) -> bool:
    """Notes that the seller gives money back, once under each key. Returns whether there is such an
    order.
    """
    if find_order(memory, channel, number) is None:
        return False
    with memory.writing() as db:
        db.execute(
            "INSERT OR IGNORE INTO refund VALUES (?, ?, ?, ?, ?)",
            (channel, number, key, amount, memory.now().isoformat()),
        )
    return True


def refunds_of(memory: Memory, channel: str, number: str) -> list[dict[str, Any]]:
    """Returns what the seller gave back of an order, as the buyer sees it."""
    rows = memory.rows(
        "SELECT key, amount FROM refund WHERE channel = ? AND number = ? ORDER BY at, key",
        channel,
        number,
    )
    return [{"key": row["key"], "amount": row["amount"]} for row in rows]
