"""Rehearses a file: reads all of it and says of every row what it would do, without changing
anything."""

import itertools
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from time import monotonic
from typing import Any

from relvan.core.catalogue.facts import Changes, Facts, group_of
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.keyed import Keyed
from relvan.core.imports.blocks import Block, BlockReader, Row
from relvan.core.imports.cells import plain_text
from relvan.core.imports.columns import FileKind
from relvan.core.imports.kinds import typed
from relvan.core.imports.mapping import mapping_from
from relvan.core.imports.things import (
    REPLACE,
    Found,
    Options,
    Thing,
    gather,
    join_axes,
    target,
    turn_of,
)
from relvan.core.jobs.life import JobVerdict
from relvan.core.refusal import Refusal, Refused
from relvan.documents.tables import rows_of
from relvan.services.catalogue.references import Planned, ProductWish, check_references
from relvan.services.catalogue.write import make_wishes
from relvan.services.imports.plain import can_be_plain, rehearse_plain
from relvan.services.imports.receive import kind_of, table_of
from relvan.services.imports.special import rehearse_alone
from relvan.services.jobs.life import end_job, find_job
from relvan.services.workplace import Workplace
from relvan.store.facts import attribute_rules, codes, facts_by_id, traits_of_variants
from relvan.store.imports import all_currencies
from relvan.store.job_rows import NewRow, add_rows, count_verdicts, forget_rows
from relvan.store.session import Session
from relvan.store.tables import BulkJob

CHUNK = 1_000
READ = 2_000  # rows at once; also so many plain ones are applied in one transaction
WRITTEN = 2_500
MOST_REASON = 400


RehearseOthers = Callable[[Workplace, str, Sequence[Thing]], Sequence[Found]]


@dataclass(slots=True)
class Rehearsal:
    """One thing of the file with its verdict."""

    thing: Thing
    verdict: str = "same"
    change: Changes | dict[str, Any] | None = None
    turn: int = 1
    refusals: list[Refusal] = field(default_factory=list)
    note: str = ""
    more: dict[str, Any] | None = None

    @classmethod
    def of(cls, found: Found) -> "Rehearsal":
        """Takes what another station says of a thing."""
        thing, verdict, change, refusals, note, more = found
        return cls(thing, verdict, change, 1, refusals, note, more)


def rehearse_import(
    workplace: Workplace, job_id: int, others: Mapping[str, RehearseOthers]
) -> None:
    """Reads the file of a job and writes a verdict for each row. After an interruption it begins
    again. Files of listings are rehearsed by `others`, by the key of their kind."""
    with workplace.database.writing() as session:
        job = find_job(session, job_id)
        forget_rows(session, job_id)
        job.done = job.total = 0
        spec = dict(job.spec)
    kind, options = kind_of(spec["kind"]), Options(**spec["options"])
    blocks = list(_read(workplace, spec))
    total = sum(len(block.positions) for block in blocks)
    progress = Progress(workplace, job_id, total)
    plain = can_be_plain(workplace, kind.key, blocks)
    if plain:
        rows = rehearse_plain(workplace, job_id, blocks, options, progress.tell)
    else:
        rows = [row for block in blocks for row in block.rows()]
    del blocks
    things = gather(kind, rows, options)
    if kind.key in (FileKind.COUNTS, FileKind.PICTURES):
        found = rehearse_alone(workplace, kind.key, things)
        rehearsals = [Rehearsal.of(one) for one in found]
    elif kind.key in others:
        spoken = others[kind.key](workplace, kind.key, things)
        rehearsals = [Rehearsal.of(one) for one in spoken]
    else:
        rehearsals = _rehearse(workplace, progress, kind.key, things, options)
    _spread_over_groups(rehearsals)
    _write_down(workplace, job_id, rehearsals)
    with workplace.database.writing() as session:
        counts = count_verdicts(session, job_id)
        told = {"plain": plain, "things": Counter(str(held.verdict) for held in rehearsals)}
        end_job(
            session,
            workplace,
            job_id,
            "read",
            spec={**spec, **told},
            counts=counts,
            refused=counts.get(JobVerdict.REFUSED, 0),
            done=total,
        )


def _read(workplace: Workplace, spec: Mapping[str, Any]) -> Iterator[Block]:
    """Returns every row of the file that is not empty, in blocks."""
    kind = kind_of(spec["kind"])
    with workplace.database.reading() as session:
        currencies = all_currencies(session, workplace.firm.currency)
        rules = attribute_rules(session)
    columns = [
        (place, typed(column, rules), mapped)
        for place, mapped in enumerate(mapping_from(spec["mapping"]))
        if mapped.name and (column := kind.column(mapped.name)) is not None
    ]
    reader = BlockReader(columns, currencies)
    with rows_of(table_of(workplace, spec)) as rows:
        below = itertools.islice(rows, spec["header"] + 1, None)
        first = spec["header"] + 2
        while some := list(itertools.islice(below, READ)):
            saying = [at for at, cells in enumerate(some, first) if any(map(plain_text, cells))]
            yield reader.read(saying, [some[at - first] for at in saying])
            first += len(some)


class Progress:
    """Tells how many rows of a job are done, at most once a second, because each time is a
    transaction."""

    EVERY_S = 1.0

    def __init__(self, workplace: Workplace, job_id: int, total: int) -> None:
        self._workplace, self._job_id, self._total, self._done = workplace, job_id, total, 0
        self._next = 0.0
        self.tell(0)

    def tell(self, more: int) -> None:
        """Notes that so many more rows are done."""
        self._done += more
        if monotonic() < self._next:
            return
        with self._workplace.database.writing() as session:
            job = find_job(session, self._job_id)
            job.total, job.done = self._total, self._done
        self._next = monotonic() + self.EVERY_S


def _rehearse(
    workplace: Workplace, progress: Progress, kind: str, things: list[Thing], options: Options
) -> list[Rehearsal]:
    """Returns what each thing would do to the catalogue. Things may name one another, in any order."""
    with workplace.database.reading() as session:
        if kind == FileKind.FAMILIES and options.members == REPLACE:
            things = [*things, *_left_out(session, things)]
        wishes = _wishes(session, kind, things, options)
    planned = Planned.of([wish for wish in wishes if wish is not None])
    found: list[Rehearsal] = []
    for start in range(0, len(things), CHUNK):
        pairs = list(zip(things[start : start + CHUNK], wishes[start : start + CHUNK], strict=True))
        with workplace.database.reading() as session:
            open_wishes = [wish for _, wish in pairs if wish is not None and not wish.refusals]
            check_references(session, open_wishes, planned)
        found += [_judge(thing, wish, planned) for thing, wish in pairs]
        progress.tell(sum(len(rehearsal.thing.rows) for rehearsal in found[start:]))
    return _without_the_refused(found)


def _wishes(
    session: Session, kind: str, things: Sequence[Thing], options: Options
) -> list[ProductWish | None]:
    """Returns a wish for each thing whose rows can be read, and None for the others."""
    wishes: list[ProductWish | None] = []
    about: dict[int, Thing] = {}
    for start in range(0, len(things), CHUNK):
        chunk = things[start : start + CHUNK]
        known = codes(session, [thing.sku for thing in chunk if thing.sku])
        ids = [known[thing.key][0] if thing.key in known else None for thing in chunk]
        old = facts_by_id(session, {product_id for product_id in ids if product_id is not None})
        wanted: list[tuple[int | None, Facts]] = []
        places: list[int] = []
        for n, (thing, product_id) in enumerate(zip(chunk, ids, strict=True)):
            now = old[product_id] if product_id is not None else None
            if thing.sku and now is None and not (thing.creates and options.create):
                message = f"“{thing.sku}” is not in the catalogue."
                fix = (
                    "Correct the SKU, or let unknown ones be made."
                    if thing.creates
                    else "Correct the SKU."
                )
                thing.refusals.append(Refusal("unknown-sku", message, fix, "sku"))
            if (
                thing.implied
                and kind == FileKind.PRODUCTS
                and now is not None
                and now.get("kind") != "family"
            ):
                message = f"“{thing.sku}” must be a family; it is a {now.get('kind')}."
                thing.refusals.append(
                    Refusal("no-family", message, "Name the SKU of a family.", "family")
                )
            if (
                product_id is not None
                and (other := about.setdefault(product_id, thing)) is not thing
            ):
                message = (
                    f"“{thing.sku}” is the same product as “{other.sku}” in row {other.leader}."
                )
                thing.refusals.append(Refusal("twice", message, "Join the rows.", "sku"))
            if thing.sku and not thing.refusals and not any(row.refusals for row in thing.rows):
                wanted.append((product_id, _target(thing, now, options)))
                places.append(n)
        made = make_wishes(session, wanted, old=old)
        _let_go(chunk, made)
        by_place = dict(zip(places, made, strict=True))
        wishes += [by_place.get(n) for n in range(len(chunk))]
    return wishes


def _let_go(things: Iterable[Thing], wishes: Iterable[ProductWish]) -> None:
    """Frees what the wishes hold already, because a file may be long."""
    for wish in wishes:
        wish.keep_what_others_need()
    for thing in things:
        thing.facts = {}
        for row in thing.rows:
            row.values = {}


def _target(thing: Thing, now: Facts | None, options: Options) -> Facts:
    facts = target(thing, now, options)
    if now is not None:
        facts["sku"] = now["sku"]
        if "axes" in thing.facts:
            facts["axes"] = join_axes(now.get("axes", []), thing.facts["axes"])
        if thing.facts.get("kind") in ("single", "variant") and now.get("kind") in (
            "single",
            "variant",
        ):
            facts["kind"] = "variant" if facts.get("family") else "single"
        for name in thing.facts:  # space around a text is nothing that a file could say
            old = now.get(name)
            if old.__class__ is str and old != facts.get(name) and old.strip() == facts.get(name):
                facts[name] = old
    if facts.get("kind") != "variant" and not {"family", Keyed.TRAIT}.isdisjoint(
        map(group_of, facts)
    ):
        facts = {
            name: value
            for name, value in facts.items()
            if name != "family" and not Keyed.TRAIT.has(name)
        }
    return facts


def _left_out(session: Session, things: Sequence[Thing]) -> list[Thing]:
    """Returns the variants of the families that the file does not name; they become singles when
    members are replaced."""
    named = {thing.key for thing in things}
    heads = {
        thing.key: thing for thing in things if thing.facts.get("kind") == "family" and thing.sku
    }
    found: list[Thing] = []
    for key, (product_id, _, _) in codes(session, heads).items():
        for _, sku, traits in traits_of_variants(session, product_id):
            if sku_key(sku) not in named:
                gone: Facts = {
                    "kind": "single",
                    "family": None,
                    **{Keyed.TRAIT.fact(name): None for name in traits},
                }
                head = heads[key]
                number = -1 - len(things) - len(found)
                found.append(Thing(sku, [], gone, group=head.group, creates=False, implied=number))
    return found


def _judge(thing: Thing, wish: ProductWish | None, planned: Planned) -> Rehearsal:
    rehearsal = Rehearsal(thing, refusals=[*thing.refusals, *(wish.refusals if wish else [])])
    if rehearsal.refusals or any(row.refusals for row in thing.rows) or wish is None:
        rehearsal.verdict = JobVerdict.REFUSED
        return rehearsal
    if wish.id is None or wish.changes:
        rehearsal.verdict = JobVerdict.NEW if wish.id is None else JobVerdict.CHANGES
        rehearsal.change = wish.changes
        rehearsal.turn = turn_of(wish.kind, planned.depth(wish))
    return rehearsal


def _without_the_refused(found: list[Rehearsal]) -> list[Rehearsal]:
    """Refuses things that depend, directly or not, on a thing that was to be created and is
    refused."""
    refused = {
        held.thing.key: held
        for held in found
        if held.verdict == JobVerdict.REFUSED and held.thing.creates and held.thing.sku
    }
    made = {held.thing.key for held in found if held.verdict == JobVerdict.NEW}
    while refused:
        hit = []
        for held in found:
            if held.change is None:
                continue
            _, family = held.change.get("family", (None, None))
            _, parts = held.change.get("parts", (None, None))
            names = [family, *(sku for sku, _ in parts or ())]
            broken = [
                name
                for name in names
                if name and sku_key(name) in refused and sku_key(name) not in made
            ]
            if broken:
                held.verdict, held.change = JobVerdict.REFUSED, None
                held.refusals.append(_with_it(refused[sku_key(broken[0])]))
                hit.append(held)
        refused = {held.thing.key: held for held in hit}
        made -= refused.keys()
    return found


def _spread_over_groups(rehearsals: Iterable[Rehearsal]) -> None:
    """Refuses all things of a group when one of them is refused."""
    groups: dict[str, list[Rehearsal]] = {}
    for held in rehearsals:
        if held.thing.group:
            groups.setdefault(held.thing.group, []).append(held)
    for group in groups.values():
        culprit = next((held for held in group if held.verdict == JobVerdict.REFUSED), None)
        if culprit is None:
            continue
        for held in group:
            if held.verdict != JobVerdict.REFUSED:
                held.verdict, held.change = JobVerdict.REFUSED, None
                held.refusals.append(_with_it(culprit))


def _with_it(culprit: Rehearsal) -> Refusal:
    """Returns the refusal of a thing that is refused together with another one: it names the row of
    the other, or its reason when it has no row."""
    thing = culprit.thing
    name = f"“{thing.sku}”" if thing.sku else "a row without a SKU"
    if thing.implied:
        own = next((refusal for refusal in culprit.refusals), None)
        row = next((row for row in thing.rows if row.refusals), None)
        if own is None and row is not None:
            return Refusal(
                "with-it", f"It goes together with row {row.position}.", "Correct that row first."
            )
        reason = f" {own.message}" if own else ""
        return Refusal("with-it", f"Its family {name} is refused:{reason}", own.fix if own else "")
    message = f"It goes together with {name} in row {thing.leader}, which is refused."
    return Refusal("with-it", message, "Correct that row first.")


def _write_down(workplace: Workplace, job_id: int, rehearsals: Sequence[Rehearsal]) -> None:
    """Writes the rows of the job, each with the verdict on its thing. Things without a row of their
    own get a row with a number below 0."""
    rows: dict[int, NewRow] = {}
    for held in sorted(rehearsals, key=lambda held: bool(held.thing.implied)):
        thing, leader = held.thing, held.thing.leader
        for row in thing.rows:
            if row.position not in rows:
                reason = (
                    _reason(held, row)[:MOST_REASON]
                    if held.verdict == JobVerdict.REFUSED or row.refusals
                    else held.note[:MOST_REASON]
                    if row.position == leader
                    else ""
                )
                more = (
                    (held.change, held.turn, None, None, held.more)
                    if row.position == leader
                    else (None, held.turn, leader)
                )
                rows[row.position] = NewRow(row.position, thing.sku, held.verdict, reason, *more)
        if thing.implied and held.change is not None:
            rows[thing.implied] = NewRow(
                thing.implied, thing.sku, held.verdict, "", held.change, held.turn
            )
    values = list(rows.values())
    for start in range(0, len(values), WRITTEN):
        with workplace.database.writing(hurried=True) as session:
            add_rows(session, job_id, values[start : start + WRITTEN])


def _reason(held: Rehearsal, row: Row) -> str:
    """Returns why a row is refused: because of its own cells, else of its thing, else of another
    row of the same thing."""
    own = " ".join(_in_words(refusal) for refusal in row.refusals)
    if own or held.verdict != JobVerdict.REFUSED:
        return own
    bad = next((other.position for other in held.thing.rows if other.refusals), None)
    if bad is not None:
        return f"It goes together with row {bad}, which is refused."
    return " ".join(_in_words(refusal) for refusal in held.refusals)


def _in_words(refusal: Refusal) -> str:
    return f"{refusal.message} {refusal.fix}".strip()


def failed_rehearsal(workplace: Workplace, job_id: int, refused: Refused) -> None:
    """Notes that the file cannot be read; the job says so and can be tried again."""
    with workplace.database.writing() as session:
        job: BulkJob = find_job(session, job_id)
        end_job(session, workplace, job.id, "fail", trouble=_in_words(refused.first)[:MOST_REASON])
