"""Changes of many products from the screen: rehearsed as a bulk job, then applied, and undone if
need be."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from relvan.core.catalogue.bulk import Operation, carry_out, check_operations
from relvan.core.catalogue.facts import Facts, difference, label_of
from relvan.core.catalogue.identity import sku_key
from relvan.core.jobs.life import JobVerdict
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.services.catalogue.references import ProductWish, check_references
from relvan.services.catalogue.write import make_wishes
from relvan.services.jobs.life import NewJob, end_job, find_job, open_background_job
from relvan.services.workplace import Actor, Workplace
from relvan.store.facts import codes, facts_by_id
from relvan.store.job_rows import NewRow, add_rows, count_verdicts, forget_rows, subjects_of
from relvan.store.product_list import ProductFilter, all_skus
from relvan.store.session import Session

CHUNK = 1_000
MOST_PRODUCTS = 200_000


def change_many(
    workplace: Workplace,
    actor: Actor,
    operations: Sequence[Operation],
    *,
    skus: Sequence[str] = (),
    wanted: ProductFilter | None = None,
) -> int:
    """Opens the bulk job that rehearses a change of the products named, or of all that a filter
    matches; returns its id."""
    actor.must(Right.CATALOGUE)
    check_operations(operations)
    carry_out(
        operations, {"kind": "single"}, workplace.firm.currency
    )  # what cannot be read is refused at once
    with workplace.database.writing() as session:
        chosen = (
            all_skus(session, wanted, MOST_PRODUCTS)
            if wanted is not None
            else list(dict.fromkeys(skus))
        )
        if not chosen and wanted is not None:
            raise refuse("nothing", "No product matches.", "Choose other words.", "match")
        if not chosen:
            raise refuse(
                "missing", "No product is chosen.", "Tick some, or all that match.", "pick"
            )
        names = ", ".join(label_of(operation.fact).lower() for operation in operations)
        title = f"Change {names} of {len(chosen):,} {'product' if len(chosen) == 1 else 'products'}"
        spec: dict[str, Any] = {
            "kind": "change",
            "operations": [asdict(operation) for operation in operations],
        }
        job = open_background_job(
            session, workplace, actor, NewJob("change", title, "reading", spec)
        )
        job.total = len(chosen)
        for start in range(0, len(chosen), CHUNK):
            rows = enumerate(chosen[start : start + CHUNK], start + 1)
            add_rows(session, job.id, [NewRow(n, sku) for n, sku in rows])
        return job.id


def foresee(
    workplace: Workplace, operations: Sequence[Operation], skus: Sequence[str]
) -> list[tuple[str, dict[str, tuple[Any, Any]]]]:
    """Returns (SKU, fact -> (old, new)) for a few products, as a preview before a job is opened."""
    check_operations(operations)
    with workplace.database.reading() as session:
        known = codes(session, skus)
        facts = facts_by_id(
            session, {known[sku_key(sku)][0] for sku in skus if sku_key(sku) in known}
        )
    return [
        (
            str(held["sku"]),
            difference(held, carry_out(operations, held, workplace.firm.currency)),
        )
        for held in facts.values()
    ]


def rehearse_change(
    workplace: Workplace,
    job_id: int,
    *,
    follow: Callable[[Workplace, int], None] = lambda _place, _job: None,
) -> None:
    """Works out old and new values for every product of a job. `follow` then adds what the change
    would do elsewhere."""
    with workplace.database.reading() as session:
        spec: Mapping[str, Any] = find_job(session, job_id).spec
        subjects = subjects_of(session, job_id)
    operations = [Operation(**operation) for operation in spec["operations"]]
    for start in range(0, len(subjects), CHUNK):
        with workplace.database.writing() as session:
            chunk = subjects[start : start + CHUNK]
            rows = _rehearsed(session, workplace, operations, chunk)
            forget_rows(session, job_id, [position for position, _ in chunk])
            add_rows(session, job_id, rows)
            find_job(session, job_id).done = start + len(rows)
    follow(workplace, job_id)
    with workplace.database.writing() as session:
        counts = count_verdicts(session, job_id)
        end_job(
            session,
            workplace,
            job_id,
            "read",
            counts=counts,
            refused=counts.get(JobVerdict.REFUSED, 0),
        )


def _rehearsed(
    session: Session,
    workplace: Workplace,
    operations: Sequence[Operation],
    subjects: Sequence[tuple[int, str]],
) -> list[NewRow]:
    known = codes(session, [sku for _, sku in subjects])
    old = facts_by_id(session, {found[0] for found in known.values()})
    refused: dict[int, str] = {}
    tried: list[tuple[int, Facts]] = []
    for position, sku in subjects:
        found = known.get(sku_key(sku))
        if found is None:
            refused[position] = f"“{sku}” is not in the catalogue."
            continue
        try:
            tried.append((position, carry_out(operations, old[found[0]], workplace.firm.currency)))
        except Refused as refusal:
            refused[position] = refusal.first.message
    ids = {position: known[sku_key(sku)][0] for position, sku in subjects if sku_key(sku) in known}
    wishes = make_wishes(session, [(ids[position], new) for position, new in tried], old=old)
    check_references(session, [wish for wish in wishes if not wish.refusals and wish.changes])
    made = dict(zip((position for position, _ in tried), wishes, strict=True))
    return [
        _new_row(position, sku, made.get(position), refused.get(position, ""))
        for position, sku in subjects
    ]


def _new_row(position: int, sku: str, wish: ProductWish | None, reason: str) -> NewRow:
    if wish is None:
        return NewRow(position, sku, JobVerdict.REFUSED, reason)
    if wish.refusals:
        return NewRow(
            position,
            sku,
            JobVerdict.REFUSED,
            f"{wish.refusals[0].message} {wish.refusals[0].fix}"[:400],
        )
    if wish.changes:
        return NewRow(position, sku, "changes", change=wish.changes)
    return NewRow(position, sku, "same")
