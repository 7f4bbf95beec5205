"""How the seller uses an account at a carrier: what its labels are like, what stands on them, from where it
collects, and what happens once a label is there.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, fields
from enum import StrEnum
from typing import Any

from relvan.core.refusal import Refusal


class LabelFormat(StrEnum):
    """The file that label printers take."""

    PDF = "pdf"
    PNG = "png"


class LabelSize(StrEnum):
    """The paper of a label: A6 (105 x 148 mm), or a roll of 100 x 150 mm."""

    A6 = "A6"
    ROLL = "100x150"


class LabelReference(StrEnum):
    """What stands on a label as the sender's reference."""

    BOTH = "order and shipment"
    ORDER = "order"
    CHANNEL = "channel"
    CUSTOMER = "customer"


class AfterLabel(StrEnum):
    """What happens to a shipment once all its labels are there: it waits to be dispatched, or it is
    dispatched at once."""

    WAIT = "wait"
    DISPATCH = "dispatch"


@dataclass(frozen=True)
class AccountUse:
    """How an account is used. `collects` has the keys of the warehouses from which it collects; empty
    for all."""

    label_format: LabelFormat = LabelFormat.PDF
    label_size: LabelSize = LabelSize.A6
    reference: LabelReference = LabelReference.BOTH
    after_label: AfterLabel = AfterLabel.WAIT
    collects: tuple[str, ...] = ()

    @classmethod
    def read(cls, told: Mapping[str, Any]) -> "AccountUse":
        """Reads it from plain data; what is not there is as usual.

        >>> AccountUse.read({"label_format": "png"}).label_format
        <LabelFormat.PNG: 'png'>
        """
        usual = cls()
        return cls(
            LabelFormat(told.get("label_format", usual.label_format)),
            LabelSize(told.get("label_size", usual.label_size)),
            LabelReference(told.get("reference", usual.reference)),
            AfterLabel(told.get("after_label", usual.after_label)),
            tuple(told.get("collects", ())),
        )

    def as_dict(self) -> dict[str, Any]:
        """Returns it as plain data."""
        return {
            part.name: [*self.collects]
            if part.name == "collects"
            else str(getattr(self, part.name))
            for part in fields(self)
        }

    def collects_from(self, warehouse: str) -> bool:
        """Says whether the carrier takes parcels from a warehouse, given by its key."""
        return not self.collects or warehouse in self.collects


CHOICES: Mapping[str, type[StrEnum]] = {
    "label_format": LabelFormat,
    "label_size": LabelSize,
    "reference": LabelReference,
    "after_label": AfterLabel,
}


def check_account_use(told: Mapping[str, Any], warehouses: Collection[str]) -> list[Refusal]:
    """Checks what is to be of an account, given as plain data; `warehouses` are the keys that there are."""
    found = []
    for name, choices in CHOICES.items():
        if name in told and told[name] not in set(choices):
            message = f"“{str(told[name])[:40]}” is not allowed for “{name.replace('_', ' ')}”."
            fix = f"Choose one of {', '.join(choices)}."
            found.append(Refusal("not-allowed", message, fix, name))
    strange = [one for one in told.get("collects", ()) if one not in warehouses]
    if strange:
        message = f"There is no warehouse “{str(strange[0])[:40]}”."
        found.append(Refusal("not-found", message, "Choose one of the list.", "collects"))
    return found


def reference_of(use: AccountUse, order: str, shipment: str, channel: str, customer: str) -> str:
    """Returns what stands on a label: numbers of the order, of the shipment, of the channel, and the
    customer's own reference; where the wanted one is empty, that of the order.

    >>> reference_of(AccountUse(), "O-7", "S-9", "", "")
    'O-7 / S-9'
    """
    if use.reference == LabelReference.CHANNEL and channel:
        return channel
    if use.reference == LabelReference.CUSTOMER and customer:
        return customer
    return f"{order} / {shipment}" if use.reference == LabelReference.BOTH else order
