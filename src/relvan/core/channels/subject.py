"""The thing that an update to a channel is about."""

from enum import StrEnum
from typing import NamedTuple


class SubjectKind(StrEnum):
    """The kinds of subjects. Listings and parcels are named by their ids, orders by the channel's
    number."""

    LISTING = "listing"
    ORDER = "order"
    PARCEL = "parcel"


class UpdateSubject(NamedTuple):
    """One thing that a channel is told about. At most one update about it waits for each topic.

    It is kept and looked up in its text form.

    >>> str(UpdateSubject(SubjectKind.ORDER, "HG-1")), UpdateSubject.read("listing:12").key
    ('order:HG-1', '12')
    """

    kind: SubjectKind
    key: str

    def __str__(self) -> str:
        return f"{self.kind.value}:{self.key}"

    @classmethod
    def read(cls, text: str) -> "UpdateSubject":
        """Reads a subject from its text form. Raises ValueError for any other text."""
        kind, _, key = text.partition(":")
        return cls(SubjectKind(kind), key)


def listing_subject(listing_id: int) -> UpdateSubject:
    """Returns the subject of updates about a listing."""
    return UpdateSubject(SubjectKind.LISTING, str(listing_id))


def order_subject(channel_number: str) -> UpdateSubject:
    """Returns the subject of updates about an order, which is named by the channel's own number."""
    return UpdateSubject(SubjectKind.ORDER, channel_number)


def parcel_subject(parcel_id: int) -> UpdateSubject:
    """Returns the subject of updates about a parcel."""
    return UpdateSubject(SubjectKind.PARCEL, str(parcel_id))
