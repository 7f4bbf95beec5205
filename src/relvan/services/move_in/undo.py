"""Takes a move back for the worker: links, stock, products and the settings of channels. The channels
learn nothing of it.
"""

from collections.abc import Callable

from relvan.core.catalogue.facts import with_facts
from relvan.core.jobs.life import JobVerdict
from relvan.core.prices.steps import steps_data
from relvan.core.refusal import Refused, refuse
from relvan.services.catalogue.write import make_wishes, write_wishes
from relvan.services.channels.settings import change_channel
from relvan.services.jobs.life import actor_of, end_job, find_job
from relvan.services.listings.linking import unlink_in
from relvan.services.move_in.apply import stock_key
from relvan.services.move_in.decisions import STEPS
from relvan.services.stock.move import undo_in
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key, channel_settings
from relvan.store.facts import facts_by_id
from relvan.store.job_rows import count_verdicts, settle_rows
from relvan.store.ledger import movement_by_key
from relvan.store.move_in import ProposedRow, findings_with_ids, rows_to_move
from relvan.store.session import Session
from relvan.store.stock import balance_row

AT_ONCE = 25


def undo_move(workplace: Workplace, job_id: int, *, stopped: Callable[[], bool]) -> None:
    """Takes back what a move has made, the last first, going on where it stopped."""
    with workplace.database.reading() as session:
        actor = actor_of(session, find_job(session, job_id), "undo")
    while not stopped():
        if not _undo_some(workplace, actor, job_id):
            break
    else:
        return
    _set_prices_back(workplace, actor, job_id)
    with workplace.database.writing() as session:
        counts = count_verdicts(session, job_id)
        done = counts.get(JobVerdict.UNDONE, 0)
        refused = counts.get(JobVerdict.NOT_UNDONE, 0)
        end_job(session, workplace, job_id, "end", done=done, refused=refused)


def _undo_some(workplace: Workplace, actor: Actor, job_id: int) -> bool:
    with workplace.database.writing() as session:
        rows = rows_to_move(session, job_id, [JobVerdict.DONE], AT_ONCE, backwards=True)
        if not rows:
            return False
        for row in rows:
            reason = ""
            try:
                with session.begin_nested():
                    _undo_one(session, workplace, actor, row, job_id)
            except Refused as refused:
                reason = f"{refused.first.message} {refused.first.fix}".strip()[:400]
            verdict = JobVerdict.NOT_UNDONE if reason else JobVerdict.UNDONE
            settled = settle_rows(session, job_id, [row.position], verdict, reason)
            find_job(session, job_id).done += 0 if reason else settled
    return True


def _undo_one(
    session: Session, workplace: Workplace, actor: Actor, row: ProposedRow, job_id: int
) -> None:
    """Undoes one row, or refuses as a whole."""
    product = find_product(session, row.subject)
    found = findings_with_ids(session, [member[0] for member in row.more["listings"]])
    for one in found.values():
        if one.listing_id is not None:
            unlink_in(session, workplace, actor, one)
    held = facts_by_id(session, [product.id])[product.id]
    if row.more["existing"]:
        added = set((row.change or {}).get("aliases", [None, []])[1])
        left = [alias for alias in held.get("aliases", ()) if alias not in added]
        new = with_facts(held, {"aliases": left})
    else:
        _take_stock_out(session, workplace, actor, row, job_id)
        new = with_facts(held, {"archived": True})
    wishes = make_wishes(session, [(product.id, new)], old={product.id: held})
    write_wishes(session, workplace, actor, wishes)
    if wishes[0].refusals:
        raise Refused(*wishes[0].refusals)


def _take_stock_out(
    session: Session, workplace: Workplace, actor: Actor, row: ProposedRow, job_id: int
) -> None:
    """Takes out again what the move has counted, where all of that still lies there."""
    counted = movement_by_key(session, stock_key(job_id, row.position))
    if counted is None:
        return
    there = balance_row(session, counted.product_id, counted.warehouse_id)
    if (there.on_hand, there.reserved) != (counted.on_hand, 0):
        message = (
            f"{counted.on_hand} of “{row.subject}” were counted in; {there.on_hand} lie there now"
            f" and {there.reserved} are reserved."
        )
        raise refuse("moved-on", message, "Count it and archive it by hand.", "stock")
    undo_in(session, workplace, actor, counted)


def _set_prices_back(workplace: Workplace, actor: Actor, job_id: int) -> None:
    """Gives each channel the price list and steps that it had, unless somebody has changed them
    since."""
    with workplace.database.reading() as session:
        spec = find_job(session, job_id).spec
        settings = channel_settings(session)
        now = {key: settings[channel_by_key(session, key).id] for key in spec.get("before", {})}
    for key, before in spec.get("before", {}).items():
        told = spec["prices"]["channels"][key]
        steps = told["steps"] if told["how"] == STEPS else []
        if now[key].price_list.key == told["list"] and steps_data(now[key].steps) == steps:
            change_channel(workplace, actor, key, before)
