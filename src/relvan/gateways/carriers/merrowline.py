"""Merrowline: its rates are asked for by address, a parcel is booked under our own reference, weights are
in kilograms, and prices are written as text.
"""

from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from decimal import Decimal
from typing import Any
from urllib.parse import quote

from relvan.core.money import as_decimal
from relvan.core.shipping.accounts import LabelSize
from relvan.core.shipping.tracking import ParcelStage
from relvan.gateways.calling import OutsideCaller, OutsideRefusal
from relvan.gateways.carriers.port import (
    BoughtLabel,
    CarriageAsk,
    CarrierAccount,
    CarrierEvent,
    Charge,
    LabelWish,
    Quote,
)

TRACKED_AT_ONCE = 20
PAPERS = {LabelSize.A6: "A6", LabelSize.ROLL: "10 x 15 cm"}
SIGNS = {
    "N": ParcelStage.ANNOUNCED,
    "T": ParcelStage.COLLECTED,
    "W": ParcelStage.DELAYED,
    "D": ParcelStage.DELIVERED,
    "M": ParcelStage.LOST,
}


class MerrowlineGateway:
    """An account with Merrowline."""

    def __init__(self, caller: OutsideCaller) -> None:
        self._caller = caller

    def account(self) -> CarrierAccount:
        told = self._caller.json("GET", "sender")
        return CarrierAccount(
            told["sender"], {one["rate"]: one["called"] for one in told["may_use"]}
        )

    def quotes(self, ask: CarriageAsk) -> list[Quote]:
        asked = {
            "to": ask.to.country,
            "code": ask.to.postcode,
            "mass": f"{ask.weight_g / 1000:.3f}",
            "worth": as_text(ask.value, ask.currency),
            "hand": "yes" if ask.extras.signature else "no",
            "cover": "yes" if ask.extras.insured else "no",
            "by": ask.collected_on,
        }
        if ask.size_mm:
            asked["sides"] = "x".join(f"{side / 10:.1f}" for side in ask.size_mm)
        found = self._caller.json("GET", "rates", params=asked)
        return [
            Quote(one["rate"], one["called"], *_amount(one["price"]), one["there_on"])
            for one in found
        ]

    def buy_label(self, wish: LabelWish) -> BoughtLabel:
        ask = wish.ask
        body = {
            "rate": wish.service,
            "sender": asdict(ask.sender),
            "receiver": asdict(ask.to),
            "mass": ask.weight_g / 1000,
            "sides": [side / 10 for side in ask.size_mm or ()],
            "worth": as_text(ask.value, ask.currency),
            "hand": ask.extras.signature,
            "cover": ask.extras.insured,
            "by": ask.collected_on,
            "remark": wish.reference,
            "paper": PAPERS[wish.size],
            "file": str(wish.form),
            "goods": [
                {
                    "what": line.words,
                    "number": line.hs_code,
                    "from": line.origin,
                    "count": line.quantity,
                    "worth": as_text(line.value, line.currency),
                    "mass": line.weight_g / 1000,
                }
                for line in wish.customs
            ],
            "sender_number": wish.eori,
        }
        return _label(self._caller.json("PUT", f"notes/{quote(wish.key, safe='')}", json=body))

    def find_label(self, key: str) -> BoughtLabel | None:
        try:
            return _label(self._caller.json("GET", f"notes/{quote(key, safe='')}"))
        except OutsideRefusal as refusal:
            if refusal.status == 404:
                return None
            raise

    def label_file(self, tracking_number: str) -> bytes:
        return self._caller.call("GET", f"parcels/{tracking_number}/paper").content

    def void_label(self, tracking_number: str) -> None:
        self._caller.json("POST", f"parcels/{tracking_number}/withdraw")

    def close_manifest(self, key: str, tracking_numbers: Sequence[str]) -> str:
        body = {"parcels": list(tracking_numbers)}
        return str(
            self._caller.json("PUT", f"day-sheets/{quote(key, safe='')}", json=body)["sheet"]
        )

    def track(self, tracking_numbers: Sequence[str]) -> dict[str, list[CarrierEvent]]:
        found: dict[str, list[CarrierEvent]] = {}
        for start in range(0, len(tracking_numbers), TRACKED_AT_ONCE):
            some = ",".join(tracking_numbers[start : start + TRACKED_AT_ONCE])
            for line in self._caller.json("GET", "ways", params={"parcels": some}):
                at = datetime.fromisoformat(f"{line['on']}T{line['clock']}:00+00:00")
                stage = SIGNS.get(line["sign"], ParcelStage.UNDER_WAY)
                found.setdefault(line["parcel"], []).append(CarrierEvent(at, stage, line["words"]))
        return found

    def charges(self, manifest: str) -> list[Charge] | None:
        try:
            lines = self._caller.json("GET", f"day-sheets/{manifest}/bill")
        except OutsideRefusal as refusal:
            if refusal.status == 404:
                return None
            raise
        return [Charge(one["parcel"], *_amount(one["price"]), one["remark"]) for one in lines]

    def close(self) -> None:
        self._caller.close()


def as_text(amount: int, currency: str) -> str:
    """Returns an amount in minor units as Merrowline writes it.

    >>> as_text(620, "EUR")
    '6.20 EUR'
    """
    return f"{as_decimal(amount, currency)} {currency}"


def _amount(text: str) -> tuple[int, str]:
    """Returns minor units and currency of a price such as “6.20 EUR”."""
    number, currency = text.split()
    return int(Decimal(number) * 100), currency


def _label(found: dict[str, Any]) -> BoughtLabel:
    return BoughtLabel(found["note"], *_amount(found["price"]), found["follow"], found["there_on"])
