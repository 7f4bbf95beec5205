"""Serves updates and drift over HTTP: what waits for a channel, how late it hears of sales, and
what it refused.
"""

from typing import Any

from pydantic import Field

from relvan.api.described import Id
from relvan.api.desk import By, IdOrNone, Limit, api_router
from relvan.api.shapes import Shape
from relvan.services.channels.delivery import deliveries
from relvan.services.duties import workers_seen
from relvan.services.listings.drift import leave_drift, mend_drift
from relvan.store.channels import channel_by_key
from relvan.store.drifts import drift_rows

router = api_router(tags=["updates"])


@router.get("/channels/{channel}/updates")
def get_updates(by: By, channel: str) -> dict[str, Any]:
    """Returns for a channel what waits by kind, how late it hears of sales, and what it refused
    lately.
    """
    with by.workplace.database.reading() as session:
        key = channel_by_key(session, channel).key
        one = next(found for found in deliveries(session, by.workplace) if found.channel.key == key)
    return {
        "state": one.health.state,
        "last_error": one.health.last_error,
        "last_heard": one.health.last_ok_at,
        "silent_minutes": one.channel.silent_minutes,
        "waiting": [
            {
                "topic": row.topic,
                "count": row.count,
                "under_way": row.under_way,
                "oldest": row.oldest,
            }
            for row in one.waiting
        ],
        "lag_s": {"updates": one.sales, "half": one.half_s, "p95": one.most_s, "p99": one.worst_s},
        "pulse": [
            {"since": beat.since, "updates": beat.count, "half": beat.half, "p95": beat.most}
            for beat in one.beats
        ],
        "refused": [
            {
                "at": row.at,
                "topic": row.topic,
                "listing": row.listing_id,
                "sku": row.sku,
                "says": row.says,
                "to_do": to_do,
            }
            for row, to_do in one.refused
        ],
    }


@router.get("/workers")
def list_workers(by: By) -> dict[str, Any]:
    """Returns the workers that were seen, for how many channels each works, and whether it is
    running.
    """
    with by.workplace.database.reading() as session:
        found = workers_seen(session, by.workplace)
    return {
        "items": [
            {"name": row.name, "seen_at": row.seen_at, "channels": row.channels, "lives": lives}
            for row, lives in found
        ]
    }


class DriftIds(Shape):
    """Differences by their ids."""

    ids: list[Id] = Field(min_length=1, max_length=5_000)


@router.get("/drift")
def list_drift(
    by: By, channel: str = "", limit: Limit = 50, after: IdOrNone = None
) -> dict[str, Any]:
    """Returns the differences between what channels show and what they last accepted that wait for
    a person.
    """
    with by.workplace.database.reading() as session:
        rows = drift_rows(session, channel=channel, before=after, limit=limit + 1)
    items = [
        {
            "id": row.id,
            "channel": row.channel_key,
            "listing": row.listing_id,
            "sku": row.sku,
            "topic": row.topic,
            "sent": row.ours,
            "shown": row.theirs,
            "seen_at": row.seen_at,
        }
        for row in rows[:limit]
    ]
    return {"items": items, "next": rows[limit - 1].id if len(rows) > limit else None}


@router.post("/drift/mend")
def post_mend(by: By, wish: DriftIds) -> dict[str, int]:
    """Sends the values of these differences to their channels again and returns how many."""
    return {"told_again": mend_drift(by.workplace, by.actor, wish.ids)}


@router.post("/drift/leave")
def post_leave(by: By, wish: DriftIds) -> dict[str, int]:
    """Leaves differences as they are until our value or the channel's changes, and returns how
    many.
    """
    return {"left": leave_drift(by.workplace, by.actor, wish.ids)}
