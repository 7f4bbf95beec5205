"""Keeps mappings by name, for the next file of the same kind."""

from collections.abc import Mapping, Sequence
from typing import Any

from relvan.core.imports.mapping import mapping_data, mapping_from
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.texts import is_seen
from relvan.services.imports.receive import kind_of
from relvan.services.workplace import Actor, Workplace
from relvan.store.imports import mapping_by_name, mappings
from relvan.store.tables import Mapping as KeptMapping

MOST_MAPPINGS = 200


def keep_mapping(
    workplace: Workplace, actor: Actor, kind: str, name: str, columns: Sequence[Mapping[str, Any]]
) -> None:
    """Saves a mapping under a name; the same name again replaces it."""
    actor.must(Right.CATALOGUE)
    kind_of(kind)
    if not name.strip() or len(name) > 60 or not is_seen(name):
        raise refuse(
            "form", "“Name” must have 1 to 60 characters.", "Give the mapping a short name.", "name"
        )
    name = name.strip()
    data = mapping_data(mapping_from(columns))
    with workplace.database.writing() as session:
        known = {kept.name_key: kept for kept in mappings(session)}
        same = known.get(name.casefold())
        if same is not None:
            same.kind, same.name, same.columns = kind, name, data
        elif len(known) >= MOST_MAPPINGS:
            raise refuse(
                "too-many", f"There may be {MOST_MAPPINGS} mappings.", "Forget one first.", "name"
            )
        else:
            values = {
                "kind": kind,
                "name": name,
                "name_key": name.casefold(),
                "columns": data,
                "options": {},
            }
            session.add(KeptMapping(**values))


def drop_mapping(workplace: Workplace, actor: Actor, name: str) -> None:
    """Deletes a mapping."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        session.delete(mapping_by_name(session, name))
