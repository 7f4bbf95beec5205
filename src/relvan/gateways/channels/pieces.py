"""Speaks the dialect of marketplaces whose listings are changed only by JSON patches (RFC 6902),
with pieces, corners, and prices in rappen.
"""

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any
from urllib.parse import quote

from relvan.core.listings.rulebook import parted
from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder
from relvan.gateways.calling import OutsideCaller, OutsideRefusal
from relvan.gateways.channels.port import (
    ContentRefused,
    Dispatched,
    Offer,
    Placed,
    PriceRow,
    RowVerdict,
    ShownListing,
    grams,
    moment,
)
from relvan.gateways.channels.sent_pictures import SentPictures
from relvan.gateways.channels.without_webhooks import WithoutWebhooks

PATCH = {"Content-Type": "application/json-patch+json"}
PLAIN = ("title", "story", "corner")


class PiecesGateway(WithoutWebhooks):
    """A channel with pieces."""

    def __init__(self, caller: OutsideCaller) -> None:
        self._caller = caller
        self._pictures = SentPictures(self._send_picture)

    def test(self) -> str:
        found = self._caller.json("GET", "me")
        return f"{found.get('seller')} on {found.get('place')}"

    def publish(self, offer: Offer, key: str) -> Placed:
        path = f"{_at(offer.head)}/kinds" if offer.part == "member" else "pieces"
        body = {**self._words(offer), "code": offer.sku}
        if offer.part != "head":
            body |= {"rappen": offer.price.amount, "at_hand": offer.quantity}
        try:
            found = self._caller.json("POST", path, json=body, headers={"Wish": key})
        except OutsideRefusal as refusal:
            if refusal.status == 409 and (placed := self.find_placed(offer.sku, key)):
                return placed
            raise self._refused(refusal) from refusal
        return _placed(found)

    def find_placed(self, offer_sku: str, key: str) -> Placed | None:
        found = self._caller.json("GET", "pieces", params={"wish": key})["pieces"]
        return _placed(found[0]) if found else None

    def send_content(self, ref: str, offer: Offer) -> None:
        # Only what differs is sent: read first, so that a patch said twice finds nothing left to
        # change.
        try:
            shown = self._caller.json("GET", _at(ref))
            wanted = self._words(offer)
            operations = [
                _set(name, value) for name, value in wanted.items() if shown.get(name) != value
            ]
            if operations:
                self._patch(ref, operations)
        except OutsideRefusal as refusal:
            raise self._refused(refusal) from refusal

    def set_quantities(self, rows: Sequence[tuple[str, int]]) -> list[RowVerdict]:
        return [self._set_one(ref, "at_hand", units) for ref, units in rows]

    def set_prices(self, rows: Sequence[PriceRow]) -> list[RowVerdict]:
        return [self._set_one(ref, "rappen", price.amount) for ref, price, _ in rows]

    def set_shown(self, ref: str, shown: bool) -> None:
        self._caller.call("POST", f"{_at(ref)}/{'renew' if shown else 'withdraw'}")

    def listings_after(self, ref: str, page: int) -> list[ShownListing]:
        found = self._caller.json("GET", "pieces", params={"after": ref, "limit": page})["pieces"]
        return [_shown_piece(row) for row in found]

    def orders_after(self, mark: int, page: int) -> list[IncomingOrder]:
        found = self._caller.poll("orders", beyond=mark, limit=page)["orders"]
        return [_order_of_pieces(order) for order in found]

    def acknowledge(self, number: str) -> None:
        self._caller.call("POST", f"orders/{number}/noted")

    def tell_dispatched(self, number: str, parcel: Dispatched) -> None:
        code = quote(parcel.tracking_number, safe="")
        self._caller.call(
            "PUT",
            f"orders/{number}/parcels/{code}",
            json={"by": parcel.carrier, "now": parcel.stage},
        )

    def tell_taken_off(self, number: str, units: Mapping[str, int]) -> None:
        self._caller.call("PUT", f"orders/{number}/missing", json={"counts": dict(units)})

    def tell_refunded(self, number: str, refunds: Mapping[str, int]) -> None:
        for key, amount in refunds.items():
            address = f"orders/{number}/returned/{quote(key, safe='')}"
            self._caller.call("PUT", address, json={"rappen": amount})

    def close(self) -> None:
        self._caller.close()

    def _words(self, offer: Offer) -> dict[str, Any]:
        said = dict(offer.fields)
        pictures = [self._pictures.name_of(picture) for picture in offer.pictures]
        if offer.part == "member":
            return {
                "differs": {_theirs(name): value for name, value in offer.traits.items()},
                "pictures": pictures,
            }
        words: dict[str, Any] = {name: said.pop(name, "") for name in PLAIN}
        words["keywords"] = parted(said.pop("keywords", ""))
        words["facts"] = {_theirs(name): value for name, value in said.items() if value}
        words["pictures"] = pictures
        if offer.part == "head":
            words["differs_by"] = [_theirs(name) for name in offer.traits]
        return words

    def _send_picture(self, content: bytes) -> str:
        return str(self._caller.json("POST", "pictures", content=content)["picture"])

    def _patch(self, ref: str, operations: list[dict[str, Any]]) -> None:
        self._caller.call("PATCH", _at(ref), content=json.dumps(operations).encode(), headers=PATCH)

    def _set_one(self, ref: str, name: str, value: int) -> RowVerdict:
        try:
            self._patch(ref, [_set(name, value)])
        except OutsideRefusal as refusal:
            return RowVerdict(ref, False, _problems(refusal)[0][1])
        return RowVerdict(ref, True)

    def _refused(self, refusal: OutsideRefusal) -> ContentRefused:
        self._pictures.forget()
        return ContentRefused(_problems(refusal))


def _placed(piece: dict[str, Any]) -> Placed:
    return Placed(piece["piece"], piece["page"], datetime.fromisoformat(piece["until"]))


def _shown_piece(row: dict[str, Any]) -> ShownListing:
    said = {name: str(row.get(name, "")) for name in PLAIN}
    said |= {name.replace(" ", "_"): str(value) for name, value in row.get("facts", {}).items()}
    return ShownListing(
        row["piece"],
        row["code"],
        row["title"],
        row["rappen"],
        row["at_hand"],
        row["standing"] == "live",
        datetime.fromisoformat(row["until"]),
        row["standing"] == "lapsed",
        head=row.get("under", ""),
        page=row["page"],
        traits=row.get("differs") or dict.fromkeys(row.get("differs_by", ()), ""),
        fields={name: value for name, value in said.items() if value},
        pictures=tuple(f"/pictures/{name}" for name in row.get("pictures", ())),
        gtin=str(row.get("gtin") or ""),
        brand=str(row.get("brand") or ""),
        text=said["story"],
        weight_g=grams(row.get("weight")),
        placed_at=moment(row.get("placed")),
        changed_at=moment(row.get("changed")),
    )


def _at(ref: str) -> str:
    return f"pieces/{quote(ref, safe='')}"


def _set(name: str, value: Any) -> dict[str, Any]:
    """Returns the operation that sets a field, whether it has a value or not: `add` replaces a
    member that exists.
    """
    return {"op": "add", "path": f"/{name}", "value": value}


def _theirs(name: str) -> str:
    return name.replace("_", " ")


def _problems(refusal: OutsideRefusal) -> list[tuple[str, str]]:
    """Returns (our field, the channel's message) for each thing refused; places are JSON pointers
    (RFC 6901).
    """
    body = refusal.body if isinstance(refusal.body, dict) else {}
    found = [
        (str(told["at"]).removeprefix("/facts").strip("/").replace(" ", "_"), str(told["because"]))
        for told in body.get("refusals", ())
    ]
    return found or [("", str(body.get("error") or body.get("detail") or refusal))]


def _order_of_pieces(order: dict[str, Any]) -> IncomingOrder:
    return IncomingOrder(
        number=order["number"],
        placed_at=datetime.fromisoformat(order["made"]),
        currency=order["money"],
        lines=tuple(
            IncomingLine(
                line["place"],
                line["code"],
                line["title"],
                line["count"],
                line["rappen"],
                line["piece"],
            )
            for line in order["pieces"]
        ),
        ship_to=Address.read(order["to"]),
        delivery_price=order["carriage"],
        paid=order["settled"],
        cancelled=order["standing"] == "off",
        sent=order["standing"] == "gone",
        changed=order["turn"],
    )
