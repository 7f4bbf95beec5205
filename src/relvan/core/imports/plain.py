"""Judging the rows of a file that say plain facts of one product each, many at once; what is not beyond question is
left to be judged one by one, by the rules for everything else. See `core.catalogue.plain`."""

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from relvan.core.catalogue.facts import Changes
from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.plain import Standing, are_plain, questionable
from relvan.core.catalogue.product import ProductKind
from relvan.core.imports.blocks import Block
from relvan.core.imports.kinds import FileKind
from relvan.core.imports.things import Options

SINGLE = (None, str(ProductKind.SINGLE))


@dataclass(frozen=True)
class Judged:
    """Of the rows of a block: (place, verdict, changes) of those beyond question, and the places of the others."""

    clear: list[tuple[int, str, Changes | None]]
    others: list[int]


@dataclass(frozen=True)
class Repeated:
    """What a file says more than once, so that its rows are about one another: the keys of SKUs and of GTINs."""

    skus: Collection[str]
    gtins: Collection[str]


def is_plain_file(kind: FileKind, names: Collection[str]) -> bool:
    """Whether the columns of a file say plain facts only."""
    return kind == FileKind.PRODUCTS and "sku" in names and are_plain(name for name in names if name != "sku")


def repeated(blocks: Iterable[Block], aliases: Mapping[str, str]) -> Repeated:
    """What these blocks say more than once. `aliases` are the keys of the products' own SKUs by those of aliases."""
    skus, gtins = Counter[str](), Counter[str]()
    for block in blocks:
        keys = [sku_key(sku) for sku in block.columns["sku"] if sku]
        skus.update([aliases.get(key, key) for key in keys] if aliases else keys)
        gtins.update(gtin_key(gtin) for gtin in block.columns.get("gtin", ()) if gtin)
    twice = {key for key, count in skus.items() if count > 1}
    twice.update(alias for alias, key in aliases.items() if key in twice)
    return Repeated(twice, {key for key, count in gtins.items() if count > 1})


def judge_plain(
    block: Block, known: Mapping[str, Standing], taken_gtins: Collection[str], twice: Repeated, options: Options
) -> Judged:
    """What the rows of a block would do. `known` says what products say now, in the order of the block's columns
    without the SKU; `taken_gtins` are the keys of GTINs that products have."""
    names = [name for name in block.columns if name != "sku"]
    skus, columns = block.columns["sku"], [block.columns[name] for name in names]
    odd = {*block.refusals, *questionable(("sku", *names), (skus, *columns))}
    gtins = block.columns.get("gtin") or [None] * len(skus)
    clear: list[tuple[int, str, Changes | None]] = []
    others: list[int] = []
    said = zip(*columns, strict=True) if columns else [()] * len(skus)
    for place, (sku, values) in enumerate(zip(skus, said, strict=True)):
        key = sku_key(sku) if sku else ""
        stands = known.get(key)
        if place in odd or not key or key in twice.skus or not (stands.ordinary if stands else options.create):
            others.append(place)
        elif stands is None:
            number = gtin_key(gtins[place]) if gtins[place] else ""
            if number in taken_gtins or number in twice.gtins:
                others.append(place)
            else:
                clear.append((place, "new", _made(sku, names, values)))
        else:
            changes = _changes(names, stands.values, values, options) if stands.values != values else None
            if changes and ("gtin" in changes or changes.get("title", (None, ""))[1] is None):
                others.append(place)
            else:
                clear.append((place, "changes" if changes else "same", changes or None))
    return Judged(clear, others)


def _made(sku: str, names: Sequence[str], values: Sequence[Any]) -> Changes:
    """The facts of a product that is to be made, as changes of nothing."""
    changes: Changes = {"sku": (None, sku), "kind": SINGLE, "title": (None, sku)}
    for name, value in zip(names, values, strict=True):
        if value is not None and value is not False:
            changes[name] = (None, value)
    return changes


def _changes(names: Sequence[str], now: Sequence[Any], said: Sequence[Any], options: Options) -> Changes:
    """What a row changes: an empty cell only where it is to empty the fact, and space around a text never."""
    found: Changes = {}
    for name, old, value in zip(names, now, said, strict=True):
        new = None if value is False else value
        if old == new or (value is None and not options.clear):
            continue
        if not (old.__class__ is str and new is not None and old.strip() == new):
            found[name] = (old, new)
    return found
