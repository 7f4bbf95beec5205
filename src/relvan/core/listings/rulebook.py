"""What a channel demands and allows, as data. Code branches on what a rulebook says, never on a channel's name."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


Topic = Literal["content", "pictures", "price", "quantity", "delivery"]


class FieldRule(_Part):
    """One field of a listing.

    `origin` names the product's field that feeds it (`title`, `attributes.material`), `default` what the
    rulebook says when nothing else does; lengths in characters, numbers in the product's unit. A field with `only_in`
    is asked for in these categories alone. `words` are several, parted by commas: `most` of them, each of at most
    `most_each` characters.
    """

    name: str
    label: str
    kind: Literal["text", "long text", "choice", "category", "number", "gtin", "words"] = "text"
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

    def is_asked_in(self, category: str) -> bool:
        """Whether a listing of a category may have this field."""
        return not self.only_in or category in self.only_in


def parted(value: str) -> list[str]:
    """The words of a field that holds several: parted by commas or lines, each once.

    >>> parted("clay, Pot, Clay, ")
    ['clay', 'Pot']
    """
    found: dict[str, str] = {}
    for word in value.replace("\n", ",").split(","):
        if word.strip():
            found.setdefault(word.strip().casefold(), word.strip())
    return list(found.values())


class Category(_Part):
    """A category of the channel: its key there, and its name as a path."""

    key: str
    name: str


class PictureRule(_Part):
    """How many pictures, and the least length of a picture's shorter side in pixels."""

    least: int = 0
    most: int = 12
    least_side_px: int = 1


class CallLimits(_Part):
    """Calls a second, and how many at once."""

    per_second: float = Field(gt=0)
    burst: int = Field(ge=1)


class OrderReading(_Part):
    """How orders are read: every so many seconds, in pages, this many changes read again; by webhook too."""

    poll_every_s: float = Field(gt=0)
    page: int = Field(ge=1)
    overlap: int = Field(ge=0)
    webhook: bool = False


class ListingReading(_Part):
    """How what the channel shows is read: every so many seconds, in pages."""

    read_every_s: float = Field(default=300, gt=0)
    page: int = Field(default=100, ge=1)


class RowsAtOnce(_Part):
    """How many rows one call may carry."""

    quantity: int = Field(ge=1)
    price: int = Field(ge=1)


class Rulebook(_Part):
    """Everything a channel demands and allows. Fees and least price in minor units of its currency."""

    key: str
    name: str
    dialect: str
    edition: int
    currency: str
    token_label: str
    fields: tuple[FieldRule, ...]
    categories: tuple[Category, ...] = ()
    pictures: PictureRule = PictureRule()
    least_price: int = 1
    most_units: int = 999_999
    placing_fee: int = 0
    calls: CallLimits
    rows_at_once: RowsAtOnce
    orders: OrderReading
    listings: ListingReading = ListingReading()

    @model_validator(mode="after")
    def _is_of_one_piece(self) -> "Rulebook":
        """Names are there once, what is named is there, and a choice has something to choose from."""
        names, keys = [rule.name for rule in self.fields], [category.key for category in self.categories]
        doubled = [name for name in (*names, *keys) if names.count(name) > 1 or keys.count(name) > 1]
        if doubled:
            raise ValueError(f"“{doubled[0]}” is there twice")
        if sum(rule.kind == "category" for rule in self.fields) > 1:
            raise ValueError("only one field can be the category")
        for rule in self.fields:
            unknown = {*rule.required_in, *rule.only_in}.difference(keys)
            if unknown:
                raise ValueError(f"“{rule.name}” names the category “{min(unknown)}”, which is not there")
            if rule.kind == "choice" and not rule.choices:
                raise ValueError(f"“{rule.name}” is a choice of nothing")
        return self

    def field(self, name: str) -> FieldRule | None:
        """The rule of a field, or none."""
        return next((rule for rule in self.fields if rule.name == name), None)

    @property
    def category_field(self) -> str:
        """The name of the field that holds the category, or ""."""
        return next((rule.name for rule in self.fields if rule.kind == "category"), "")

    def category_name(self, key: str) -> str:
        """A category's name, or its key when it is not known."""
        return next((category.name for category in self.categories if category.key == key), key)
