"""Where parcels are. What becomes of a parcel is settled when its carrier collects it, by the carrier's
habits; what has happened to it so far follows from the world's clock."""

import json
import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from random import Random
from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException
from pydantic import BaseModel, Field

from standins.day_sheets import VOID, state_of
from standins.hagglet import World
from standins.memory import Memory, loads

CARRIERS = {"ostrel": "Ostrel Post", "merrowline": "Merrowline"}
COLLECTED_AFTER = timedelta(hours=4)
DECLARED_LOST_AFTER = timedelta(days=14)
BILLED_AFTER = timedelta(hours=20)
router = APIRouter()


class Habits(BaseModel):
    """How often in a hundred parcels come late, are lost, or are weighed heavier than was said."""

    late_percent: float = Field(default=0, ge=0, le=100)
    lost_percent: float = Field(default=0, ge=0, le=100)
    reweighed_percent: float = Field(default=0, ge=0, le=100)
    seed: int = 1


class Past(BaseModel):
    """When the label of a parcel was bought, and what becomes of it."""

    bought_at: datetime
    fate: str = Field(default="", pattern="^(on time|late|lost|)$")


@dataclass(frozen=True)
class Step:
    """Something that has happened to a parcel: its stage is made, collected, sorted, delayed, delivered
    or lost."""

    at: datetime
    stage: str
    what: str


def habits_of(memory: Memory, carrier: str) -> Habits:
    """Returns the habits of a carrier."""
    return Habits.model_validate_json(memory.setting(f"habits.{carrier}", "{}"))


def arrival_of(row: sqlite3.Row) -> str:
    """Returns the day on which a parcel is to arrive, by what was said when its label was bought."""
    start = datetime.fromisoformat(row["bought_at"])
    return (start + timedelta(days=loads(row["data"]).get("days", 3))).date().isoformat()


def carrier_of(row: sqlite3.Row) -> str:
    """Returns the carrier that sold a label."""
    return "merrowline" if row["client_ref"].startswith("merrowline:") else "ostrel"


def steps_of(memory: Memory, code: str) -> list[Step] | None:
    """Returns what has happened to a parcel until now, or None when the code is unknown."""
    row = memory.row("SELECT * FROM label WHERE code = ?", code)
    if row is None:
        return None
    start, now = datetime.fromisoformat(row["bought_at"]), memory.now()
    made = Step(start, "made", "Label made")
    if state_of(memory, code) == VOID:
        return [made]
    chance = Random(f"{code}:{habits_of(memory, carrier_of(row)).seed}")
    days = loads(row["data"]).get("days", 3)
    there = datetime.combine((start + timedelta(days=days)).date(), time(9), UTC)
    there = max(there, start + 2 * COLLECTED_AFTER) + timedelta(minutes=chance.randrange(300))
    collected = start + min(COLLECTED_AFTER, (there - start) / 4)
    if collected > now:
        return [made]
    steps = [made, Step(collected, "collected", "Collected")]
    steps.append(Step(start + (there - start) / 2, "sorted", "At the sorting hall"))
    steps += _end(_fate(memory, row, chance), there, chance)
    return [step for step in steps if step.at <= now]


def _end(fate: str, there: datetime, chance: Random) -> list[Step]:
    if fate == "lost":
        return [Step(there + DECLARED_LOST_AFTER, "lost", "Lost; please claim")]
    if fate == "late":
        after = timedelta(days=chance.randint(2, 5))
        held = Step(there, "delayed", "Held back at the sorting hall")
        return [held, Step(there + after, "delivered", "Delivered")]
    return [Step(there, "delivered", "Delivered")]


def _fate(memory: Memory, row: sqlite3.Row, chance: Random) -> str:
    """Returns what becomes of a parcel; once it is settled it stays."""
    code = row["code"]
    before = memory.row("SELECT fate FROM label_fate WHERE code = ?", code)
    drawn = 100 * chance.random()
    if before:
        return str(before["fate"])
    habits = habits_of(memory, carrier_of(row))
    lost, late = habits.lost_percent, habits.lost_percent + habits.late_percent
    fate = "lost" if drawn < lost else "late" if drawn < late else "on time"
    with memory.writing() as db:
        db.execute("INSERT OR IGNORE INTO label_fate VALUES (?, ?)", (code, fate))
    return fate


def billed_codes(memory: Memory, number: str) -> list[str] | None:
    """Returns the parcels on a sheet that is billed by now, or None when the sheet is unknown or its bill
    is not written yet."""
    row = memory.row("SELECT * FROM day_sheet WHERE number = ?", number)
    if row is None or datetime.fromisoformat(row["at"]) + BILLED_AFTER > memory.now():
        return None
    return [str(code) for code in json.loads(row["codes"])]


def is_reweighed(memory: Memory, row: sqlite3.Row) -> bool:
    """Says whether the carrier's own scale finds a parcel a kilogram heavier than was said."""
    habits = habits_of(memory, carrier_of(row))
    drawn = 100 * Random(f"scale:{row['code']}:{habits.seed}").random()
    return drawn < habits.reweighed_percent


def _known(carrier: str) -> str:
    if carrier not in CARRIERS:
        raise HTTPException(404, "No such carrier.")
    return carrier


@router.get("/world/{carrier}/parcels/{code}")
def show_parcel(carrier: str, code: str, memory: World) -> dict[str, Any]:
    """Returns where a parcel is."""
    _known(carrier)
    steps = steps_of(memory, code)
    if steps is None:
        raise HTTPException(404, "No such parcel.")
    row = memory.row("SELECT * FROM label WHERE code = ?", code)
    assert row is not None
    return {
        "code": code,
        "stage": steps[-1].stage,
        "cents": row["cents"],
        "to": loads(row["data"]).get("to", {}),
        "sheet": state_of(memory, code),
        "events": [{"at": step.at.isoformat(), "what": step.what} for step in steps],
    }


@router.get("/world/{carrier}/habits")
def show_habits(carrier: str, memory: World) -> Habits:
    """Returns the habits of a carrier."""
    return habits_of(memory, _known(carrier))


@router.put("/world/{carrier}/habits")
def set_habits(carrier: str, memory: World, habits: Habits) -> Habits:
    """Changes the habits of a carrier; parcels that were looked at after they were collected keep theirs."""
    memory.remember(f"habits.{_known(carrier)}", habits.model_dump_json())
    return habits


@router.put("/world/{carrier}/pasts")
def set_pasts(
    carrier: str, memory: World, pasts: Annotated[dict[str, Past], Body(max_length=5000)]
) -> dict[str, int]:
    """Says of labels when they were bought and what becomes of their parcels, to make up a past;
    the sheets on which they stand are as old."""
    _known(carrier)
    with memory.writing() as db:
        for code, past in pasts.items():
            moment = past.bought_at.astimezone(UTC).isoformat()
            db.execute("UPDATE label SET bought_at = ? WHERE code = ?", (moment, code))
            sheet = "SELECT sheet FROM label_end WHERE code = ?"
            db.execute(f"UPDATE day_sheet SET at = ? WHERE number = ({sheet})", (moment, code))
            if past.fate:
                db.execute("INSERT OR REPLACE INTO label_fate VALUES (?, ?)", (code, past.fate))
    return {"parcels": len(pasts)}
