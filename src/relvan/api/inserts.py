"""Serves what goes into parcels besides the goods over HTTP."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import described_text
from relvan.api.desk import By, Caller, api_router
from relvan.api.shapes import Shape
from relvan.core.packing.inserts import MOST_NAME, MOST_VALUES, MOST_WEIGHT_G, Insert
from relvan.core.people.roles import Right
from relvan.core.texts import WORDS
from relvan.services.packing.inserts import delete_insert, insert_of, inserts, save_insert

router = api_router(tags=["set-up"])
Values = Annotated[list[Annotated[str, Field(max_length=100)]], Field(max_length=MOST_VALUES)]


class InsertShape(Shape):
    """An insert: its name and weight, and for which shipments it is: channels (`none` for orders by hand),
    countries, SKUs, and what the goods were sold for at least, in minor units. What is empty is not asked
    for."""

    name: Annotated[str, Field(max_length=200), described_text(WORDS, MOST_NAME)]
    weight_g: int = Field(default=0, ge=0, le=MOST_WEIGHT_G)
    channels: Values = []
    countries: Values = []
    skus: Values = []
    least_value: int | None = Field(default=None, ge=0, le=10**12)
    active: bool = True


def _told(insert: Insert) -> dict[str, Any]:
    return {"id": insert.id, **insert.as_dict()}


def _one(by: Caller, insert_id: int) -> dict[str, Any]:
    return _told(insert_of(by.workplace, insert_id))


@router.get("/inserts")
def list_inserts(by: By) -> dict[str, Any]:
    """Returns all inserts."""
    by.actor.must(Right.SETUP)
    with by.workplace.database.reading() as session:
        found = inserts(session)
    return {"items": [_told(one) for one in found], "next": None}


@router.post("/inserts", status_code=201)
def post_insert(by: By, wish: InsertShape) -> dict[str, Any]:
    """Creates an insert."""
    insert = Insert.read(wish.model_dump())
    return _one(by, save_insert(by.workplace, by.actor, insert))


@router.put("/inserts/{insert_id}")
def put_insert(by: By, insert_id: int, wish: InsertShape) -> dict[str, Any]:
    """Changes an insert to what is given."""
    by.actor.must(Right.SETUP)
    _one(by, insert_id)
    save_insert(by.workplace, by.actor, Insert.read(wish.model_dump(), insert_id))
    return _one(by, insert_id)


@router.delete("/inserts/{insert_id}")
def delete_one_insert(by: By, insert_id: int) -> dict[str, Any]:
    """Deletes an insert."""
    delete_insert(by.workplace, by.actor, insert_id)
    return {"deleted": insert_id}
