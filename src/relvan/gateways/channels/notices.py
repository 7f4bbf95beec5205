"""Speaks the dialect of marketplaces that list item by item and answer at once, with notices,
shelves, and asking prices in cents.
"""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

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

NUMBERS = ("dispatch_days",)
OWN = (
    "heading",
    "text",
    "shelf",
    "condition",
    "brand",
    "barcode",
    "dispatch_days",
    "delivery",
    "returns",
)


class NoticesGateway(WithoutWebhooks):
    """A channel with notices."""

    def __init__(self, caller: OutsideCaller) -> None:
        self._caller = caller
        self._photos = SentPictures(self._send_photo)

    def test(self) -> str:
        found = self._caller.json("GET", "hello")
        return f"{found.get('seller')} on {found.get('market')}"

    def publish(self, offer: Offer, key: str) -> Placed:
        path = f"notices/{offer.head}/cells" if offer.part == "member" else "notices"
        body = {**self._words(offer), "own_code": offer.sku}
        if offer.part != "head":
            body |= {"asking": offer.price.amount, "units": offer.quantity}
        try:
            found = self._caller.json("POST", path, json=body, headers={"Request-Id": key})
        except OutsideRefusal as refusal:
            if refusal.status == 409 and (placed := self.find_placed(offer.sku, key)):
                return placed
            raise self._refused(refusal) from refusal
        return Placed(found["notice"], found["page"])

    def find_placed(self, offer_sku: str, key: str) -> Placed | None:
        found = self._caller.json("GET", "notices", params={"request": key})["notices"]
        return Placed(found[0]["notice"], found[0]["page"]) if found else None

    def send_content(self, ref: str, offer: Offer) -> None:
        try:
            path = (
                f"notices/{offer.head}/cells/{ref}" if offer.part == "member" else f"notices/{ref}"
            )
            self._caller.call("PATCH", path, json=self._words(offer))
        except OutsideRefusal as refusal:
            raise self._refused(refusal) from refusal

    def set_quantities(self, rows: Sequence[tuple[str, int]]) -> list[RowVerdict]:
        return self._set("units", [{"notice": ref, "units": units} for ref, units in rows])

    def set_prices(self, rows: Sequence[PriceRow]) -> list[RowVerdict]:
        return self._set(
            "asking", [{"notice": ref, "asking": price.amount} for ref, price, _ in rows]
        )

    def set_shown(self, ref: str, shown: bool) -> None:
        self._caller.call("POST", f"notices/{ref}/{'reopen' if shown else 'close'}")

    def listings_after(self, ref: str, page: int) -> list[ShownListing]:
        found = self._caller.json("GET", "notices", params={"after": ref, "limit": page})["notices"]
        return [_shown_notice(row) for row in found]

    def orders_after(self, mark: int, page: int) -> list[IncomingOrder]:
        found = self._caller.poll("sales", after_mark=mark, limit=page)["sales"]
        return [_order_of_sale(sale) for sale in found]

    def acknowledge(self, number: str) -> None:
        self._caller.call("POST", f"sales/{number}/seen")

    def tell_dispatched(self, number: str, parcel: Dispatched) -> None:
        body = {"carrier": parcel.carrier, "code": parcel.tracking_number, "how": parcel.stage}
        self._caller.call("POST", f"sales/{number}/sent", json=body)

    def tell_taken_off(self, number: str, units: Mapping[str, int]) -> None:
        items = [{"item": line, "units": count} for line, count in units.items()]
        self._caller.call("POST", f"sales/{number}/withdrawn", json={"items": items})

    def tell_refunded(self, number: str, refunds: Mapping[str, int]) -> None:
        for key, amount in refunds.items():
            body = {"code": key, "cents": amount}
            self._caller.call("POST", f"sales/{number}/paybacks", json=body)

    def close(self) -> None:
        self._caller.close()

    def _words(self, offer: Offer) -> dict[str, Any]:
        words: dict[str, Any] = {"details": {}}
        if offer.part == "head":
            words["grid"] = list(offer.traits)
        elif offer.part == "member":
            words["values"] = dict(offer.traits)
        for name, value in offer.fields.items():
            if name in OWN and value:
                words[name] = int(value) if name in NUMBERS else value
            elif (
                value or name not in OWN
            ):  # all that is not of the notice itself is a detail of its shelf
                words["details"][name] = value
        words["photos"] = [self._photos.name_of(picture) for picture in offer.pictures]
        return words

    def _send_photo(self, content: bytes) -> str:
        return str(self._caller.json("POST", "photos", content=content)["photo"])

    def _refused(self, refusal: OutsideRefusal) -> ContentRefused:
        self._photos.forget()
        return _content_refused(refusal)

    def _set(self, path: str, rows: list[dict[str, Any]]) -> list[RowVerdict]:
        found = self._caller.json("POST", path, json={"rows": rows})["rows"]
        return [RowVerdict(row["notice"], row["ok"], row["says"]) for row in found]


def _content_refused(refusal: OutsideRefusal) -> ContentRefused:
    problems = refusal.body.get("problems") if isinstance(refusal.body, dict) else None
    if not problems:
        return ContentRefused([("", str(refusal))])
    return ContentRefused(
        [(str(p["field"]).removeprefix("details."), str(p["says"])) for p in problems]
    )


def _shown_notice(row: dict[str, Any]) -> ShownListing:
    said = {
        name: str(row.get(name, "")) for name in ("heading", "text", "shelf", "brand", "barcode")
    }
    return ShownListing(
        row["notice"],
        row["own_code"],
        row["heading"],
        row["asking"],
        row["units"],
        row["open"],
        head=row.get("under", ""),
        page=row["page"],
        gtin=said["barcode"],
        brand=said["brand"],
        traits=row.get("values") or dict.fromkeys(row.get("grid", ()), ""),
        fields={name: value for name, value in {**said, **row.get("details", {})}.items() if value},
        pictures=tuple(row.get("photos", ())),
        text=said["text"],
        weight_g=grams(row.get("weight")),
        placed_at=moment(row.get("placed")),
        changed_at=moment(row.get("changed")),
    )


def _order_of_sale(sale: dict[str, Any]) -> IncomingOrder:
    return IncomingOrder(
        number=sale["sale"],
        placed_at=datetime.fromisoformat(sale["when"]),
        currency=sale["money"],
        lines=tuple(
            IncomingLine(
                item["item"],
                item["own_code"],
                item["heading"],
                item["units"],
                item["each"],
                item["notice"],
            )
            for item in sale["items"]
        ),
        ship_to=Address.read(sale["buyer"]),
        delivery_price=sale["postage"],
        paid=sale["paid"],
        cancelled=sale["stage"] == "cancelled",
        sent=sale["stage"] == "sent",
        changed=sale["mark"],
    )
