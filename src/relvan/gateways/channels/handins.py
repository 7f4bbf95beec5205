"""Speaks the dialect of marketplaces with a shared catalogue, where all changes are handed in and
answered by reply sheet.
"""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, Literal
from urllib.parse import quote

from relvan.core.listings.rulebook import NEW_PAGE
from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder
from relvan.gateways.calling import OutsideCaller, OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import (
    CataloguePage,
    CentreNews,
    ContentRefused,
    Dispatched,
    HandedOver,
    HandInRow,
    Offer,
    Placed,
    PriceRow,
    RowVerdict,
    SheetLine,
    ShownListing,
    moment,
)
from relvan.gateways.channels.sent_pictures import SentPictures
from relvan.gateways.channels.without_webhooks import WithoutWebhooks

TERMS = ("condition", "hours_to_leave", "note")
OF_PAGE = ("title", "maker", "text", "aisle", "gtin", "no_gtin_because")
NUMBERS = ("hours_to_leave",)
TOO_LATE = 409
ASKED_AGAIN = 40  # times that one line alone asks for its reply before it gives up: only tests and small shops do that


class HandInsGateway(WithoutWebhooks):
    """A channel with catalogue pages, offers and hand-ins."""

    def __init__(self, caller: OutsideCaller) -> None:
        self._caller = caller
        self._pictures = SentPictures(self._send_picture)

    def test(self) -> str:
        found = self._caller.json("GET", "stall")
        return f"{found.get('stall')} on {found.get('house')}"

    def hand_in(self, mark: str, rows: Sequence[HandInRow]) -> str:
        lines = [self._line(row) for row in rows]
        return str(
            self._caller.json("POST", "handins", json={"lines": lines}, headers={"Mark": mark})[
                "handin"
            ]
        )

    def find_handed_in(self, mark: str) -> str:
        return self._caller.json("GET", "handins", params={"mark": mark})["handin"] or ""

    def reply_sheet(self, number: str) -> tuple[SheetLine, ...] | None:
        found = self._caller.json("GET", f"handins/{quote(number, safe='')}/reply")
        if found["state"] != "answered":
            return None
        lines = tuple(_sheet_line(line) for line in found["lines"])
        if any(at == "pictures" for line in lines for at, _ in line.problems):
            self._pictures.forget()
        return lines

    def pages_by_gtin(self, gtins: Sequence[str]) -> list[CataloguePage]:
        found = self._caller.json("GET", "pages", params={"gtin": ",".join(gtins)})["pages"]
        return [_page(page, self._caller.address) for page in found]

    def pages_by_words(self, words: str, most: int) -> list[CataloguePage]:
        found = self._caller.json("GET", "pages", params={"words": words, "most": most})["pages"]
        return [_page(page, self._caller.address) for page in found]

    # One thing at a time is a hand-in of one line: the same promises, more slowly.

    def publish(self, offer: Offer, key: str) -> Placed:
        line = self._alone(HandInRow(key, "publish", offer=offer))
        assert line.placed is not None
        return line.placed

    def find_placed(self, offer_sku: str, key: str) -> Placed | None:
        number = self.find_handed_in(key)
        lines = self.reply_sheet(number) if number else None
        return next((line.placed for line in lines or () if line.key == key), None)

    def send_content(self, ref: str, offer: Offer) -> None:
        self._alone(HandInRow(f"{ref} {datetime.now().timestamp()}", "content", ref, offer))

    def set_quantities(self, rows: Sequence[tuple[str, int]]) -> list[RowVerdict]:
        return [
            self._verdict(HandInRow("", "quantity", ref, quantity=units)) for ref, units in rows
        ]

    def set_prices(self, rows: Sequence[PriceRow]) -> list[RowVerdict]:
        return [self._verdict(HandInRow("", "price", ref, price=price)) for ref, price, _ in rows]

    def set_shown(self, ref: str, shown: bool) -> None:
        self._alone(HandInRow("", "shown", ref, shown=shown))

    def listings_after(self, ref: str, page: int) -> list[ShownListing]:
        found = self._caller.json("GET", "offers", params={"beyond": ref, "limit": page})["offers"]
        return [_shown_offer(offer) for offer in found]

    def orders_after(self, mark: int, page: int) -> list[IncomingOrder]:
        found = self._caller.poll("orders", since=mark, limit=page)["orders"]
        return [_handed_order(order) for order in found]

    def acknowledge(self, number: str) -> None:
        self._caller.call("POST", f"orders/{number}/received")

    def tell_dispatched(self, number: str, parcel: Dispatched) -> None:
        code = quote(parcel.tracking_number, safe="")
        self._caller.call(
            "PUT",
            f"orders/{number}/parcels/{code}",
            json={"by": parcel.carrier, "word": parcel.stage},
        )

    def tell_taken_off(self, number: str, units: Mapping[str, int]) -> None:
        for line, count in units.items():
            address = f"orders/{number}/lines/{quote(line, safe='')}/not-coming"
            self._caller.call("PUT", address, json={"units": count})

    def tell_refunded(self, number: str, refunds: Mapping[str, int]) -> None:
        for key, amount in refunds.items():
            address = f"orders/{number}/moneys/{quote(key, safe='')}"
            self._caller.call("PUT", address, json={"cents": amount})

    def hand_over(self, goods: HandedOver) -> None:
        lines = [{"code": sku, "units": units} for sku, units in goods.lines]
        body = {"centre": goods.centre, "lines": lines, "goes_to": goods.to.as_dict()}
        try:
            self._caller.call("PUT", f"handovers/{quote(goods.ref, safe='')}", json=body)
        except OutsideRefusal as refusal:
            raise _in_its_words(refusal) from refusal

    def recall(self, ref: str) -> bool:
        try:
            self._caller.call("DELETE", f"handovers/{quote(ref, safe='')}")
        except OutsideRefusal as refusal:
            if refusal.status == TOO_LATE:
                return False
            raise _in_its_words(refusal) from refusal
        return True

    def centre_news(self, mark: int, page: int) -> list[CentreNews]:
        found = self._caller.json("GET", "handovers", params={"since": mark, "limit": page})
        return [_centre_news(one) for one in found["handovers"]]

    def close(self) -> None:
        self._caller.close()

    def _line(self, row: HandInRow) -> dict[str, Any]:
        line: dict[str, Any] = {"key": row.key, "offer": row.ref}
        if row.topic == "quantity":
            return {**line, "do": "units", "units": row.quantity}
        if row.topic == "price":
            return {**line, "do": "price", "price": row.price.amount if row.price else None}
        if row.topic == "shown":
            return {**line, "do": "wake" if row.shown else "rest"}
        assert row.offer is not None
        line["terms"] = _terms(row.offer)
        if row.topic == "content":
            return {**line, "do": "reword"}
        line |= {
            "code": row.offer.sku,
            "price": row.offer.price.amount,
            "units": row.offer.quantity,
        }
        page = row.offer.fields.get("page", "")
        if page != NEW_PAGE:
            return {**line, "do": "offer", "page": page}
        return {**line, "do": "page", "wanted": self._wanted(row.offer)}

    def _wanted(self, offer: Offer) -> dict[str, Any]:
        said = {name: value for name, value in offer.fields.items() if value}
        page: dict[str, Any] = {name: said[name] for name in OF_PAGE if name in said}
        beside = {*OF_PAGE, *TERMS, "page"}
        page["particulars"] = {name: value for name, value in said.items() if name not in beside}
        page["pictures"] = [self._pictures.name_of(picture) for picture in offer.pictures]
        return page

    def _send_picture(self, content: bytes) -> str:
        return str(self._caller.json("POST", "pictures", content=content)["picture"])

    def _alone(self, row: HandInRow) -> SheetLine:
        """Hands in one line under its own key, or under one of this moment, and waits for the
        reply.
        """
        key = row.key or f"{row.topic} {row.ref} {datetime.now().timestamp()}"
        number = self.hand_in(
            key, [HandInRow(key, row.topic, row.ref, row.offer, row.quantity, row.price, row.shown)]
        )
        for _ in range(ASKED_AGAIN):
            lines = self.reply_sheet(number)
            if lines is not None:
                if lines[0].problems:
                    raise ContentRefused(lines[0].problems)
                return lines[0]
        raise OutsideTrouble("There is no reply sheet yet", unclear=True)

    def _verdict(self, row: HandInRow) -> RowVerdict:
        try:
            self._alone(row)
        except (ContentRefused, OutsideRefusal) as refusal:
            return RowVerdict(row.ref, False, str(refusal))
        return RowVerdict(row.ref, True)


def _terms(offer: Offer) -> dict[str, Any]:
    said = {name: offer.fields[name] for name in TERMS if offer.fields.get(name)}
    return {
        name: int(value) if name in NUMBERS and value.isdigit() else value
        for name, value in said.items()
    }


def _sheet_line(line: dict[str, Any]) -> SheetLine:
    problems = tuple(
        (str(p["at"]).removeprefix("particulars."), str(p["because"])) for p in line["because"]
    )
    if problems or "path" not in line:
        return SheetLine(line["key"], None, problems)
    placed = Placed(line["offer"], line["path"], catalogue_page=line["page"])
    return SheetLine(line["key"], placed, again=line.get("again", False))


def _page(page: dict[str, Any], address: str) -> CataloguePage:
    scheme, _, rest = address.partition("://")
    picture = f"{scheme}://{rest.partition('/')[0]}{page['picture']}" if page["picture"] else ""
    return CataloguePage(
        page["page"],
        page["gtin"],
        page["title"],
        page["maker"],
        picture,
        page["aisle"],
        page["measure"],
        page["offers"],
        page["lowest"],
    )


def _shown_offer(offer: dict[str, Any]) -> ShownListing:
    said = {
        "page": offer["page"],
        "title": offer["title"],
        "maker": offer["maker"],
        "gtin": offer["gtin"],
    }
    said |= {name: str(value) for name, value in offer["terms"].items()}
    return ShownListing(
        offer["offer"],
        offer["code"],
        offer["title"],
        offer["price"],
        offer["units"],
        offer["awake"],
        page=offer["path"],
        gtin=offer["gtin"],
        brand=offer["maker"],
        centre=offer["sent_by"] != "seller",
        fields={name: value for name, value in said.items() if value},
        pictures=tuple(offer["pictures"]),
        text=str(offer.get("text") or ""),
        placed_at=moment(offer.get("placed")),
        changed_at=moment(offer.get("changed")),
    )


def _handed_order(order: dict[str, Any]) -> IncomingOrder:
    return IncomingOrder(
        number=order["order"],
        placed_at=datetime.fromisoformat(order["at"]),
        currency=order["coin"],
        lines=tuple(
            IncomingLine(
                line["no"], line["code"], line["title"], line["units"], line["price"], line["offer"]
            )
            for line in order["lines"]
        ),
        ship_to=Address.read(order["goes_to"]),
        delivery_price=order["delivery"],
        paid=order["paid"],
        cancelled=order["stands"] == "called off",
        sent=order["stands"] == "on its way",
        changed=order["turn"],
    )


def _in_its_words(refusal: OutsideRefusal) -> OutsideRefusal:
    """Returns a refusal that says what Corvello said, where it said something."""
    told = refusal.body.get("detail") if isinstance(refusal.body, dict) else None
    return OutsideRefusal(str(told or refusal), refusal.status, refusal.body)


STANDS: dict[str, Literal["taken", "packing", "gone", "recalled"]] = {
    "taken": "taken",
    "being packed": "packing",
    "on its way": "gone",
    "called back": "recalled",
}


def _centre_news(told: dict[str, Any]) -> CentreNews:
    parcel = told["parcel"] or {}
    return CentreNews(
        told["ref"],
        told["turn"],
        STANDS[told["stands"]],
        parcel.get("by", ""),
        parcel.get("code", ""),
        parcel.get("grams", 0),
        told["cents"],
    )
