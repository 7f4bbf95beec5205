"""Conversion rates: entered by hand or by file, with the day from which they hold."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal, InvalidOperation

from relvan.core.people.roles import Right
from relvan.core.prices.rates import Rate, check_rate
from relvan.core.prices.steps import ConvertStep, steps_from
from relvan.core.refusal import Refusal, Refused, not_found, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.changes import Concern, changes_of
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_settings
from relvan.store.prices import find_rate, has_other_rates
from relvan.store.session import Session
from relvan.store.tables import CurrencyRate

MOST_AT_ONCE = 2_000
COLUMNS = ("from", "to", "rate", "since")


def read_rate(today: date, source: str, target: str, rate: str, since: str = "") -> Rate:
    """Reads a rate as a person typed it, with a day like 2026-11-30, or empty for today. Texts of
    another form are refused."""
    try:
        value = Decimal(rate.strip().replace(",", "."))
    except InvalidOperation:
        raise refuse(
            "form", f"“{rate[:40]}” must be a number.", "Type it like 0.9412.", "rate"
        ) from None
    try:
        day = date.fromisoformat(since.strip()) if since.strip() else today
    except ValueError:
        raise refuse(
            "form", f"“{since[:40]}” must be a day.", "Type it like 2026-11-30.", "since"
        ) from None
    return Rate(source.strip().upper(), target.strip().upper(), value, day)


def keep_rates(workplace: Workplace, actor: Actor, rates: Sequence[Rate]) -> int:
    """Saves rates, all of them or none; a rate for the same day replaces the one before it. Prices
    that depend on them are worked out again. Returns how many are new or differ."""
    actor.must(Right.PRICES)
    if not 0 < len(rates) <= MOST_AT_ONCE:
        raise refuse(
            "ids",
            f"Between 1 and {MOST_AT_ONCE:,} rates at once; it got {len(rates):,}.",
            "",
            "rates",
        )
    today = workplace.now().date()
    for rate in rates:
        refuse_if_any([*check_rate(rate), *_not_yet(rate, today)])
    with workplace.database.writing() as session:
        changed = [rate for rate in rates if _keep_rate(session, workplace, actor, rate)]
        if changed:
            session.flush()
            _work_out(session, workplace, actor)
        return len(changed)


def keep_rates_of_file(workplace: Workplace, actor: Actor, rows: Sequence[Sequence[str]]) -> int:
    """Saves the rates of a table whose first row names the columns: from, to, rate and since (which
    may be missing)."""
    heads = [cell.strip().casefold() for cell in rows[0]] if rows else []
    if any(name not in heads for name in COLUMNS[:3]):
        raise refuse(
            "form",
            "The file needs the columns from, to, rate and perhaps since.",
            "Name them so.",
            "file",
        )
    found, problems = [], []
    for number, row in enumerate(rows[1:], 2):
        cells = dict(zip(heads, row, strict=False))
        if not any(cells.get(name, "").strip() for name in COLUMNS):
            continue
        try:
            values = [cells.get(name, "") for name in COLUMNS]
            rate = read_rate(workplace.now().date(), *values)
            refuse_if_any([*check_rate(rate), *_not_yet(rate, workplace.now().date())])
            found.append(rate)
        except Refused as refused:
            problems += [
                Refusal(one.code, f"Row {number}: {one.message}", one.fix, "file")
                for one in refused.refusals
            ]
    refuse_if_any(problems[:20])
    return keep_rates(workplace, actor, found)


def drop_rate(workplace: Workplace, actor: Actor, rate_id: int) -> None:
    """Deletes a rate; the one before it holds again. Refused where the price steps of a channel
    would then lack it."""
    actor.must(Right.PRICES)
    with workplace.database.writing() as session:
        row = session.get(CurrencyRate, rate_id)
        if row is None:
            raise not_found("rate", rate_id)
        if not has_other_rates(session, row) and (name := _needed_by(session, row)):
            message = f"{name} converts by the rate from {row.source} to {row.target}."
            raise refuse("in-use", message, "Add a newer rate, or take the step away.", "rate")
        session.delete(row)
        told = {f"rate {row.source} {row.target} {row.since}": (row.rate, None)}
        audit.record(
            session, actor, workplace.now(), audit.Subject("rate", rate_id), "dropped", told
        )
        session.flush()
        _work_out(session, workplace, actor)


def _not_yet(rate: Rate, today: date) -> list[Refusal]:
    if rate.since <= today:
        return []
    message = f"A rate holds from today or an earlier day; it got {rate.since.isoformat()}."
    return [Refusal("out-of-range", message, "Add it when the day has come.", "since")]


def _keep_rate(session: Session, workplace: Workplace, actor: Actor, rate: Rate) -> bool:
    since, text = rate.since.isoformat(), f"{rate.rate.normalize():f}"
    row = find_rate(session, rate.source, rate.target, since)
    before = row.rate if row else None
    if before == text:
        return False
    if row is None:
        row = CurrencyRate(
            source=rate.source, target=rate.target, since=since, rate=text, made_at=workplace.now()
        )
        session.add(row)
    row.rate, row.made_at = text, workplace.now()
    session.flush()
    told = {f"rate {rate.source} {rate.target} {since}": (before, text)}
    audit.record(session, actor, workplace.now(), audit.Subject("rate", row.id), "kept", told)
    return True


def _needed_by(session: Session, rate: CurrencyRate) -> str:
    """Returns the name of a channel whose steps convert between two currencies, in either
    direction."""
    pair = {rate.source, rate.target}
    for settings in channel_settings(session).values():
        at = settings.price_list.currency
        for step in steps_from(settings.channel.price_steps):
            if isinstance(step, ConvertStep):
                if {at, step.currency} == pair:
                    return settings.channel.name
                at = step.currency
    return ""


def _work_out(session: Session, workplace: Workplace, actor: Actor) -> None:
    """Works out the prices of channels where a rate may count: those that convert, and those in
    another currency than ours, because their bounds are converted."""
    for settings in channel_settings(session).values():
        channel, own = settings.channel, workplace.firm.currency
        if settings.looks_at_rates(own):
            title = f"Work out {channel.name} by the new rates"
            changes_of(session).settings_changed(Concern(actor, title, channel_id=channel.id))
