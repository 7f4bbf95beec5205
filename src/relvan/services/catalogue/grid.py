"""A family as a grid: one trait across, one down, and the third as tabs. A cell without a variant
is a missing variant."""

import itertools
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from relvan.core.catalogue.families import combination_key, widen
from relvan.core.catalogue.product import ProductKind, Trait
from relvan.core.refusal import refuse
from relvan.services.workplace import Workplace
from relvan.store.catalogue import find_product
from relvan.store.facts import traits_of_variants
from relvan.store.product_list import ProductFilter, ProductRow, product_page

MOST_CELLS = 4_000


@dataclass(frozen=True)
class GridCell:
    """One combination of trait values, and the variant that has it, if there is one."""

    traits: Mapping[str, str]
    row: ProductRow | None


@dataclass(frozen=True)
class FamilyGrid:
    """A family with its traits, every value that is used or planned, and its variants by
    combination."""

    id: int
    sku: str
    title: str
    axes: tuple[Trait, ...]
    by_combination: Mapping[str, ProductRow] = field(default_factory=dict)

    @property
    def across(self) -> Trait:
        """The trait whose values are the columns: the last one of one or two traits, the second of
        three."""
        return self.axes[min(1, len(self.axes) - 1)]

    @property
    def down(self) -> Trait | None:
        """The trait whose values are the rows; None in a family with one trait."""
        return self.axes[0] if len(self.axes) > 1 else None

    @property
    def tabs(self) -> Trait | None:
        """The third trait."""
        return self.axes[2] if len(self.axes) > 2 else None

    def cell(self, values: Mapping[str, str]) -> GridCell:
        """Returns the cell of a combination."""
        return GridCell(values, self.by_combination.get(combination_key(self.axes, values)))

    def rows(self, tab: str = "") -> list[tuple[str, list[GridCell]]]:
        """Returns (value down, its cells from left to right), for one tab where there are tabs."""
        fixed = {self.tabs.name: tab} if self.tabs else {}
        downs = self.down.values if self.down else ("",)
        return [
            (
                value,
                [
                    self.cell(
                        {
                            **({self.down.name: value} if self.down else {}),
                            self.across.name: across,
                            **fixed,
                        }
                    )
                    for across in self.across.values
                ],
            )
            for value in downs
        ]

    def every_cell(self) -> Iterator[GridCell]:
        """Returns every combination that exists or could exist."""
        for values in itertools.product(*(trait.values for trait in self.axes)):
            yield self.cell(
                {trait.name: value for trait, value in zip(self.axes, values, strict=True)}
            )

    @property
    def holes(self) -> int:
        """How many combinations have no variant."""
        return sum(cell.row is None for cell in self.every_cell())


def family_grid(workplace: Workplace, sku: str) -> FamilyGrid:
    """Returns the grid of a family; it needs as many queries for four hundred variants as for one."""
    with workplace.database.reading() as session:
        head = find_product(session, sku)
        if head.kind != ProductKind.FAMILY:
            raise refuse("no-family", f"“{head.sku}” is a {head.kind}.", "Open a family.", "sku")
        traits = {variant: held for variant, _, held in traits_of_variants(session, head.id)}
        rows = product_page(session, ProductFilter(family=head.sku), limit=MOST_CELLS)
        axes = tuple(Trait(name, tuple(values)) for name, values in head.axes)
    for held in traits.values():
        axes = widen(axes, held)
    by_combination = {
        combination_key(axes, traits[row.id]): row for row in rows if row.id in traits
    }
    return FamilyGrid(head.id, head.sku, head.title, axes, by_combination)
