"""What the calls about listings take: layers, translations, pages, findings."""

from typing import Any, Literal

from pydantic import Field

from relvan.api.shapes import Id, Shape


class Publishing(Shape):
    """Listings to send; variants with gaps are left out of their families only when that is
    said."""

    ids: list[Id] = Field(min_length=1, max_length=20_000)
    leave_out: bool = False


class NewLayer(Shape):
    """A layer to be: values by field; of the topic price `price_steps`. `standing_for` is a
    category of ours, "" for all, or nothing."""

    channel: str
    topic: str
    name: str
    values: dict[str, Any] = Field(default_factory=dict)
    standing_for: str | None = None


class LayerChange(Shape):
    """What changes of a layer; `values` replace all that it says."""

    name: str | None = None
    values: dict[str, Any] | None = None
    standing_for: str | None = None


class LayerValues(Shape):
    """Values that a layer would have."""

    values: dict[str, Any]


class LayerUse(Shape):
    """Layers by topic for listings of one channel: a layer's id, or nothing to take it away; or a
    set of them."""

    ids: list[Id] = Field(min_length=1, max_length=20_000)
    layers: dict[str, int | None] = Field(default_factory=dict)
    set: int | None = None


class NewLayerSet(Shape):
    """Layers of several topics under one name."""

    channel: str
    name: str
    layers: dict[str, int]


class TranslationEntry(Shape):
    """Ours and theirs; an empty `theirs` takes the entry away."""

    kind: Literal["trait", "attribute", "value"]
    field: str = ""
    ours: str
    theirs: str = ""
    category: str = ""


class TranslationEntries(Shape):
    """Entries of a channel's table."""

    items: list[TranslationEntry] = Field(min_length=1, max_length=2_000)


class PageChoice(Shape):
    """A page of the catalogue for a listing, or `new`; `reason` says why there is no GTIN."""

    id: int
    page: str
    reason: str = ""


class PageChoices(Shape):
    """Pages for many listings."""

    items: list[PageChoice] = Field(min_length=1, max_length=2_000)


class PageWords(Shape):
    """Words to look for a page by."""

    words: str


class Wording(Shape):
    """Wording to be looked at over products."""

    channel: str
    field: str
    text: str
    q: str = ""


class FindingsWish(Shape):
    """Which listings of a channel are read in."""

    words: str = ""
    shown: Literal["", "live", "down"] = ""
    centre: bool = False


class FindingLink(Shape):
    """The product that a finding is."""

    sku: str


class Requirement(Shape):
    """Members of families' pages, and whether they must be there."""

    ids: list[Id] = Field(min_length=1, max_length=20_000)
    must: bool = True
