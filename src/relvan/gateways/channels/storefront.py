"""Speaks the dialect of the seller's own web store, with items by SKU, money as decimal text, and
signed order webhooks.
"""

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any
from urllib.parse import quote

from relvan.core.money import Money, as_decimal
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

ROOM = "web"


class StorefrontGateway:
    """A channel with items and store rooms."""

    def __init__(self, caller: OutsideCaller) -> None:
        self._caller = caller
        # Media that the store has: a throttled item must not spend its calls on them again.
        self._media: set[str] = set()

    def test(self) -> str:
        return str(self._caller.json("GET", "about").get("store"))

    def publish(self, offer: Offer, key: str) -> Placed:
        # An item is put under its SKU, which makes the call safe to repeat: no look-up by key is
        # needed.
        body = {**self._words(offer), "stock": {ROOM: offer.quantity}}
        found = self._put(offer.sku, body)
        if found["replaced"]:  # of one that was there already, only the words have been taken
            self._bring_up_to_date(found["sku"], offer)
        return Placed(found["sku"], found["page"])

    def _bring_up_to_date(self, ref: str, offer: Offer) -> None:
        self.set_shown(ref, True)
        if offer.part == "head":
            return
        for verdict in (
            *self.set_quantities([(ref, offer.quantity)]),
            *self.set_prices([PriceRow(ref, offer.price, offer.regular)]),
        ):
            if not verdict.ok:
                raise ContentRefused([("", verdict.says)])

    def find_placed(self, offer_sku: str, key: str) -> Placed | None:
        return None

    def send_content(self, ref: str, offer: Offer) -> None:
        self._put(ref, self._words(offer))

    def set_quantities(self, rows: Sequence[tuple[str, int]]) -> list[RowVerdict]:
        levels = [{"sku": ref, "room": ROOM, "count": units} for ref, units in rows]
        return _verdicts(self._caller.json("POST", "stock", json={"levels": levels}))

    def set_prices(self, rows: Sequence[PriceRow]) -> list[RowVerdict]:
        prices = [
            {"sku": ref, "price": _text(price), "before": _text(regular) if regular else None}
            for ref, price, regular in rows
        ]
        return _verdicts(self._caller.json("POST", "prices", json={"prices": prices}))

    def set_shown(self, ref: str, shown: bool) -> None:
        self._caller.call("PUT", f"items/{quote(ref, safe='')}/visible", json={"visible": shown})

    def listings_after(self, ref: str, page: int) -> list[ShownListing]:
        found = self._caller.json("GET", "items", params={"after": ref, "limit": page})["items"]
        return [_shown_item(item) for item in found]

    def orders_after(self, mark: int, page: int) -> list[IncomingOrder]:
        found = self._caller.poll("orders", changed_after=mark, limit=page)["orders"]
        return [_storefront_order(order) for order in found]

    def acknowledge(self, number: str) -> None:
        self._caller.call("PUT", f"orders/{number}/acknowledged")

    def tell_dispatched(self, number: str, parcel: Dispatched) -> None:
        code = quote(parcel.tracking_number, safe="")
        self._caller.call(
            "PUT",
            f"orders/{number}/dispatches/{code}",
            json={"carrier": parcel.carrier, "state": parcel.stage},
        )

    def tell_taken_off(self, number: str, units: Mapping[str, int]) -> None:
        self._caller.call("PUT", f"orders/{number}/taken-off", json={"lines": dict(units)})

    def tell_refunded(self, number: str, refunds: Mapping[str, int]) -> None:
        for key, amount in refunds.items():
            address = f"orders/{number}/refunds/{quote(key, safe='')}"
            self._caller.call("PUT", address, json={"amount": amount})

    def set_webhook(self, url: str, secret: str) -> None:
        self._caller.call("PUT", "hook", json={"url": url, "secret": secret})

    def read_webhook(self, body: bytes) -> IncomingOrder | None:
        told = json.loads(body)
        return (
            _storefront_order(told["data"])
            if str(told.get("type", "")).startswith("order.")
            else None
        )

    def close(self) -> None:
        self._caller.close()

    def _put(self, sku: str, body: dict[str, Any]) -> Any:
        try:
            return self._caller.json("PUT", f"items/{quote(sku, safe='')}", json=body)
        except OutsideRefusal as refusal:
            self._media.clear()  # perhaps it lost one of them
            detail = refusal.body.get("detail") if isinstance(refusal.body, dict) else None
            faults = detail.get("faults", {}) if isinstance(detail, dict) else {}
            raise ContentRefused(list(faults.items()) or [("", str(refusal))]) from refusal

    def _words(self, offer: Offer) -> dict[str, Any]:
        words: dict[str, Any] = {name: value for name, value in offer.fields.items() if value}
        if "weight" in words:
            words["weight"] = int(words["weight"])
        for picture in offer.pictures:
            if picture.sha not in self._media:
                self._caller.call("PUT", f"media/{picture.sha}", content=picture.path.read_bytes())
                self._media.add(picture.sha)
        words["images"] = [picture.sha for picture in offer.pictures]
        if offer.part == "head":
            return {**words, "options": list(offer.traits)}
        words["price"] = _text(offer.price)
        words["before"] = _text(offer.regular) if offer.regular else None
        return (
            {**words, "of": offer.head, "choice": dict(offer.traits)}
            if offer.part == "member"
            else words
        )


def _shown_item(item: dict[str, Any]) -> ShownListing:
    said = {
        name: str(item.get(name, "")) for name in ("name", "body", "section", "weight", "barcode")
    }
    return ShownListing(
        item["sku"],
        item["sku"],
        item["name"],
        int(Decimal(item["price"]) * 100),
        item["stock"][ROOM],
        item["visible"],
        head=item.get("of", ""),
        page=item["page"],
        gtin=said["barcode"],
        traits=item.get("choice") or dict.fromkeys(item.get("options", ()), ""),
        fields={name: value for name, value in said.items() if value},
        pictures=tuple(item.get("images", ())),
        brand=str(item.get("brand") or ""),
        text=said["body"],
        weight_g=grams(item.get("weight")),
        placed_at=moment(item.get("placed")),
        changed_at=moment(item.get("changed")),
    )


def _text(price: Money) -> str:
    return str(as_decimal(price.amount, price.currency))


def _verdicts(found: dict[str, Any]) -> list[RowVerdict]:
    return [
        RowVerdict(row["sku"], not row["fault"], row["fault"] or "") for row in found["outcomes"]
    ]


def _storefront_order(order: dict[str, Any]) -> IncomingOrder:
    return IncomingOrder(
        number=order["number"],
        placed_at=datetime.fromisoformat(order["placed_at"]),
        currency=order["currency"],
        lines=tuple(
            IncomingLine(
                line["line"],
                line["sku"],
                line["title"],
                line["quantity"],
                line["each"],
                line["ref"],
            )
            for line in order["lines"]
        ),
        ship_to=Address.read(order["buyer"]),
        delivery_price=order["postage"],
        paid=order["paid"],
        cancelled=order["state"] == "cancelled",
        sent=order["state"] == "sent",
        changed=order["seq"],
    )
