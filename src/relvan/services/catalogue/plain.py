"""Looks once more at plain rows of a bulk job, a block at a time, and writes those that are still
right with a few statements. They were checked when the job was rehearsed.

Rows whose products have changed since, and all that are not surely right, are left to
`write_wishes`.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from relvan.core.catalogue.attributes import asked_of
from relvan.core.catalogue.completeness import Completeness, completeness, may_turn
from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.plain import PlainRows, Standing, are_plain, questionable, with_sides
from relvan.core.catalogue.product import ProductKind
from relvan.core.jobs.life import as_expected
from relvan.services import audit
from relvan.services.catalogue.columns import change_rows, create_rows, replace_prices
from relvan.services.catalogue.complete import settle_completeness
from relvan.services.catalogue.write import SEARCHED, make_categories
from relvan.services.changes import changes_of
from relvan.services.workplace import Actor, Workplace
from relvan.store import search
from relvan.store.facts import asks_by_category, owners_of_gtins
from relvan.store.imports import price_list_ids
from relvan.store.job_rows import ChangeRow
from relvan.store.plain import standing
from relvan.store.session import Session

MADE = [None, str(ProductKind.SINGLE)]


def write_plain(
    session: Session, workplace: Workplace, actor: Actor, rows: Sequence[ChangeRow], *, job_id: int
) -> list[int]:
    """Carries out the changes of rows with plain facts whose products are as they were at the
    rehearsal; returns the ids of these rows."""
    alike: dict[tuple[str, ...], list[ChangeRow]] = defaultdict(list)
    for row in rows:
        alike[tuple(row.change)].append(row)
    done: list[int] = []
    for names, held in alike.items():
        making = "sku" in names and "kind" in names
        if making:
            held = [
                row
                for row in held
                if row.change["kind"] == MADE and row.change["sku"] == [None, row.subject]
            ]
        plain = [name for name in names if not making or name not in ("sku", "kind")]
        old, new = (
            {name: [row.change[name][side] for row in held] for name in plain} for side in (0, 1)
        )
        laid = PlainRows(
            [row.id for row in held], [row.subject for row in held], {} if making else old, new
        )
        if held:
            places = write_plain_rows(session, workplace, actor, laid, job_id=job_id)
            done += [held[place].id for place in places]
    return done


def write_plain_rows(
    session: Session, workplace: Workplace, actor: Actor, rows: PlainRows, *, job_id: int
) -> Sequence[int]:
    """Does the same for rows that are laid out by column; returns the places of those that were
    carried out."""
    lists = price_list_ids(session)
    priced = {Keyed.PRICE.key(name) for name in rows.new if Keyed.PRICE.has(name)}
    if not are_plain(with_sides(rows.new)) or not priced <= lists.keys():
        return []
    writer = _Writer(session, workplace, actor, job_id, lists)
    return writer.make(rows) if rows.making else writer.change(rows)


class _Writer:
    """Writes rows that name the same facts."""

    def __init__(
        self,
        session: Session,
        workplace: Workplace,
        actor: Actor,
        job_id: int,
        lists: Mapping[str, int],
    ) -> None:
        self.session, self.workplace, self.actor, self.job_id, self.lists = (
            session,
            workplace,
            actor,
            job_id,
            lists,
        )
        self.now = workplace.now()

    def make(self, rows: PlainRows) -> Sequence[int]:
        """Creates the products of these rows that do not exist yet. Their facts were checked at the
        rehearsal; what depends on other products is checked again."""
        keys = [sku_key(sku) for sku in rows.subjects]
        taken = standing(self.session, keys, (), {})
        gtins = rows.new.get("gtin", ())
        numbers = (
            [gtin_key(gtin) if gtin else None for gtin in gtins]
            if any(gtins)
            else [None] * len(keys)
        )
        owned = owners_of_gtins(self.session, {number for number in numbers if number})
        fine = [
            place
            for place, key in enumerate(keys)
            if key not in taken and numbers[place] not in owned
        ]
        if fine:
            self._insert(rows.pick(fine))
        return fine

    def _insert(self, rows: PlainRows) -> None:
        session, columns, count = self.session, rows.new, len(rows)
        if "category" in columns:
            make_categories(session, {*columns["category"]})
        known = self._completeness(columns, count)
        written = {
            "sku": rows.subjects,
            **{name: held for name, held in columns.items() if not Keyed.PRICE.has(name)},
            "kind": [MADE[1]] * count,
            "asked": [held.asked for held in known],
            "lacking": [len(held.missing) for held in known],
        }
        ids = create_rows(session, self.now, written)
        for name, amounts in columns.items():
            if Keyed.PRICE.has(name):
                replace_prices(session, (), self._priced(name, zip(ids, amounts, strict=True)))
        search.index_new(session, ids)
        audit.record_products(session, self.actor, self.now, ids, "created", job_id=self.job_id)

    def _completeness(self, columns: Mapping[str, Sequence[Any]], count: int) -> list[Completeness]:
        """Returns what each new product lacks; it has no picture yet."""
        asks = asks_by_category(self.session)
        empty = [None] * count
        priced = [held for name, held in columns.items() if Keyed.PRICE.has(name)]
        prices = (
            priced[0]
            if len(priced) == 1
            else [any(held) for held in zip(*priced, strict=True)] or empty
        )
        said = (columns.get("description", empty), columns.get("weight_g", empty), prices)
        there = (
            [value is not None and value is not False and value != "" for value in held]
            for held in said
        )
        seen: dict[Any, Completeness] = {}
        found = []
        for key in zip(columns.get("category", empty), *there, strict=True):
            if key not in seen:
                category, *given = key
                lent = {"description": "…", "weight_g": 1, Keyed.PRICE: 1}
                facts = {
                    name: value
                    for (name, value), has in zip(lent.items(), given, strict=True)
                    if has
                }
                facts |= {"kind": ProductKind.SINGLE, "category": category or ""}
                seen[key] = completeness(facts, pictures=0, asked=asked_of(category or "", asks))
            found.append(seen[key])
        return found

    def change(self, rows: PlainRows) -> Sequence[int]:
        """Changes the products of these rows that still have the facts that the rows expect."""
        names = list(rows.new)
        if "gtin" in names or not names:
            return []
        asked = with_sides(names)
        keys = [sku_key(sku) for sku in rows.subjects]
        known = standing(self.session, keys, asked, self.lists)
        expected = zip(*(rows.old[name] for name in names), strict=True)
        fine = [
            place
            for place, (key, old) in enumerate(zip(keys, expected, strict=True))
            if _stands(known.get(key), old)
        ]
        stands, picked = [known[keys[place]] for place in fine], rows.pick(fine)
        columns = {name: picked.new[name] for name in names}
        for place, name in enumerate(asked[len(names) :], len(names)):
            columns[name] = [held.values[place] for held in stands]
        wrong = questionable(list(columns), list(columns.values()))
        if "title" in columns:
            wrong |= {place for place, title in enumerate(columns["title"]) if not title}
        clear = picked.without(wrong)
        if clear:
            self._update(picked.pick(clear), [stands[place].id for place in clear], names)
        return [fine[place] for place in clear]

    def _update(self, rows: PlainRows, ids: Sequence[int], names: Sequence[str]) -> None:
        session = self.session
        if "category" in names:
            make_categories(session, {*rows.new["category"]} - {None})
        written = {name: rows.new[name] for name in names if not Keyed.PRICE.has(name)}
        change_rows(session, self.now, ids, written)
        for name in set(names) - written.keys():
            self._change_prices(name, rows, ids)
        if not set(names).isdisjoint(SEARCHED):
            search.index_products(session, ids)
        changes = rows.changes()
        entries = [
            (product_id, "changed", change) for product_id, change in zip(ids, changes, strict=True)
        ]
        audit.record_many(session, self.actor, self.now, "product", entries, job_id=self.job_id)
        if rows.may_turn():
            settle_completeness(
                session, [i for i, change in zip(ids, changes, strict=True) if may_turn(change)]
            )
        changes_of(session).products_changed(ids, f"product changed by {self.actor.name}")

    def _change_prices(self, name: str, rows: PlainRows, ids: Sequence[int]) -> None:
        pairs = list(zip(ids, rows.old[name], rows.new[name], strict=True))
        which = self.lists[Keyed.PRICE.key(name)]
        gone = [
            (which, product_id) for product_id, old, new in pairs if old is not None and old != new
        ]
        now = ((product_id, new) for product_id, old, new in pairs if old != new)
        replace_prices(self.session, gone, self._priced(name, now))

    def _priced(
        self, name: str, priced: Iterable[tuple[int, int | None]]
    ) -> list[tuple[int, int, int]]:
        """Returns the prices that there are, as (price list, product, amount)."""
        which = self.lists[Keyed.PRICE.key(name)]
        return [(which, product_id, amount) for product_id, amount in priced if amount is not None]


def _stands(now: Standing | None, expected: Sequence[Any]) -> bool:
    """Says whether a product exists, has only plain facts, and has the values that a row expects."""
    if now is None or not now.ordinary:
        return False
    return now.values[: len(expected)] == expected or all(map(as_expected, now.values, expected))
