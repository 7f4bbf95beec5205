"""What a channel demands and allows, as data. The code decides by what a rulebook says, never by
the name of a channel."""

from decimal import Decimal
from functools import cached_property
from typing import Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, Field, model_validator


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


Topic = Literal["content", "pictures", "price", "quantity", "delivery"]
# what a layer may be about; each field belongs to one of them
LayerTopic = Literal["category", "wording", "price", "delivery", "returns"]
LAYER_TOPICS: tuple[LayerTopic, ...] = ("category", "wording", "price", "delivery", "returns")
NEW_PAGE = "new"
# a listing by itself, the head of a family's page, or one of its members
Place = Literal["whole", "head", "member"]


class FieldRule(_Part):
    """One field of a listing.

    `origin` names the product's field that feeds it (`title`, `attributes.material`), `default`
    what the rulebook says when nothing else does; lengths in characters, numbers in the product's
    unit. A field with `only_in` is asked for in these categories alone. `words` are several, parted
    by commas: `most` of them, each of at most `most_each` characters. `html` are the tags that a
    text may hold. `layer` is the topic of the layers that may set it. A field `of` a member is said
    by each variant of a family, one of the head by the family's page alone. A `page` is a page of
    the channel's own catalogue; fields `for_new_page` are asked for when a new one is wished for,
    and one `without` another when that other says nothing.
    """

    name: str
    label: str
    kind: Literal["text", "long text", "choice", "category", "number", "gtin", "words", "page"] = (
        "text"
    )
    required: bool = False
    required_in: tuple[str, ...] = ()
    only_in: tuple[str, ...] = ()
    least: int | None = None
    most: int | None = None
    most_each: int | None = None
    choices: tuple[str, ...] = ()
    origin: str = ""
    default: str = ""
    topic: Topic = "content"
    layer: LayerTopic = "category"
    of: Literal["head", "member", "both"] = "head"
    html: tuple[str, ...] = ()
    for_new_page: bool = False
    without: str = ""

    @property
    def attribute(self) -> str:
        """The product's attribute that feeds the field; it is empty when something else does."""
        return attribute_fed(self.origin)

    def is_asked_in(self, category: str) -> bool:
        """Says whether a listing of a category may have this field."""
        return not self.only_in or category in self.only_in

    def is_asked_of(self, part: Place) -> bool:
        """Says whether this field belongs to a listing by itself, to the head of a family, or to
        one of its members."""
        return part == "whole" or self.of in ("both", part)


def attribute_fed(origin: str) -> str:
    """Returns the attribute that an origin names; it is empty when the origin is no attribute.

    >>> attribute_fed("attributes.material"), attribute_fed("title")
    ('material', '')
    """
    group, _, name = origin.partition(".")
    return name if group == "attributes" else ""


def parted(value: str) -> list[str]:
    """Returns the words of a field that holds several, separated by commas or lines; each word
    once.

    >>> parted("clay, Pot, Clay, ")
    ['clay', 'Pot']
    """
    found: dict[str, str] = {}
    for word in value.replace("\n", ",").split(","):
        if word.strip():
            found.setdefault(word.strip().casefold(), word.strip())
    return list(found.values())


class ChannelCategory(_Part):
    """A category of the channel: its key and its name as a path."""

    key: str
    name: str


class PictureRule(_Part):
    """How many pictures a listing needs and may have, and the least length of a picture's shorter
    side in pixels."""

    least: int = 0
    most: int = 12
    least_side_px: int = 1


class TraitRule(_Part):
    """How the channel shows families: by at most `most` traits; 0 means that each variant is listed
    alone. `names` are the only traits that the channel knows (any, when empty), and `names_in` are
    those by category; values have at most `most_each` characters."""

    most: int = Field(default=0, ge=0, le=3)
    names: tuple[str, ...] = ()
    names_in: dict[str, tuple[str, ...]] = Field(default_factory=dict)
    most_each: int = Field(default=60, ge=1)
    most_members: int = Field(default=400, ge=1)

    def names_for(self, category: str) -> tuple[str, ...]:
        """Returns the traits that a category knows; an empty result allows any."""
        return self.names_in.get(category, self.names)


class OtherFees(_Part):
    """Fees that a channel might take instead; what is not named stays as it is. Amounts are in
    minor units, shares in percent."""

    referral_percent: Decimal | None = Field(default=None, ge=0, lt=100)
    least_referral: int | None = Field(default=None, ge=0)
    fixed: int | None = Field(default=None, ge=0)
    processing_percent: Decimal | None = Field(default=None, ge=0, lt=100)


class FeeRule(_Part):
    """What the channel keeps of a sale: a share of the price by category and at least a certain
    amount, a fixed amount, and a share for taking the payment. Amounts are in minor units, shares
    in percent."""

    referral_percent: Decimal = Field(default=Decimal(0), ge=0, lt=100)
    referral_in: dict[str, Decimal] = Field(default_factory=dict)
    least_referral: int = Field(default=0, ge=0)
    fixed: int = Field(default=0, ge=0)
    processing_percent: Decimal = Field(default=Decimal(0), ge=0, lt=100)

    def percent_in(self, category: str) -> Decimal:
        """Returns the share of the price in a category."""
        return self.referral_in.get(category, self.referral_percent)

    def shares_in(self, category: str) -> "Shares":
        """Returns the shares of a price in a category, prepared for many prices."""
        name = category if category in self.referral_in else ""
        known = self._shares.get(name)
        if known is None:
            referral, processing = self.percent_in(name), self.processing_percent
            known = Shares(*_of_a_hundred(referral), *_of_a_hundred(processing))
            self._shares[name] = known
        return known

    def but_for(self, others: "OtherFees") -> "FeeRule":
        """Returns the same rule with other fees; another referral fee then holds in all categories."""
        given = {name: value for name, value in others.model_dump().items() if value is not None}
        by_category = {} if "referral_percent" in given else self.referral_in
        return FeeRule(**{**self.model_dump(), "referral_in": by_category, **given})

    @cached_property
    def _shares(self) -> "dict[str, Shares]":
        return {}


class Shares(NamedTuple):
    """What a channel keeps of a price, as whole numbers: `referral / referral_of` and `processing /
    processing_of`."""

    referral: int
    referral_of: int
    processing: int
    processing_of: int


def _of_a_hundred(percent: Decimal) -> tuple[int, int]:
    over, under = percent.as_integer_ratio()
    return over, under * 100


class PageRule(_Part):
    """The rule of a channel with a catalogue of its own: how many GTINs one search takes, how many
    pages it returns, and for which reasons goods may be offered without a GTIN."""

    gtins_at_once: int = Field(default=20, ge=1)
    found_at_once: int = Field(default=10, ge=1)
    no_gtin_reasons: tuple[str, ...] = ()


class CallLimits(_Part):
    """How many calls a second the channel allows, and how many at the same time."""

    per_second: float = Field(gt=0)
    burst: int = Field(ge=1)


class OrderReading(_Part):
    """How orders are read: every so many seconds, in pages, with so many earlier changes read
    again; and whether the channel also sends webhooks. While orders come in, they are read every
    `while_selling_s` seconds, where that is given."""

    poll_every_s: float = Field(gt=0)
    while_selling_s: float | None = Field(default=None, gt=0)
    page: int = Field(ge=1)
    overlap: int = Field(ge=0)
    webhook: bool = False

    def every_s(self, *, selling: bool) -> float:
        """Returns the seconds after which orders are read again."""
        return self.while_selling_s or self.poll_every_s if selling else self.poll_every_s


class ListingReading(_Part):
    """How the listings that the channel shows are read: every so many seconds, in pages."""

    read_every_s: float = Field(default=300, gt=0)
    page: int = Field(default=100, ge=1)


class RowsAtOnce(_Part):
    """How many rows one call may carry. New listings, their content, and taking down have one row
    each unless the rulebook says otherwise."""

    quantity: int = Field(ge=1)
    price: int = Field(ge=1)
    publish: int = Field(default=1, ge=1)
    content: int = Field(default=1, ge=1)
    shown: int = Field(default=1, ge=1)


class Rulebook(_Part):
    """All that a channel demands and allows. Fees and the least price are in minor units of its
    currency.

    `answers` says whether the channel answers at once or by a reply sheet. The reply sheet is asked
    for every so many seconds, the first time when it is usually ready. `owned` names what the
    channel alone decides on a page: fields, or `pictures`.
    """

    key: str
    name: str
    dialect: str
    edition: int
    currency: str
    token_label: str
    fields: tuple[FieldRule, ...]
    categories: tuple[ChannelCategory, ...] = ()
    pictures: PictureRule = PictureRule()
    least_price: int = 1
    most_units: int = 999_999
    placing_fee: int = 0
    calls: CallLimits
    rows_at_once: RowsAtOnce
    orders: OrderReading
    listings: ListingReading = ListingReading()
    traits: TraitRule = TraitRule()
    fees: FeeRule = FeeRule()
    pages: PageRule | None = None
    answers: Literal["at once", "by sheet"] = "at once"
    shows_regular: bool = False  # beside a sale price, struck through
    reply_every_s: float = Field(default=1, gt=0)
    reply_first_s: float = Field(default=0, ge=0)
    reply_line_s: float = Field(default=0, ge=0)
    owned: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _is_of_one_piece(self) -> "Rulebook":
        """Checks that no name is given twice, that every name that is referred to exists, and that
        a choice has values."""
        names, keys = (
            [rule.name for rule in self.fields],
            [category.key for category in self.categories],
        )
        doubled = [
            name for name in (*names, *keys) if names.count(name) > 1 or keys.count(name) > 1
        ]
        if doubled:
            raise ValueError(f"“{doubled[0]}” is there twice")
        if sum(rule.kind == "category" for rule in self.fields) > 1:
            raise ValueError("only one field can be the category")
        for rule in self.fields:
            unknown = {*rule.required_in, *rule.only_in}.difference(keys)
            if unknown:
                raise ValueError(
                    f"“{rule.name}” names the category “{min(unknown)}”, which is not there"
                )
            if rule.kind == "choice" and not rule.choices:
                raise ValueError(f"“{rule.name}” is a choice of nothing")
            if rule.without and rule.without not in names:
                raise ValueError(
                    f"“{rule.name}” is asked for without “{rule.without}”, which is not there"
                )
        strange = {*self.traits.names_in, *self.fees.referral_in}.difference(keys)
        if strange:
            raise ValueError(
                f"traits or fees name the category “{min(strange)}”, which is not there"
            )
        if any(rule.kind == "page" for rule in self.fields) != (self.pages is not None):
            raise ValueError("a field of kind “page” and “pages” go together")
        unowned = {*self.owned}.difference({*names, "pictures"})
        if unowned:
            raise ValueError(f"“{min(unowned)}” is said to be owned, and is not there")
        return self

    def field(self, name: str) -> FieldRule | None:
        """Returns the rule of a field; None when there is none."""
        return self.rule_of.get(name)

    def asked_rules(self, category: str, part: Place) -> tuple[FieldRule, ...]:
        """Returns the rules that apply to a listing of a category and a place in a family; that of
        the catalogue page comes first."""
        known = self._asked.get((category, part))
        if known is None:
            asked = [
                rule
                for rule in self.fields
                if rule.is_asked_in(category) and rule.is_asked_of(part)
            ]
            known = tuple(sorted(asked, key=lambda rule: rule.kind != "page"))
            if (
                category == "" or category in self.category_of_key
            ):  # what is no category there is not remembered
                self._asked[category, part] = known
        return known

    @cached_property
    def _asked(self) -> dict[tuple[str, str], tuple[FieldRule, ...]]:
        return {}

    @cached_property
    def rule_of(self) -> dict[str, FieldRule]:
        """The rules by the names of their fields."""
        return {rule.name: rule for rule in self.fields}

    @cached_property
    def rules_without(self) -> tuple[FieldRule, ...]:
        """The rules that only apply where another field is empty."""
        return tuple(rule for rule in self.fields if rule.without)

    @cached_property
    def rules_with_tags(self) -> tuple[FieldRule, ...]:
        """The rules of fields whose text may hold tags."""
        return tuple(rule for rule in self.fields if rule.html)

    @cached_property
    def category_of_key(self) -> dict[str, ChannelCategory]:
        """The categories by their keys."""
        return {category.key: category for category in self.categories}

    @cached_property
    def category_called(self) -> dict[str, str]:
        """The key of the first category of each name, by the name in lower case."""
        return {category.name.casefold(): category.key for category in reversed(self.categories)}

    @cached_property
    def category_field(self) -> str:
        """The name of the field that holds the category, or ""."""
        return next((rule.name for rule in self.fields if rule.kind == "category"), "")

    @cached_property
    def page_field(self) -> str:
        """The name of the field that holds the catalogue page, or ""."""
        return next((rule.name for rule in self.fields if rule.kind == "page"), "")

    def reply_after_s(self, lines: int) -> float:
        """Returns the seconds from handing in so many lines until their reply sheet is asked for."""
        return (self.reply_first_s + lines * self.reply_line_s) or self.reply_every_s

    @property
    def takes_families(self) -> bool:
        """Says whether the channel shows a family as one page."""
        return self.traits.most > 0

    def category_name(self, key: str) -> str:
        """Returns the name of a category, or its key when it is not known."""
        known = self.category_of_key.get(key)
        return known.name if known else key
