"""Serves moving in over HTTP, for owners only: reading what channels list, deciding, making it, and
keeping it in step.
"""

from typing import Annotated, Any, Literal

from pydantic import Field

from relvan.api.described import Id, described
from relvan.api.desk import By, Caller, Cursor, Limit, OneOf, page_of, setup_router
from relvan.api.jobs import job_shape
from relvan.api.shapes import Shape, amount_of
from relvan.core.move_in.details import DETAILS
from relvan.core.move_in.matching import ASK
from relvan.services.jobs.life import move_job
from relvan.services.move_in.in_step import StepPreview, keep_channel_in_step, preview_steps
from relvan.services.move_in.open import decide, find_move, start_move
from relvan.services.move_in.view import (
    ShownMember,
    ShownProposal,
    ShownQuestion,
    decided_of,
    prices_shown,
    proposals_shown,
    questions_shown,
)
from relvan.store.move_in import ONLY, count_proposed

router = setup_router("move in")
MOST_NAMED = 5_000
MOST_QUESTIONS = 100

Key = Annotated[str, Field(max_length=60)]
FoundIds = Annotated[list[Id], Field(max_length=MOST_NAMED)]
Pairs = Annotated[
    list[Annotated[list[Id], Field(min_length=2, max_length=2)]], Field(max_length=MOST_NAMED)
]
Detail = Annotated[str, Field(max_length=40), described(DETAILS)]


class MoveDecisions(Shape):
    """What a person decides about a proposal; what is left out stays as it was.

    `mark` is the likeness in percent from which listings are joined. `details` says where each
    detail comes from (`newest`, `longest`, `most`, or the key of a channel), `own` the same for
    single products, by the lowest id among their listings. `apart` stand alone; `together` and
    `differ` are pairs. `prices` says `steps` or `list` for a channel, and under `base` which channel
    has the list prices.
    """

    mark: Annotated[int, Field(ge=ASK, le=100)] | None = None
    stock_from: Key | None = None
    warehouse: Key | None = None
    details: dict[Detail, Key] | None = Field(default=None, max_length=10)
    own: dict[Annotated[str, Field(pattern="^[1-9][0-9]{0,15}$")], dict[Detail, Key]] | None = (
        Field(default=None, max_length=MOST_NAMED)
    )
    apart: FoundIds | None = None
    together: Pairs | None = None
    differ: Pairs | None = None
    no_families: (
        Annotated[list[Annotated[str, Field(max_length=60)]], Field(max_length=MOST_NAMED)] | None
    ) = None
    kits: FoundIds | None = None
    left_out: FoundIds | None = None
    prices: dict[Key, Key] | None = Field(default=None, max_length=50)


class MoveWish(MoveDecisions):
    """From which channels to move in (from all when none is named), with first decisions."""

    channels: Annotated[list[Key], Field(max_length=50)] = []


class StepWish(Shape):
    """The channels whose listings are to be kept in step; all when none is named."""

    channels: Annotated[list[Key], Field(max_length=50)] = []


def _changes(wish: MoveDecisions) -> dict[str, Any]:
    told = wish.model_dump(exclude_unset=True, exclude_none=True)
    told.pop("channels", None)
    return told


def _member_shape(one: ShownMember) -> dict[str, Any]:
    found = one.found
    return {
        "finding": found.id,
        "channel": one.channel.key,
        "ref": found.ref,
        "sku": found.sku,
        "gtin": found.gtin or None,
        "title": found.title,
        "brand": found.brand,
        "weight_g": found.weight_g,
        "price": amount_of(found.price, one.channel.currency),
        "quantity": found.quantity,
        "by": one.by or None,
        "percent": one.percent,
    }


def _proposal_shape(one: ShownProposal) -> dict[str, Any]:
    more = one.row.more
    return {
        "name": more["name"],
        "sku": one.row.subject,
        "kind": more["kind"],
        "verdict": one.row.verdict,
        "reason": one.row.reason,
        "product": one.fact,
        "listings": [_member_shape(member) for member in one.members],
        "conflicts": {
            detail: [{"value": value, "channels": keys} for value, keys in said]
            for detail, said in one.conflicts.items()
        },
        "stock": {"quantity": more["stock"][0], "channel": more["stock"][1]}
        if more["stock"]
        else None,
        "existing": more["existing"] or None,
        "family": more["family"] or None,
        "may_be_kit": more["kit"] is not None,
        "unlinked": more.get("unlinked", []),
    }


def _question_shape(one: ShownQuestion) -> dict[str, Any]:
    return {
        "listings": [_member_shape(one.first), _member_shape(one.second)],
        "by": one.by,
        "percent": one.percent,
    }


def _move_shape(by: Caller, job_id: int, only: str, limit: int, after: int) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        job = find_move(session, job_id)
        rows, following = page_of(
            proposals_shown(session, job_id, only=only, after=after, limit=limit + 1),
            limit,
            lambda one: one.row.position,
        )
        counts = count_proposed(session, job_id)
        questions = questions_shown(session, job, MOST_QUESTIONS)
        prices = prices_shown(session, job)
        decided = decided_of(job)
        channels = list(job.spec["channels"])
    return {
        **job_shape(by, job_id),
        "channels": channels,
        "decided": decided.as_dict(),
        "prices": {
            told.channel.key: {
                "how": told.how,
                "words": told.words,
                "base": told.base,
                "right": told.right,
                "of": told.of,
            }
            for told in prices
        },
        "proposed": counts,
        "questions": [_question_shape(one) for one in questions],
        "items": [_proposal_shape(one) for one in rows],
        "next": following,
    }


@router.post("/move-in", status_code=202)
def post_move_in(by: By, wish: MoveWish | None = None) -> dict[str, Any]:
    """Reads what channels list and proposes a catalogue of it; answers with a bulk job. Nothing
    changes until it is applied.
    """
    told = wish or MoveWish()
    return job_shape(by, start_move(by.workplace, by.actor, told.channels, _changes(told)))


@router.get("/move-in/in-step")
def get_steps(by: By, limit: Limit = 50) -> dict[str, Any]:
    """Returns, for each channel with listings that are not kept in step yet, how many prices and
    quantities would change there, and the first of them.
    """
    with by.workplace.database.reading() as session:
        found = preview_steps(session, shown=limit)
        return {"items": [_step_shape(one) for one in found]}


def _step_shape(one: StepPreview) -> dict[str, Any]:
    return {
        "channel": one.channel.key,
        "listings": one.waiting.listings,
        "prices": one.waiting.prices,
        "quantities": one.waiting.quantities,
        "first": [
            {
                "listing": row.id,
                "sku": row.sku,
                "title": row.title,
                "price_there": amount_of(row.price_there, row.currency),
                "price": amount_of(row.price, row.currency),
                "quantity_there": row.quantity_there,
                "quantity": row.quantity,
            }
            for row in one.rows
        ],
    }


@router.post("/move-in/in-step", status_code=202)
def post_steps(by: By, wish: StepWish | None = None) -> dict[str, Any]:
    """Keeps in step what was only read in: from now on prices and quantities there follow ours.
    Answers with a bulk job for each channel.
    """
    keys = (wish or StepWish()).channels
    with by.workplace.database.reading() as session:
        waiting = [one.channel.key for one in preview_steps(session)]
    jobs = [keep_channel_in_step(by.workplace, by.actor, key) for key in keys or waiting]
    return {"items": [job_shape(by, job_id) for job_id in jobs]}


@router.get("/move-in/{job_id}")
def get_move(
    by: By,
    job_id: int,
    only: Annotated[str, OneOf("only", ONLY)] = "",
    limit: Limit = 50,
    after: Cursor = 0,
) -> dict[str, Any]:
    """Returns a move with its proposal: the products with their listings, what the channels differ
    on, and the pairs of which a person is asked.
    """
    return _move_shape(by, job_id, only, limit, after)


@router.patch("/move-in/{job_id}", status_code=202)
def patch_move(by: By, job_id: int, wish: MoveDecisions) -> dict[str, Any]:
    """Takes decisions and proposes anew, from what was read."""
    decide(by.workplace, by.actor, job_id, _changes(wish))
    return job_shape(by, job_id)


@router.post("/move-in/{job_id}/{event}", status_code=202)
def post_move_event(
    by: By, job_id: int, event: Literal["apply", "undo", "rehearse", "drop"]
) -> dict[str, Any]:
    """Makes what is proposed, takes all of it back, tries again, or cancels it."""
    with by.workplace.database.reading() as session:
        find_move(session, job_id)
    move_job(by.workplace, by.actor, job_id, event)
    return job_shape(by, job_id)
