"""Reads the cells of a file column by column, some rows at a time. The cells of a column repeat
themselves, so the reading of each cell is remembered."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import repeat, zip_longest
from typing import Any

from relvan.core.catalogue.keyed import Keyed
from relvan.core.imports.cells import AS_WRITTEN, CellReading, Raw, plain_texts, read_cell
from relvan.core.imports.columns import Column
from relvan.core.imports.mapping import MappedColumn
from relvan.core.refusal import Refusal, Refused


@dataclass(slots=True)
class Row:
    """One row of a file: its number in the file, its values by fact, and the cells that cannot be
    read."""

    position: int
    values: dict[str, Any]
    refusals: list[Refusal] = field(default_factory=list)
    empty: frozenset[str] = frozenset()

    def text(self, name: str) -> str:
        """Returns a value as text; it is empty when the row does not have it."""
        value = self.values.get(name)
        return "" if value is None else str(value)


@dataclass(slots=True)
class Block:
    """Some rows of a file: their numbers in the file, what each column says in them (None for
    nothing), and what cannot be read, by place in the block."""

    positions: list[int]
    columns: dict[str, list[Any]]
    refusals: dict[int, list[Refusal]] = field(default_factory=dict)

    def row(self, place: int) -> Row:
        """Returns one of the rows by itself."""
        values = {
            name: value for name, held in self.columns.items() if (value := held[place]) is not None
        }
        refusals = self.refusals.get(place, [])
        unread = {refusal.field for refusal in refusals}
        empty = frozenset(
            name for name in self.columns if name not in values and name not in unread
        )
        return Row(self.positions[place], values, list(refusals), empty)

    def rows(self) -> Iterator[Row]:
        """Returns all rows, one by one."""
        return map(self.row, range(len(self.positions)))


class BlockReader:
    """Reads rows by a mapping. `columns` are (place in the row, our column, how it is mapped);
    `currencies` are by price list, with "" for the seller's own."""

    MOST_REMEMBERED = 5_000

    def __init__(
        self, columns: Sequence[tuple[int, Column, MappedColumn]], currencies: Mapping[str, str]
    ) -> None:
        self._columns = [
            (place, column, mapped.reading, _currency(column.name, currencies), dict[Any, Any]())
            for place, column, mapped in columns
        ]

    def read(self, positions: Sequence[int], rows: Sequence[Sequence[Raw]]) -> Block:
        """Reads some rows of the file; the rows may have different lengths."""
        block = Block(list(positions), {})
        cells = list(zip_longest(*rows))
        nothing = (None,) * len(rows)
        for place, column, how, currency, memory in self._columns:
            said = cells[place] if place < len(cells) else nothing
            if (
                column.form in AS_WRITTEN
                and not how.constant
                and (texts := plain_texts(said)) is not None
            ):
                block.columns[column.name] = texts
                continue
            keys = said if {*map(type, said)} == {str} else [_key(raw) for raw in said]
            values = list(
                map(memory.get, keys, repeat(memory))
            )  # the memory itself stands for what is not in it
            for at, value in enumerate(values):
                if value is memory and (value := memory.get(keys[at], memory)) is not memory:
                    values[at] = value  # an earlier row of these has said it
                elif value is memory:
                    values[at] = self._read(said[at], column, how, currency, block, at)
                    if len(memory) < self.MOST_REMEMBERED and at not in block.refusals:
                        memory[keys[at]] = values[at]
            block.columns[column.name] = values
        return block

    @staticmethod
    def _read(
        raw: Raw, column: Column, how: CellReading, currency: str, block: Block, at: int
    ) -> Any:
        try:
            return read_cell(raw, column, how, currency)
        except Refused as refused:
            block.refusals.setdefault(at, []).extend(refused.refusals)
            return None


def _key(raw: Raw) -> Any:
    """Returns the key under which the reading of a cell is remembered: 1, 1.0 and yes are different
    cells."""
    return raw if raw.__class__ is str else (raw.__class__, raw)


def _currency(name: str, currencies: Mapping[str, str]) -> str:
    return currencies.get(Keyed.PRICE.key(name), currencies[""])
