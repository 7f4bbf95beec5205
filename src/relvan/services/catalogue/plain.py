"""Writing plain facts of many products by a few statements: those of a bulk job, judged when it was rehearsed.

What is no longer as it was then, and whatever else is not beyond question, is left to `write_wishes`.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.catalogue.attributes import asked_of
from relvan.core.catalogue.completeness import Completeness, completeness, may_turn
from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.plain import Standing, are_plain, questionable, with_sides
from relvan.core.catalogue.product import ProductKind
from relvan.core.jobs.life import as_expected
from relvan.services import audit
from relvan.services.catalogue.complete import settle_completeness
from relvan.services.catalogue.write import SEARCHED, make_categories
from relvan.services.listings.refresh import refresh_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store import search
from relvan.store.among import among
from relvan.store.bulk import delete_rows, insert_columns, update_columns
from relvan.store.facts import FLAGS, TEXTS, asks_by_category, owners_of_gtins
from relvan.store.imports import ChangeRow, price_list_ids
from relvan.store.plain import standing
from relvan.store.tables import ListPrice, Product, SkuName

Columns = dict[str, list[Any]]
MADE = [None, str(ProductKind.SINGLE)]


def write_plain(
    session: Session, workplace: Workplace, actor: Actor, rows: Sequence[ChangeRow], *, job_id: int
) -> list[int]:
    """Carry out the changes of rows that say plain facts and stand as when they were rehearsed; their ids."""
    alike: dict[tuple[str, ...], list[ChangeRow]] = defaultdict(list)
    for row in rows:
        alike[tuple(row.change)].append(row)
    lists = price_list_ids(session)
    writer = _Writer(session, workplace, actor, job_id, lists)
    done: list[int] = []
    for names, held in alike.items():
        making = "sku" in names and "kind" in names
        plain = [name for name in names if not making or name not in ("sku", "kind")]
        priced = {name.removeprefix("price ") for name in plain if name.startswith("price ")}
        if are_plain(with_sides(plain)) and priced <= lists.keys():
            done += writer.make(held, plain) if making else writer.change(held, plain)
    return done


class _Writer:
    """Writes rows that name the same facts."""

    def __init__(
        self, session: Session, workplace: Workplace, actor: Actor, job_id: int, lists: Mapping[str, int]
    ) -> None:
        self.session, self.workplace, self.actor, self.job_id, self.lists = session, workplace, actor, job_id, lists
        self.now = workplace.now()

    def make(self, rows: Sequence[ChangeRow], names: Sequence[str]) -> list[int]:
        """Make the products of these rows that are not there yet. Their facts were checked whole at the rehearsal;
        what others have to do with them is looked at again."""
        rows = [row for row in rows if row.change["kind"] == MADE and row.change["sku"] == [None, row.subject]]
        keys = [sku_key(row.subject) for row in rows]
        taken = standing(self.session, keys, (), {})
        numbers = {gtin_key(row.change["gtin"][1]) for row in rows} if "gtin" in names else set()
        owned = owners_of_gtins(self.session, numbers)
        fine = [
            row for key, row in zip(keys, rows, strict=True)
            if key not in taken and not (owned and gtin_key(row.change["gtin"][1]) in owned)
        ]  # fmt: skip
        if fine:
            changes = [row.change for row in fine]
            columns = {name: [change[name][1] for change in changes] for name in names}
            self._insert([row.subject for row in fine], columns)
        return [row.id for row in fine]

    def _insert(self, skus: Sequence[str], columns: Columns) -> None:
        session, count = self.session, len(skus)
        keys = [sku_key(sku) for sku in skus]
        prices = {name: values for name, values in columns.items() if name.startswith("price ")}
        written = {name: values for name, values in columns.items() if name not in prices}
        if "category" in columns:
            make_categories(session, {*columns["category"]})
        if "gtin" in columns:
            written["gtin_key"] = [gtin_key(gtin) for gtin in columns["gtin"]]
        known = self._completeness(columns, count)
        same: dict[str, Any] = {"kind": MADE[1], "created_at": self.now, "changed_at": self.now}
        insert_columns(session, Product, {
            "sku": skus, "sku_key": keys, **written, **{name: [value] * count for name, value in same.items()},
            "asked": [held.asked for held in known], "lacking": [len(held.missing) for held in known],
        })  # fmt: skip
        found = dict(session.execute(select(Product.sku_key, Product.id).where(among(Product.sku_key, keys))).all())
        ids = [found[key] for key in keys]
        insert_columns(session, SkuName, {"key": keys, "sku": skus, "alias": [False] * count, "product_id": ids})
        for name, amounts in prices.items():
            which = [self.lists[name.removeprefix("price ")]] * count
            insert_columns(session, ListPrice, {"price_list_id": which, "product_id": ids, "amount": amounts})
        empty = [""] * count
        told = (columns["title"], columns.get("gtin", empty), empty, columns.get("brand", empty))
        search.index_new(session, list(zip(ids, skus, *told, strict=True)))
        nothing: Mapping[str, Any] = {}
        self._record([(product_id, "created", nothing) for product_id in ids])

    def _completeness(self, columns: Columns, count: int) -> list[Completeness]:
        """What each lacks; a new product has no picture yet."""
        asks = asks_by_category(self.session)
        others = {name: values[0] for name, values in columns.items() if name.startswith(("price ", "weight_g"))}
        seen: dict[tuple[str, bool], Completeness] = {}
        categories, described = columns.get("category", [""] * count), columns.get("description", [""] * count)
        found = []
        for key in zip(categories, map(bool, map(str.strip, described)), strict=True):
            if key not in seen:
                facts = {"kind": ProductKind.SINGLE, "category": key[0], **others}
                facts |= {"description": "…"} if key[1] else {}
                seen[key] = completeness(facts, pictures=0, asked=asked_of(key[0], asks))
            found.append(seen[key])
        return found

    def change(self, rows: Sequence[ChangeRow], names: Sequence[str]) -> list[int]:
        """Change the products of these rows that still say what the rows expect."""
        asked = with_sides(names)
        known = standing(self.session, [sku_key(row.subject) for row in rows], asked, self.lists)
        fine = [row for row in rows if "gtin" not in names and _stands(known.get(sku_key(row.subject)), row, names)]
        stands = [known[sku_key(row.subject)] for row in fine]
        columns = {name: [row.change[name][1] for row in fine] for name in names}
        for place, name in enumerate(asked[len(names) :], len(names)):
            columns[name] = [held.values[place] for held in stands]
        wrong = questionable(list(columns), list(columns.values()))
        if "title" in columns:
            wrong |= {place for place, title in enumerate(columns["title"]) if not title}
        clear = [place for place in range(len(fine)) if place not in wrong]
        if clear:
            new = {name: [columns[name][place] for place in clear] for name in names}
            self._update([fine[place] for place in clear], [stands[place].id for place in clear], new)
        return [fine[place].id for place in clear]

    def _update(self, rows: Sequence[ChangeRow], ids: Sequence[int], columns: Columns) -> None:
        session = self.session
        if "category" in columns:
            make_categories(session, {*columns["category"]} - {None})
        written: dict[str, Sequence[Any]] = {"changed_at": [self.now] * len(ids)}
        for name, values in columns.items():
            if name.startswith("price "):
                self._price(name, rows, ids, values)
            elif name in TEXTS:
                written[name] = [value or "" for value in values]
            else:
                written[name] = [bool(value) for value in values] if name in FLAGS else values
        update_columns(session, Product, written, ids)
        if not columns.keys().isdisjoint(SEARCHED):
            search.index_products(session, ids)
        self._record([(product_id, "changed", row.change) for product_id, row in zip(ids, rows, strict=True)])
        settle_completeness(session, [i for i, row in zip(ids, rows, strict=True) if may_turn(row.change)])
        refresh_listings(session, self.workplace, product_ids=ids, cause=f"product changed by {self.actor.name}")

    def _price(self, name: str, rows: Sequence[ChangeRow], ids: Sequence[int], amounts: Sequence[int | None]) -> None:
        places = [(self.lists[name.removeprefix("price ")], product_id) for product_id in ids]
        there = [place for place, row in zip(places, rows, strict=True) if row.change[name][0] is not None]
        delete_rows(self.session, ListPrice, ("price_list_id", "product_id"), there)
        now = [(*place, amount) for place, amount in zip(places, amounts, strict=True) if amount is not None]
        if now:
            which, products, values = zip(*now, strict=True)
            columns = {"price_list_id": which, "product_id": products, "amount": values}
            insert_columns(self.session, ListPrice, columns)

    def _record(self, entries: Sequence[tuple[int | None, str, Mapping[str, Any]]]) -> None:
        audit.record_many(self.session, self.actor, self.now, "product", entries, job_id=self.job_id)


def _stands(now: Standing | None, row: ChangeRow, names: Sequence[str]) -> bool:
    """Whether a product is there, ordinary, and says what a row expects."""
    if now is None or not now.ordinary:
        return False
    return all(as_expected(value, row.change[name][0]) for name, value in zip(names, now.values, strict=False))
