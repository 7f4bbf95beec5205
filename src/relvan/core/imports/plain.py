"""Judges many rows at once, in files whose rows say plain facts of one product each. Rows that are
not surely right are left to the rules for all other files, which judge them one by one. See
`core.catalogue.plain`."""

from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.plain import PlainRows, Standing, are_plain, questionable
from relvan.core.imports.blocks import Block
from relvan.core.imports.columns import FileKind
from relvan.core.imports.things import Options

Values = Sequence[Any]


@dataclass(frozen=True)
class Judged:
    """The result for a block of rows: the rows that are surely right, by their verdicts, and the
    places of the others."""

    clear: dict[str, PlainRows]
    others: list[int]


@dataclass(frozen=True)
class RepeatedValues:
    """The keys of SKUs and GTINs that several rows of a file name, so that these rows depend on one
    another."""

    skus: Collection[str]
    gtins: Collection[str]


def is_plain_file(kind: FileKind, names: Collection[str]) -> bool:
    """Says whether the columns of a file hold plain facts only."""
    return (
        kind == FileKind.PRODUCTS
        and "sku" in names
        and are_plain(name for name in names if name != "sku")
    )


def keys_of(block: Block) -> list[str]:
    """Returns the keys of the SKUs of a block; a key is empty where a row has no SKU."""
    return [sku_key(sku) if sku else "" for sku in block.columns["sku"]]


def gtins_of(block: Block) -> list[str]:
    """Returns the keys of the GTINs of a block; a key is empty where a row has none."""
    said = block.columns.get("gtin", ())
    return (
        [gtin_key(gtin) if gtin else "" for gtin in said]
        if any(said)
        else [""] * len(block.positions)
    )


def repeated(
    blocks: Iterable[tuple[Sequence[str], Block]], aliases: Mapping[str, str]
) -> RepeatedValues:
    """Returns the keys of the SKUs and GTINs that more than one row of a file names. Each block
    comes with the keys of its SKUs; `aliases` maps the key of an alias to the key of its product's
    own SKU."""
    skus, gtins = Counter[str](), Counter[str]()
    for keys, block in blocks:
        skus.update([aliases.get(key, key) for key in keys] if aliases else keys)
        gtins.update(gtins_of(block))
    twice = {key for key, count in skus.items() if count > 1 and key}
    twice.update(alias for alias, key in aliases.items() if key in twice)
    return RepeatedValues(twice, {key for key, count in gtins.items() if count > 1 and key})


def judge_plain(
    block: Block,
    keys: Sequence[str],
    known: Mapping[str, Standing],
    taken_gtins: Collection[str],
    twice: RepeatedValues,
    options: Options,
) -> Judged:
    """Returns what the rows of a block would do. `known` holds the present facts of the products,
    in the order of the block's columns without the SKU; `taken_gtins` are the keys of GTINs that
    products have already."""
    names = [name for name in block.columns if name != "sku"]
    columns = {name: block.columns[name] for name in names}
    odd = {
        *block.refusals,
        *questionable(("sku", *names), (block.columns["sku"], *columns.values())),
    }
    odd.update(place for place, key in enumerate(keys) if not key or key in twice.skus)
    there = [place for place, key in enumerate(keys) if key in known and place not in odd]
    ordinary = [place for place in there if known[keys[place]].ordinary]
    beside = _beside(
        block,
        ordinary,
        [known[keys[place]].values for place in ordinary],
        columns,
        clear=options.clear,
    )
    changed = _touched(beside, names)
    unclear = _touched(beside, [name for name in names if name == "gtin"])
    if "title" in columns:
        unclear |= {place for place in changed if beside.new["title"][place] is None}
    new: list[int] = []
    if options.create:
        gtins = gtins_of(block)
        odd.update(
            place for place, gtin in enumerate(gtins) if gtin in taken_gtins or gtin in twice.gtins
        )
        new = [place for place, key in enumerate(keys) if key not in known and place not in odd]
    same = PlainRows(
        *_beyond_question(block, [ordinary[place] for place in beside.without(changed)]), {}, {}
    )
    found = {
        "new": _made(block, columns, new),
        "changes": beside.pick(sorted(changed - unclear)).differing(),
        "same": same,
    }
    settled = {*new, *ordinary} - {ordinary[place] for place in unclear}
    others = [place for place in range(len(keys)) if place not in settled]
    return Judged({verdict: rows for verdict, rows in found.items() if len(rows)}, others)


def _beside(
    block: Block,
    places: Sequence[int],
    now: Sequence[Values],
    columns: Mapping[str, Values],
    *,
    clear: bool,
) -> PlainRows:
    """Compares rows with the present facts of the products that they name."""
    old = (
        dict(zip(columns, zip(*now, strict=True), strict=True))
        if now
        else dict.fromkeys(columns, ())
    )
    whole = len(places) == len(block.positions)
    said = {name: held if whole else [held[at] for at in places] for name, held in columns.items()}
    new = {name: _meant(old[name], said[name], clear=clear) for name in columns}
    return PlainRows(*_beyond_question(block, places), old, new)


def _meant(now: Values, said: Values, *, clear: bool) -> Values:
    """Returns the value that a fact is to have after each row. An empty cell only empties the fact
    where that was asked for, and spaces around a text are no change."""
    if now == tuple(said):
        return now
    found = []
    for old, value in zip(now, said, strict=True):
        new = None if value is False else value
        stays = (value is None and not clear) or (
            old.__class__ is str and new is not None and old.strip() == new
        )
        found.append(old if stays else new)
    return tuple(found)


def _touched(rows: PlainRows, names: Iterable[str]) -> set[int]:
    """Returns the places of the rows that change one of these facts."""
    differing = (
        (rows.old[name], rows.new[name]) for name in names if rows.old[name] != rows.new[name]
    )
    return {
        at
        for old, new in differing
        for at, pair in enumerate(zip(old, new, strict=True))
        if pair[0] != pair[1]
    }


def _beyond_question(block: Block, places: Sequence[int]) -> tuple[Sequence[int], Sequence[str]]:
    skus, positions = block.columns["sku"], block.positions
    if len(places) == len(positions):
        return positions, skus
    return [positions[at] for at in places], [skus[at] for at in places]


def _made(block: Block, columns: Mapping[str, Values], places: Sequence[int]) -> PlainRows:
    """Returns the products that are to be created; a product without a title gets its SKU as title."""
    positions, skus = _beyond_question(block, places)
    new = {
        "title": skus,
        **PlainRows(block.positions, block.columns["sku"], {}, columns).pick(places).new,
    }
    new["title"] = [title or sku for title, sku in zip(new["title"], skus, strict=True)]
    for name, held in new.items():
        if False in held:
            new[name] = [None if value is False else value for value in held]
    return PlainRows(positions, skus, {}, new)
