"""The sentence of the order desk: its chips, and the filter that it stands for."""

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from relvan.core.setup.countries import country_names
from relvan.store.channels import channel_names
from relvan.store.order_filter import PROGRESS, OrderFilter
from relvan.store.order_list import countries_of_orders
from relvan.store.order_paths import SORTING
from relvan.store.people import active_people
from relvan.store.trays import all_tags
from relvan.web.desk import Desk
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

# how far each progress may be asked for, and how the sentence says it
PROGRESS_CHOICES = {
    name: (
        Choice("none", f"not {name} at all"),
        Choice("part", f"{name} in part"),
        Choice("all", f"{name} in full"),
        Choice("open", f"not {name} in full"),
    )
    for name in PROGRESS
}
WAITING_DAYS = (1, 2, 3, 7, 14, 30)
PROMISED_WITHIN = {
    -1: "promised for a day before today",
    0: "promised by today",
    1: "promised by tomorrow",
    7: "promised within 7 days",
}
KIND = ListKind("Orders", "/orders", hint="number, customer, mail, tracking", sorts=SORTING.names())


def orders_sentence(desk: Desk, query: Mapping[str, str], *, strict: bool = False) -> Sentence:
    """Returns the sentence that a query says."""
    return read_sentence(KIND, _chips(desk), _in_todays_words(query), strict=strict)


def _chips(desk: Desk) -> tuple[Chip, ...]:
    with desk.workplace.database.reading() as session:
        named = channel_names(session, ended=True)
        tags, people = all_tags(session), active_people(session)
        countries = countries_of_orders(session)
    in_full = country_names(desk.workplace.firm.locale.split("_")[0])
    trays = [Choice(key, f"in {name}") for key, (name, _) in desk.workplace.tray_names().items()]
    channels = [Choice(key, f"from {name}") for key, name in named]
    chips = [
        Chip("tray", "Tray", tuple(trays), many=True),
        Chip("channel", "Channel", (*channels, Choice("none", "taken by hand")), many=True),
        *(
            Chip(name, name.capitalize(), choices, many=True)
            for name, choices in PROGRESS_CHOICES.items()
        ),
        Chip(
            "country",
            "Country",
            tuple(Choice(key, f"to {in_full.get(key, key)}") for key in countries),
            many=True,
        ),
        Chip("tag", "Tag", tuple(Choice(tag, f"tagged {tag}") for tag in tags), many=True),
        Chip("unknown", "Lines", (Choice("yes", "with an unknown line"),)),
        Chip("noticed", "Reminders", (Choice("yes", "with something to look at"),)),
        Chip(
            "promised",
            "Promised",
            tuple(Choice(str(days), words) for days, words in PROMISED_WITHIN.items()),
        ),
        Chip("aside", "Set aside", (Choice("no", "not set aside"), Choice("yes", "set aside"))),
        Chip(
            "assigned",
            "Assigned",
            (
                Choice("0", "assigned to nobody"),
                *(Choice(str(one.id), f"assigned to {one.name}") for one in people),
            ),
        ),
        Chip(
            "since",
            "In its tray",
            tuple(
                Choice(
                    str(days), f"in its tray for {days} {'day' if days == 1 else 'days'} or more"
                )
                for days in WAITING_DAYS
            ),
        ),
    ]
    return tuple(chip for chip in chips if chip.choices)


def _in_todays_words(query: Mapping[str, str]) -> Mapping[str, str]:
    """Returns the query of a view that was saved earlier in the names of today: progress was named
    `fact`.
    """
    name = query.get("fact", "")
    if not name:
        return query
    part = name.removeprefix("not ")
    others = {key: value for key, value in query.items() if key != "fact"}
    return {**others, part: "open" if name.startswith("not ") else "all"}


def orders_filter(desk: Desk, sentence: Sentence) -> OrderFilter:
    """Returns the filter that a sentence stands for."""
    many: dict[str, Any] = {
        name: sentence.values(name) for name in ("tray", "channel", "country", "tag", *PROGRESS)
    }
    days, assigned = sentence.chosen.get("since", ""), sentence.chosen.get("assigned", "")
    promised = sentence.chosen.get("promised", "")
    return OrderFilter(
        words=sentence.words,
        aside=sentence.chosen.get("aside", ""),
        unknown=True if sentence.chosen.get("unknown") else None,
        noticed=True if sentence.chosen.get("noticed") else None,
        promised_by=desk.workplace.local_now().date() + timedelta(days=int(promised))
        if promised
        else None,
        assigned=int(assigned) if assigned else None,
        since=desk.workplace.now() - timedelta(days=int(days)) if days else None,
        **many,
    )
