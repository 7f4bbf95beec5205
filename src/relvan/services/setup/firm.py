"""The firm: changing what is known of it, and how its numbers are written."""

import base64
import mimetypes
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse, refuse_if_any
from relvan.core.setup.firm import Firm, check_firm
from relvan.core.setup.numbering import (
    SERIES_NAMES,
    WITHOUT_HOLES,
    Series,
    check_pattern,
    usual_pattern,
    write_number,
)
from relvan.gateways.calling import check_address
from relvan.services import audit
from relvan.services.catalogue.kept_pictures import keep_picture, picture_file
from relvan.services.counters import FIRST
from relvan.services.workplace import Actor, Workplace
from relvan.store.session import Session
from relvan.store.setup import firm_of, has_amounts, keep_firm, keep_series, series_rows

MOST_LOGO = 2_000_000
SUBJECT = audit.Subject("firm", 1)
MOST_NEXT = 999_999_999


@dataclass(frozen=True)
class SeriesView:
    """A series of numbers: its pattern, the number that comes next, and how that is written."""

    series: Series
    name: str
    pattern: str
    next: int
    preview: str


def change_firm(
    workplace: Workplace,
    actor: Actor,
    wish: Mapping[str, Any],
    series: Mapping[str, tuple[str, int | None]] | None = None,
) -> Firm:
    """Changes what a wish names of the firm, and its series of numbers as `change_series` does, all
    or nothing; returns the firm.

    The currency stays once anything is kept in it: a cost, a floor or an order.
    """
    actor.must(Right.SETUP)
    if scale := str(wish.get("scale", "")).strip():
        _check_scale(workplace, scale)
    with workplace.database.writing() as session:
        before = _present(workplace, session)
        firm = before.changed(wish)
        refuse_if_any(check_firm(firm))
        if firm.currency != before.currency and has_amounts(session):
            raise refuse(
                "in-use",
                f"Costs or orders are kept in {before.currency}, and would all be wrong.",
                "Keep the currency; a price list may have another.",
                "currency",
            )
        keep_firm(session, firm)
        changes = _differences(before, firm)
        if changes:
            audit.record(session, actor, workplace.now(), SUBJECT, "changed", changes)
        _change_series(session, workplace, actor, series or {})
    workplace.forget_firm()
    return firm


def _check_scale(workplace: Workplace, address: str) -> None:
    """Refuses an address of a scale that may not be called."""
    try:
        check_address(address, private_allowed=workplace.settings.private_addresses)
    except Refused as refused:
        first = refused.first
        raise refuse(first.code, first.message, first.fix, "scale") from None


def keep_logo(workplace: Workplace, actor: Actor, content: bytes) -> None:
    """Saves the logo that papers bear. Refused when it is no picture of at most 2 MB."""
    actor.must(Right.SETUP)
    if len(content) > MOST_LOGO:
        raise refuse("too-large", "A logo must have at most 2 MB.", "Make it smaller.", "logo")
    if not content:
        raise refuse("missing", "Choose a picture.", "PNG, JPEG or WebP.", "logo")
    try:
        picture = keep_picture(
            workplace.files, content, most_mb=workplace.settings.largest_picture_mb
        )
    except Refused as refused:
        first = refused.first
        raise refuse(first.code, first.message, first.fix, "logo") from None
    _use_logo(workplace, actor, picture_file(picture.sha, picture.kind))


def delete_logo(workplace: Workplace, actor: Actor) -> None:
    """Takes the logo off papers."""
    actor.must(Right.SETUP)
    _use_logo(workplace, actor, "")


def _use_logo(workplace: Workplace, actor: Actor, name: str) -> None:
    with workplace.database.writing() as session:
        before = _present(workplace, session)
        firm = replace(before, logo=name)
        keep_firm(session, firm)
        if changes := _differences(before, firm):
            audit.record(session, actor, workplace.now(), SUBJECT, "changed", changes)
    workplace.forget_firm()


def number_series(workplace: Workplace) -> list[SeriesView]:
    """Returns every series with a preview of its next number."""
    with workplace.database.reading() as session:
        return _views(session, workplace.local_now().year)


def change_series(
    workplace: Workplace, actor: Actor, wishes: Mapping[str, tuple[str, int | None]]
) -> list[SeriesView]:
    """Changes how series are written, and from which number they go on; `wishes` maps the name of
    a series, such as order, to (pattern, next number or None). A series never goes back.
    """
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        _change_series(session, workplace, actor, wishes)
        return _views(session, workplace.local_now().year)


def _change_series(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    wishes: Mapping[str, tuple[str, int | None]],
) -> None:
    by_name = {name: series for series, name in SERIES_NAMES.items()}
    year = workplace.local_now().year
    before = {view.series: view for view in _views(session, year)}
    found: list[Refusal] = []
    for name, (pattern, following) in wishes.items():
        if name not in by_name:
            raise refuse(
                "not-allowed",
                f"“{name[:30]}” is no series of numbers.",
                f"There are {', '.join(by_name)}.",
                "number_series",
            )
        found += _check(before[by_name[name]], pattern, following)
    refuse_if_any(found)
    for name, (pattern, following) in wishes.items():
        view = before[by_name[name]]
        last = (view.next if following is None else following) - 1
        if (pattern, last + 1) != (view.pattern, view.next):
            keep_series(session, view.series, last, pattern)
            changes = {f"numbers of {name}s": (view.preview, write_number(pattern, last + 1, year))}
            audit.record(session, actor, workplace.now(), SUBJECT, "changed", changes)


def _check(view: SeriesView, pattern: str, following: int | None) -> list[Refusal]:
    label = f"Numbers of {view.name}s"
    found = check_pattern(f"{view.name} pattern", label, pattern)
    if following is not None and not view.next <= following <= MOST_NEXT:
        message = f"“Next number” of {view.name}s must be {view.next} or more; it got {following}."
        found.append(
            Refusal("range", message, "A number is never given twice.", f"{view.name} next")
        )
    begun = view.next > FIRST
    if begun and view.series in WITHOUT_HOLES and following not in (None, view.next):
        message = f"“Next number” of {view.name}s must stay {view.next}; it got {following}."
        fix = "These numbers follow one another without holes."
        found.append(Refusal("holes", message, fix, f"{view.name} next"))
    return found


def _views(session: Session, year: int) -> list[SeriesView]:
    begun = series_rows(session)
    found = []
    for series, name in SERIES_NAMES.items():
        last, pattern = begun.get(series, (FIRST - 1, ""))
        pattern = pattern or usual_pattern(series)
        preview = write_number(pattern, last + 1, year)
        found.append(SeriesView(series, name, pattern, last + 1, preview))
    return found


def _present(workplace: Workplace, session: Session) -> Firm:
    workplace.forget_firm()
    return firm_of(session) or Firm()


def _differences(before: Firm, after: Firm) -> dict[str, tuple[Any, Any]]:
    old = {**vars(before), **before.address.as_dict(), "name": before.name}
    new = {**vars(after), **after.address.as_dict(), "name": after.name}
    return {
        name: (old[name], new[name]) for name in new if name != "address" and old[name] != new[name]
    }


def logo_of(workplace: Workplace) -> str:
    """Returns the firm's logo as a data address, or nothing when there is none."""
    path = workplace.files.path(workplace.firm.logo) if workplace.firm.logo else None
    if path is None or not path.exists():
        return ""
    kind = mimetypes.guess_type(path.name)[0] or "image/png"
    return f"data:{kind};base64,{base64.b64encode(path.read_bytes()).decode()}"
