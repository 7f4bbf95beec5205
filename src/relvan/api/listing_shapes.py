"""Defines what the calls about listings take: layers, translations, catalogue pages, found
listings.
"""

from typing import Annotated, Any, Literal

from pydantic import Field

from relvan.api.described import Flag, Id, described_text
from relvan.api.shapes import Shape
from relvan.core.texts import WORDS


class Publishing(Shape):
    """Listings to publish. Variants with gaps are left out of their families only when the call
    says so.
    """

    ids: list[Id] = Field(min_length=1, max_length=20_000)
    leave_out: Flag = False


class NewLayer(Shape):
    """A layer to be created: values by field; for the topic price, `price_steps`. `standing_for` is
    the category of ours whose default layer it becomes, "" for all, or null.
    """

    channel: str
    topic: str
    name: str
    values: dict[str, Any] = Field(default_factory=dict)
    standing_for: str | None = None


class LayerChange(Shape):
    """The changes of a layer; `values` replace all that it has."""

    name: str | None = None
    values: dict[str, Any] | None = None
    standing_for: str | None = None


class LayerValues(Shape):
    """Values that a layer would have."""

    values: dict[str, Any]


class LayerUse(Shape):
    """Layers by topic for listings of one channel: a layer's id, or null to remove it; or a set of
    layers.
    """

    ids: list[Id] = Field(min_length=1, max_length=20_000)
    layers: dict[str, Id | None] = Field(default_factory=dict)
    set: Id | None = None


class NewLayerSet(Shape):
    """Layers of several topics under one name."""

    channel: str
    name: Annotated[str, described_text(WORDS, 80)]
    layers: Annotated[dict[str, Id], Field(json_schema_extra={"minProperties": 1})]


class TranslationEntry(Shape):
    """Our word and the channel's; an empty `theirs` deletes the entry."""

    kind: Literal["trait", "attribute", "value"]
    field: str = ""
    ours: str
    theirs: str = ""
    category: str = ""


class TranslationEntries(Shape):
    """Entries of a channel's table."""

    items: list[TranslationEntry] = Field(min_length=1, max_length=2_000)


class PageChoice(Shape):
    """A catalogue page for a listing, or `new`; `reason` says why there is no GTIN."""

    id: Id
    page: Annotated[str, described_text(WORDS, 80)]
    reason: str = ""


class PageChoices(Shape):
    """Catalogue pages for many listings."""

    items: list[PageChoice] = Field(min_length=1, max_length=2_000)


class PageWords(Shape):
    """Words by which a catalogue page is looked for."""

    words: str


class Wording(Shape):
    """Wording that is to be shown for products."""

    channel: str
    field: str
    text: str
    q: str = ""


class FindingsWish(Shape):
    """Says which listings of a channel are read in."""

    words: str = ""
    shown: Literal["", "live", "down"] = ""
    centre: Flag = False


class FindingLink(Shape):
    """The product to which a found listing is linked."""

    sku: str


class Requirement(Shape):
    """Members of families' pages, and whether the family needs them to go live."""

    ids: list[Id] = Field(min_length=1, max_length=20_000)
    must: Flag = True
