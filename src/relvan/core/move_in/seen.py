"""What moving in knows of one listing on one channel."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

from relvan.core.catalogue.identity import check_gtin, gtin_key, sku_key


@dataclass(frozen=True)
class SeenListing:
    """A listing as a channel shows it. The price is in minor units of `currency`.

    `head` is the reference of the family's page on which a variant stands; such a page itself has
    `traits` without values, and neither price nor stock. `facts` are other details under the names
    of a product's facts, such as its attributes.
    """

    id: int
    channel: str
    ref: str
    sku: str
    title: str
    price: int = 0
    currency: str = "EUR"
    quantity: int = 0
    head: str = ""
    gtin: str = ""
    brand: str = ""
    text: str = ""
    weight_g: int | None = None
    traits: Mapping[str, str] = field(default_factory=dict)
    placed_at: datetime | None = None
    changed_at: datetime | None = None
    facts: Mapping[str, object] = field(default_factory=dict)

    @property
    def is_head(self) -> bool:
        """Says whether it is the page of a family."""
        return bool(self.traits) and not self.head

    @property
    def sku_key(self) -> str:
        """The key by which SKUs are compared, or "" where there is no SKU."""
        return sku_key(self.sku) if self.sku.strip() else ""

    @property
    def gtin_key(self) -> str:
        """The key by which GTINs are compared, or "" where there is none with a right check digit."""
        plain = self.gtin.strip()
        return gtin_key(plain) if plain and not check_gtin(plain) else ""
