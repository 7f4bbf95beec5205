"""Merrowline: its rates are asked for by address, a parcel is booked under our own reference, weights are
in kilograms, and prices are written as text.
"""

from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from decimal import Decimal
from typing import Any
from urllib.parse import quote

from relvan.core.orders.intake import Address
from relvan.core.shipping.tracking import ParcelStage
from relvan.gateways.calling import OutsideCaller, OutsideRefusal
from relvan.gateways.carriers.port import BoughtLabel, CarrierEvent, Charge, Quote

TRACKED_AT_ONCE = 20
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

    def test(self) -> str:
        return str(self._caller.json("GET", "sender").get("sender"))

    def quotes(self, to: Address, weight_g: int) -> list[Quote]:
        asked = {"to": to.country, "mass": f"{weight_g / 1000:.3f}"}
        found = self._caller.json("GET", "rates", params=asked)
        return [
            Quote(one["rate"], one["called"], *_amount(one["price"]), one["there_on"])
            for one in found
        ]

    def buy_label(
        self, key: str, service: str, sender: Address, to: Address, weight_g: int, note: str
    ) -> BoughtLabel:
        body = {
            "rate": service,
            "sender": asdict(sender),
            "receiver": asdict(to),
            "mass": weight_g / 1000,
            "remark": note,
        }
        return _label(self._caller.json("PUT", f"notes/{quote(key, safe='')}", json=body))

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


def _amount(text: str) -> tuple[int, str]:
    """Returns minor units and currency of a price such as “6.20 EUR”."""
    number, currency = text.split()
    return int(Decimal(number) * 100), currency


def _label(found: dict[str, Any]) -> BoughtLabel:
    return BoughtLabel(found["note"], *_amount(found["price"]), found["follow"], found["there_on"])
