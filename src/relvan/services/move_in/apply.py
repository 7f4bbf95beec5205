"""Carries out a proposal for the worker: price lists and steps, products, stock, and links to what is
on the channels. Nothing is told to any channel by that.

Each chunk of products is one transaction with its verdicts, so that a move that was interrupted goes
on where it stopped.
"""

from collections.abc import Callable, Mapping, Sequence

from relvan.core.catalogue.facts import Facts, with_facts
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import STOCKED
from relvan.core.jobs.life import TO_APPLY, JobVerdict
from relvan.core.prices.steps import steps_data
from relvan.services.catalogue.references import ProductWish
from relvan.services.catalogue.write import make_wishes, write_wishes
from relvan.services.channels.settings import change_channel
from relvan.services.imports.by_address import open_fetching
from relvan.services.jobs.life import actor_of, end_job, find_job
from relvan.services.listings.linking import picture_addresses
from relvan.services.listings.placing import WantedLink, link_all
from relvan.services.move_in.decisions import STEPS, Decided
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.services.stock.move import MoveStock, move_each
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_settings, channels
from relvan.store.facts import codes, facts_by_id
from relvan.store.findings import products_by_sku
from relvan.store.job_rows import count_verdicts, settle_rows
from relvan.store.move_in import (
    ProposedRow,
    findings_with_ids,
    keep_more,
    proposed_rows,
    rows_to_move,
)
from relvan.store.prices import is_price_list
from relvan.store.session import Session
from relvan.store.tables import Channel, Finding

AT_ONCE = 25
MOST_PICTURES = 12
BY = {"SKU": "SKU", "GTIN": "GTIN", "likeness": "likeness", "hand": "a decision", "": "move in"}


def apply_move(workplace: Workplace, job_id: int, *, stopped: Callable[[], bool]) -> None:
    """Makes the catalogue that was proposed, going on where it stopped."""
    with workplace.database.reading() as session:
        job = find_job(session, job_id)
        actor = actor_of(session, job, "move in")
    _set_prices_up(workplace, actor, job_id)
    while not stopped():
        if not _apply_some(workplace, actor, job_id):
            break
    else:
        return
    _fetch_pictures(workplace, actor, job_id)
    with workplace.database.writing() as session:
        counts = count_verdicts(session, job_id)
        done, refused = counts.get(JobVerdict.DONE, 0), counts.get(JobVerdict.REFUSED, 0)
        end_job(session, workplace, job_id, "end", done=done, refused=refused)


# --- prices


def _set_prices_up(workplace: Workplace, actor: Actor, job_id: int) -> None:
    """Makes the price lists that are needed and gives the channels their list and steps; what they
    had before is kept with the job."""
    with workplace.database.reading() as session:
        job = find_job(session, job_id)
        spec = job.spec
        plan = spec["prices"]["channels"]
        before = dict(spec.get("before", {}))
        there = {channel.key: channel for channel in channels(session)}
        settings = channel_settings(session)
        new = [
            (told["list"], there[key])
            for key, told in plan.items()
            if not is_price_list(session, told["list"])
        ]
    for list_key, channel in new:
        name = f"{channel.name} prices"
        add_price_list(workplace, actor, NewPriceList(list_key, name, channel.currency, True))
    for key, told in plan.items():
        if told.get("base") or key in before:
            continue
        held = settings[there[key].id]
        before[key] = {
            "price_list": held.price_list.key,
            "price_steps": steps_data(held.steps),
        }
        with workplace.database.writing() as session:
            job = find_job(session, job_id)
            job.spec = {**job.spec, "before": before}
        wanted = {
            "price_list": told["list"],
            "price_steps": told["steps"] if told["how"] == STEPS else [],
        }
        change_channel(workplace, actor, key, wanted)


# --- products, stock and links


def _apply_some(workplace: Workplace, actor: Actor, job_id: int) -> bool:
    """Carries out the next rows in one transaction. Returns whether there were any."""
    with workplace.database.writing() as session:
        rows = rows_to_move(session, job_id, TO_APPLY, AT_ONCE)
        if not rows:
            return False
        decided = Decided.read(find_job(session, job_id).spec)
        refused = _write_products(session, workplace, actor, rows, job_id)
        fine = [row for row in rows if row.id not in refused]
        move_each(session, workplace, actor, _counts(fine, decided, job_id))
        _link_all(session, workplace, actor, fine)
        positions = [row.position for row in fine]
        find_job(session, job_id).done += settle_rows(session, job_id, positions, JobVerdict.DONE)
        for row in rows:
            if row.id in refused:
                reason = refused[row.id][:400]
                settle_rows(session, job_id, [row.position], JobVerdict.REFUSED, reason)
    return True


def _write_products(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    rows: Sequence[ProposedRow],
    job_id: int,
) -> dict[int, str]:
    """Writes the products of rows; returns why some were refused, by row. One that lies in the
    archive is taken out of it."""
    known = codes(session, [row.subject for row in rows])
    ids = {row.id: known[sku_key(row.subject)][0] for row in rows if sku_key(row.subject) in known}
    old = facts_by_id(session, set(ids.values()))
    refused: dict[int, str] = {}
    wanted: list[tuple[ProposedRow, int | None, Facts]] = []
    for row in rows:
        new = {name: pair[1] for name, pair in (row.change or {}).items()}
        held = old.get(ids.get(row.id, 0), {})
        if row.verdict == JobVerdict.CHANGES:
            if not held or held.get("archived"):
                refused[row.id] = f"“{row.subject}” is not in the catalogue any more."
            elif new:
                aliases = list(dict.fromkeys([*held.get("aliases", ()), *new["aliases"]]))
                wanted.append((row, ids[row.id], with_facts(held, {"aliases": aliases})))
        elif held and not held.get("archived"):
            refused[row.id] = f"“{row.subject}” has been made by somebody else meanwhile."
        else:
            product_id = ids.get(row.id)
            wanted.append((row, product_id, with_facts({}, new)))
    wishes = make_wishes(session, [(i, facts) for _, i, facts in wanted], old=old)
    write_wishes(session, workplace, actor, wishes, job_id=job_id)
    for (row, _, _), wish in zip(wanted, wishes, strict=True):
        if wish.refusals:
            refused[row.id] = _words(wish)
    return refused


def _words(wish: ProductWish) -> str:
    return f"{wish.refusals[0].message} {wish.refusals[0].fix}".strip()


def stock_key(job_id: int, position: int) -> str:
    """Returns the key under which the stock of a row is counted, once."""
    return f"job:{job_id}:{position}"


def _counts(rows: Sequence[ProposedRow], decided: Decided, job_id: int) -> list[MoveStock]:
    """Returns the counts that bring the stock of new products into the warehouse."""
    wishes = []
    for row in rows:
        stock = row.more.get("stock")
        stocked = row.verdict == JobVerdict.NEW and row.more["kind"] in STOCKED
        if not stocked or not stock or not stock[0]:
            continue
        wish = MoveStock(
            row.subject,
            decided.warehouse,
            "count",
            counted=stock[0],
            note=f"as on {stock[1]}",
            request_key=stock_key(job_id, row.position),
        )
        wishes.append(wish)
    return wishes


def _link_all(
    session: Session, workplace: Workplace, actor: Actor, rows: Sequence[ProposedRow]
) -> None:
    """Links what was found to the products. One that cannot be linked stays unlinked, and the row
    says why."""
    session.flush()
    ids = {member[0] for row in rows for member in row.more["listings"]}
    found = findings_with_ids(session, ids)
    hints = products_by_sku(session, {sku_key(row.subject) for row in rows})
    wanted: list[WantedLink] = []
    row_of: dict[int, ProposedRow] = {}
    for row in rows:
        product = hints[sku_key(row.subject)]
        for member, by, _ in row.more["listings"]:
            one = found.get(member)
            if one is not None and one.listing_id is None:
                wanted.append(WantedLink(one, product, BY[by]))
                row_of[member] = row
    troubles: dict[int, list[str]] = {}
    for member, refused in link_all(session, workplace, actor, wanted).items():
        words = f"{found[member].ref}: {refused.first.message}"
        troubles.setdefault(row_of[member].id, []).append(words)
    for row in rows:
        if row.id in troubles:
            keep_more(session, row.id, {**row.more, "unlinked": troubles[row.id]})


def _fetch_pictures(workplace: Workplace, actor: Actor, job_id: int) -> None:
    """Opens a job that fetches the pictures of all products that were made."""
    with workplace.database.writing() as session:
        job = find_job(session, job_id)
        if job.spec.get("pictures"):
            return
        wanted: list[tuple[str, str]] = []
        after = 0
        there = {channel.id: channel for channel in channels(session)}
        while rows := proposed_rows(session, job_id, after=after, limit=500):
            after = rows[-1].position
            made = [
                row for row in rows if row.verdict == JobVerdict.DONE and not row.more["existing"]
            ]
            ids = {member[0] for row in made for member in row.more["listings"]}
            found = findings_with_ids(session, ids)
            for row in made:
                wanted += [(row.subject, address) for address in _best_pictures(row, found, there)]
        if wanted:
            title = f"Fetch {len(wanted):,} pictures of what was moved in"
            fetching = open_fetching(session, workplace, actor, title, wanted)
            job.spec = {**job.spec, "pictures": fetching}


def _best_pictures(
    row: ProposedRow, found: Mapping[int, Finding], there: Mapping[int, Channel]
) -> list[str]:
    """Returns the addresses of the pictures of the listing that has most of them."""
    members = [found[member[0]] for member in row.more["listings"] if member[0] in found]
    best = max(members, key=lambda one: len(one.pictures), default=None)
    if best is None:
        return []
    return picture_addresses(there[best.channel_id], best.pictures)[:MOST_PICTURES]
