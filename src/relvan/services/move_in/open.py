"""Opens a move, and takes what a person decides about its proposal. The worker does the rest."""

from collections.abc import Mapping, Sequence
from typing import Any

from relvan.core.jobs.life import JobState
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services.jobs.life import MOVE_IN, NewJob, find_job, move_job, open_background_job
from relvan.services.move_in.decisions import Decided, changed_decisions, check_decided
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channels
from relvan.store.session import Session
from relvan.store.stock import warehouse_by_key, warehouses
from relvan.store.tables import BulkJob


def start_move(
    workplace: Workplace,
    actor: Actor,
    channel_keys: Sequence[str] = (),
    wishes: Mapping[str, Any] | None = None,
) -> int:
    """Opens the job that reads the listings of some channels (all of them when none is named) and
    proposes a catalogue; returns its id. Nothing changes until it is applied."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        there = {channel.key: channel for channel in channels(session)}
        unknown = [key for key in channel_keys if key not in there]
        if unknown:
            message = f"There is no channel “{unknown[0][:40]}”."
            raise refuse("not-found", message, "Connect it under Setup.", "channels")
        keys = list(dict.fromkeys(channel_keys)) or list(there)
        if not keys:
            message = "There is no channel to move in from."
            raise refuse("nothing", message, "Connect one under Setup, Channels.", "channels")
        decided = changed_decisions(Decided(), wishes or {})
        decided = _with_usual(session, decided, keys)
        check_decided(decided, keys)
        spec = {"kind": MOVE_IN, "channels": keys, "read": {}, "decided": decided.as_dict()}
        names = ", ".join(there[key].name for key in keys)
        wish = NewJob(MOVE_IN, f"Move in from {names}", JobState.READING, spec)
        return open_background_job(session, workplace, actor, wish).id


def _with_usual(session: Session, decided: Decided, keys: Sequence[str]) -> Decided:
    """Fills in what the person left open: the first channel's stock, into the first warehouse."""
    there = warehouses(session)
    if decided.warehouse:
        warehouse_by_key(session, decided.warehouse)
    elif not there:
        message = "There is no warehouse for the stock."
        raise refuse("nothing", message, "Add one under Setup, Warehouses.", "warehouse")
    return Decided(
        **{
            **decided.as_dict(),
            "stock_from": decided.stock_from or keys[0],
            "warehouse": decided.warehouse or there[0].key,
        }
    )


def find_move(session: Session, job_id: int) -> BulkJob:
    """Returns the job of a move; refused when the job is of another kind."""
    job = find_job(session, job_id)
    if job.kind != MOVE_IN:
        message = f"Bulk job {job_id} does not move in."
        raise refuse("wrong-kind", message, "Look under Setup, Move in.", "id")
    return job


def decide(workplace: Workplace, actor: Actor, job_id: int, changes: Mapping[str, Any]) -> None:
    """Takes decisions about a proposal and asks the worker to make it anew from what was read."""
    actor.must(Right.SETUP)
    with workplace.database.reading() as session:
        job = find_move(session, job_id)
        decided = changed_decisions(Decided.read(job.spec), changes)
        check_decided(decided, job.spec["channels"])
        if "warehouse" in changes:
            warehouse_by_key(session, decided.warehouse)
    move_job(workplace, actor, job_id, "rehearse", spec={"decided": decided.as_dict()})
