"""Ostrel Post: it quotes prices, sells each label once under a client reference, and returns labels
as A6 PDF.
"""

from collections.abc import Sequence
from dataclasses import asdict
from datetime import UTC, datetime
from typing import Any

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

TRACKED_AT_ONCE = 50
PAPERS = {LabelSize.A6: "a6", LabelSize.ROLL: "roll-100-150"}
STAGES = {
    "announced": ParcelStage.ANNOUNCED,
    "taken-over": ParcelStage.COLLECTED,
    "held-back": ParcelStage.DELAYED,
    "handed-out": ParcelStage.DELIVERED,
    "not-found": ParcelStage.LOST,
}


class OstrelGateway:
    """An account with Ostrel Post."""

    def __init__(self, caller: OutsideCaller) -> None:
        self._caller = caller

    def account(self) -> CarrierAccount:
        told = self._caller.json("GET", "account")
        services = {one["product"]: one["title"] for one in told["products"]}
        return CarrierAccount(told["account"], services)

    def quotes(self, ask: CarriageAsk) -> list[Quote]:
        found = self._caller.json("POST", "quotes", json=_parcel(ask))["quotes"]
        return [
            Quote(q["product"], q["title"], q["cents"], q["money"], q["arrives"]) for q in found
        ]

    def buy_label(self, wish: LabelWish) -> BoughtLabel:
        body = {
            **_parcel(wish.ask),
            "client_ref": wish.key,
            "product": wish.service,
            "note": wish.reference,
            "print": {"as": str(wish.form), "paper": PAPERS[wish.size]},
            "customs": [
                {
                    "text": line.words,
                    "tariff": line.hs_code,
                    "made_in": line.origin,
                    "pieces": line.quantity,
                    "cents": line.value,
                    "money": line.currency,
                    "grams": line.weight_g,
                }
                for line in wish.customs
            ],
            "eori": wish.eori,
        }
        try:
            return _label(self._caller.json("POST", "labels", json=body))
        except OutsideRefusal as refusal:
            if refusal.status == 409 and (label := self.find_label(wish.key)):
                return label
            raise

    def find_label(self, key: str) -> BoughtLabel | None:
        try:
            return _label(self._caller.json("GET", "labels", params={"client_ref": key}))
        except OutsideRefusal as refusal:
            if refusal.status == 404:
                return None
            raise

    def label_file(self, tracking_number: str) -> bytes:
        return self._caller.call("GET", f"labels/{tracking_number}/print").content

    def void_label(self, tracking_number: str) -> None:
        self._caller.json("DELETE", f"labels/{tracking_number}")

    def close_manifest(self, key: str, tracking_numbers: Sequence[str]) -> str:
        body = {"client_ref": key, "codes": list(tracking_numbers)}
        return str(self._caller.json("POST", "manifests", json=body)["manifest"])

    def track(self, tracking_numbers: Sequence[str]) -> dict[str, list[CarrierEvent]]:
        found: dict[str, list[CarrierEvent]] = {}
        for start in range(0, len(tracking_numbers), TRACKED_AT_ONCE):
            body = {"codes": list(tracking_numbers[start : start + TRACKED_AT_ONCE])}
            told = self._caller.json("POST", "tracking", json=body)["parcels"]
            found |= {code: [_event(one) for one in events] for code, events in told.items()}
        return found

    def charges(self, manifest: str) -> list[Charge] | None:
        try:
            lines = self._caller.json("GET", f"manifests/{manifest}/bill")["lines"]
        except OutsideRefusal as refusal:
            if refusal.status == 404:
                return None
            raise
        return [Charge(one["code"], one["cents"], one["money"], one["why"]) for one in lines]

    def close(self) -> None:
        self._caller.close()


def _parcel(ask: CarriageAsk) -> dict[str, Any]:
    return {
        "from": asdict(ask.sender),
        "to": asdict(ask.to),
        "parcel": {"grams": ask.weight_g, "mm": [*(ask.size_mm or ())]},
        "worth": {"cents": ask.value, "money": ask.currency},
        "signed": ask.extras.signature,
        "insured": ask.extras.insured,
        "ready": ask.collected_on,
    }


def _event(told: dict[str, Any]) -> CarrierEvent:
    stage = STAGES.get(told["stage"], ParcelStage.UNDER_WAY)
    return CarrierEvent(datetime.fromisoformat(told["at"]).astimezone(UTC), stage, told["text"])


def _label(found: dict[str, Any]) -> BoughtLabel:
    return BoughtLabel(
        found["code"], found["cents"], found["money"], found["track"], found["arrives"]
    )
