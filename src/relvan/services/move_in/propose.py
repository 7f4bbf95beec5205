"""Reads the listings of the channels, proposes a catalogue of them and keeps it as the rows of the
job. Nothing else changes by that.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import ProductKind
from relvan.core.jobs.life import JobVerdict
from relvan.core.move_in.matching import Link
from relvan.core.move_in.proposal import CatalogueProposal, Proposed, propose_catalogue
from relvan.core.move_in.seen import SeenListing
from relvan.core.prices.rates import Rates
from relvan.gateways.channels.port import ShownListing
from relvan.services.jobs.life import end_job, find_job
from relvan.services.listings.findings import keep_unlinked, read_pages
from relvan.services.listings.linking import said_facts, without_tags
from relvan.services.move_in.decisions import Decided
from relvan.services.move_in.plan import PricePlan, plan_prices, price_facts
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_by_key
from relvan.store.facts import codes
from relvan.store.findings import products_by_gtin, products_by_sku
from relvan.store.job_rows import NewRow, add_rows, forget_rows
from relvan.store.move_in import unlinked_findings
from relvan.store.prices import rates_on
from relvan.store.session import Session
from relvan.store.tables import BulkJob, Channel, Finding

MOST_QUESTIONS = 500
LEFT_OUT = "left out by you"


def read_and_propose(workplace: Workplace, job_id: int, *, stopped: Callable[[], bool]) -> None:
    """Does for the worker what comes before a person decides, going on where it stopped."""
    with workplace.database.reading() as session:
        job = find_job(session, job_id)
        found = [channel_by_key(session, key) for key in job.spec["channels"]]
    for channel in found:
        trouble = _read(workplace, job_id, channel, stopped)
        if trouble is None:
            return
        if trouble:
            with workplace.database.writing() as session:
                end_job(session, workplace, job_id, "fail", trouble=trouble)
            return
    _propose(workplace, job_id)


def _read(
    workplace: Workplace, job_id: int, channel: Channel, stopped: Callable[[], bool]
) -> str | None:
    """Reads what is left of a channel. Returns "" when all is read, or why not, or None when it was
    stopped."""
    with workplace.database.reading() as session:
        read = find_job(session, job_id).spec["read"].get(channel.key, {})
    if read.get("done"):
        return ""

    def keep(shown: Sequence[ShownListing]) -> None:
        with workplace.database.writing() as session:
            keep_unlinked(session, workplace, channel, shown)
            job = find_job(session, job_id)
            job.done += len(shown)
            job.total = max(job.total, job.done)
            _note(job, channel.key, after=shown[-1].ref if shown else "", count=len(shown))

    trouble = read_pages(workplace, channel, read.get("after", ""), keep, stopped=stopped)
    if trouble == "":
        with workplace.database.writing() as session:
            _note(find_job(session, job_id), channel.key, done=True)
    return trouble


def _note(job: BulkJob, key: str, *, count: int = 0, **told: Any) -> None:
    before = job.spec["read"].get(key, {"count": 0})
    if not told.get("after", "-"):
        del told["after"]
    read = {**before, **told, "count": before["count"] + count}
    job.spec = {**job.spec, "read": {**job.spec["read"], key: read}}


def _propose(workplace: Workplace, job_id: int) -> None:
    with workplace.database.reading() as session:
        job = find_job(session, job_id)
        keys = list(job.spec["channels"])
        found = [channel_by_key(session, key) for key in keys]
        decided = Decided.read(job.spec)
        findings = unlinked_findings(session, [channel.id for channel in found])
        seen = _seen(workplace, found, findings)
        existing, taken = _catalogue(session, seen)
        rates = rates_on(session, workplace.now().date())
        proposal = propose_catalogue(seen, decided.wishes(keys, existing, taken))
        plan = plan_prices(session, found, proposal.products, decided.prices, rates)
    currencies = {channel.key: channel.currency for channel in found}
    rows = [
        _row(position, one, plan, currencies, rates, decided)
        for position, one in enumerate(_in_order(proposal), 1)
    ]
    with workplace.database.writing() as session:
        forget_rows(session, job_id)
        add_rows(session, job_id, rows)
        job = find_job(session, job_id)
        job.spec = {
            **job.spec,
            "prices": plan.as_dict(),
            "questions": [_question(link) for link in proposal.questions[:MOST_QUESTIONS]],
            "seen": len(seen),
        }
        counts = {
            "listings": len(seen),
            "products": sum(one.kind != ProductKind.FAMILY for one in proposal.products),
            "families": sum(one.kind == ProductKind.FAMILY for one in proposal.products),
            "questions": len(proposal.questions),
        }
        for verdict in (JobVerdict.NEW, JobVerdict.CHANGES, JobVerdict.SAME):
            counts[verdict] = sum(row.verdict == verdict for row in rows)
        session.flush()
        end_job(session, workplace, job_id, "read", counts=counts, total=len(rows), done=len(rows))


def _question(link: Link) -> list[Any]:
    return [link.first, link.second, link.by, link.percent]


def _in_order(proposal: CatalogueProposal) -> list[Proposed]:
    """Returns each family with its variants after it, then what stands alone."""
    variants: dict[str, list[Proposed]] = {}
    for one in proposal.products:
        variants.setdefault(one.family, []).append(one)
    heads = [one for one in variants[""] if one.kind == ProductKind.FAMILY]
    found = [row for head in heads for row in (head, *variants.get(head.sku, ()))]
    return [*found, *(one for one in variants[""] if one.kind != ProductKind.FAMILY)]


def _seen(
    workplace: Workplace, found: Sequence[Channel], findings: Sequence[Finding]
) -> list[SeenListing]:
    by_id = {channel.id: channel for channel in found}
    books = {channel.id: workplace.rulebook(channel) for channel in found}
    seen = []
    for one in findings:
        channel = by_id[one.channel_id]
        attributes, _ = said_facts(books[channel.id], one)
        seen.append(
            SeenListing(
                one.id,
                channel.key,
                one.ref,
                one.sku,
                one.title,
                one.price,
                channel.currency,
                one.quantity,
                one.head,
                one.gtin,
                one.brand,
                without_tags(one.text),
                one.weight_g,
                {name: str(value) for name, value in one.traits.items()},
                one.placed_at,
                one.changed_at,
                Keyed.ATTRIBUTE.named(attributes),
            )
        )
    return seen


def _catalogue(session: Session, seen: Sequence[SeenListing]) -> tuple[dict[int, str], set[str]]:
    """Returns the products of the catalogue that listings are, by equal SKU or the only equal GTIN,
    and the keys of all SKUs of these listings that are taken."""
    by_sku = products_by_sku(session, {one.sku_key for one in seen if one.sku_key})
    by_gtin = products_by_gtin(session, {one.gtin_key for one in seen if one.gtin_key})
    existing = {}
    for one in seen:
        same = by_sku.get(one.sku_key)
        coded = by_gtin.get(one.gtin_key, []) if one.gtin_key else []
        if same is None and len(coded) == 1:
            same = coded[0]
        if same is not None and one.is_head == (same.kind == ProductKind.FAMILY):
            existing[one.id] = same.sku
    known = codes(session, [one.sku for one in seen if one.sku.strip()])
    archived = {key for key, (_, _, alias) in known.items() if key not in by_sku and not alias}
    return existing, known.keys() - archived  # what lies in the archive is taken out of it


def _row(
    position: int,
    one: Proposed,
    plan: PricePlan,
    currencies: Mapping[str, str],
    rates: Rates,
    decided: Decided,
) -> NewRow:
    facts = _facts(one, plan, currencies, rates)
    verdict = JobVerdict.CHANGES if one.existing else JobVerdict.NEW
    if one.left_out:
        verdict = JobVerdict.SAME
    turn = {ProductKind.FAMILY: 1, ProductKind.KIT: 3}.get(ProductKind(one.kind), 2)
    change = {name: [None, value] for name, value in facts.items()}
    reason = LEFT_OUT if one.left_out else _reason(one)
    more = _more(one)
    return NewRow(position, one.sku, verdict, reason, change, turn, more=more)


def _reason(one: Proposed) -> str:
    if not one.conflicts:
        return ""
    names = [name.replace("weight_g", "weight").replace("gtin", "GTIN") for name in one.conflicts]
    return f"The channels differ on {' and '.join(names)}."


def _facts(
    one: Proposed, plan: PricePlan, currencies: Mapping[str, str], rates: Rates
) -> dict[str, Any]:
    """Returns the facts of a new product; of one that exists only the aliases that are added."""
    if one.existing:
        return {"aliases": list(one.aliases)} if one.aliases else {}
    facts: dict[str, Any] = {"sku": one.sku, "kind": str(one.kind), **one.facts}
    facts.setdefault("title", one.sku)
    if one.aliases:
        facts["aliases"] = list(one.aliases)
    if one.kind == ProductKind.FAMILY:
        facts["axes"] = [[trait.name, list(trait.values)] for trait in one.axes]
        return facts
    prices = price_facts(plan, one, currencies, rates)
    facts |= Keyed.PRICE.named(prices)
    if one.family:
        facts |= {"family": one.family, **Keyed.TRAIT.named(dict(one.traits))}
    return facts


def _more(one: Proposed) -> dict[str, Any]:
    """Returns what is kept with the row beside its facts."""
    by: dict[int, list[Any]] = {}
    for link in one.links:
        for member in (link.first, link.second):
            by.setdefault(member, [link.by, link.percent])
    channels = len(one.prices) if one.kind != ProductKind.FAMILY else 2
    marks = [
        name
        for name, marked in (
            ("conflicts", bool(one.conflicts)),
            ("families", bool(one.family or one.kind == ProductKind.FAMILY)),
            ("alone", channels < 2),
            ("existing", bool(one.existing)),
            ("kits", one.kit is not None),
        )
        if marked
    ]
    return {
        "name": one.name,
        "kind": str(one.kind),
        "title": one.facts.get("title", one.sku),
        "listings": [[member, *by.get(member, ["", 0])] for member in one.listings],
        "prices": dict(one.prices),
        "stock": list(one.stock) if one.stock else None,
        "conflicts": {
            detail: [[said.value, list(said.channels)] for said in values]
            for detail, values in one.conflicts.items()
        },
        "family": one.family_name,
        "kit": [list(part) for part in one.kit.parts] if one.kit else None,
        "existing": one.existing,
        "marks": f" {' '.join(marks)} " if marks else "",
    }
