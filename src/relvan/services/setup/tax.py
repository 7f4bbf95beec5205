"""Rates of tax: setting them, taking those of the European Union, and where the seller is registered."""

from collections.abc import Collection, Sequence
from decimal import Decimal, InvalidOperation
from functools import cache
from pathlib import Path

import yaml

from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.setup.tax import (
    TaxRate,
    check_registered,
    check_tax_rate,
    rates_of_file,
    replaced,
)
from relvan.services import audit
from relvan.services.changes import Concern, changes_of
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channels
from relvan.store.session import Session
from relvan.store.setup import firm_of
from relvan.store.tax import keep_registered, keep_tax_rates, registered_in, tax_rates, tax_table

EU_RATES = Path(__file__).parent / "tax_rates_eu.yaml"
SUBJECT = audit.Subject("tax", 1)
MOST_RATES = 2_000


@cache
def rates_of_the_union() -> list[TaxRate]:
    """Returns the rates of the European Union as they ship, with their origin and day."""
    return rates_of_file(yaml.safe_load(EU_RATES.read_text(encoding="utf-8")))


def read_percent(text: str) -> Decimal:
    """Reads a percentage as a person types it, such as 23, 13.5 or 13,5 %."""
    plain = text.strip().removesuffix("%").strip().replace(",", ".")
    try:
        return Decimal(plain)
    except InvalidOperation:
        message = f"“Percent” must be a percentage; it got “{text[:20]}”."
        raise refuse("form", message, "Type it like 23 or 13.5.", "percent") from None


def set_tax_rates(
    workplace: Workplace,
    actor: Actor,
    rates: Sequence[TaxRate],
    *,
    gone: Collection[TaxRate] = (),
    registered: Sequence[str] | None = None,
) -> None:
    """Sets rates, takes some away, and says where the seller is registered, all or nothing. A rate
    replaces the one of the same country, code and day."""
    actor.must(Right.SETUP)
    found = [refusal for rate in rates for refusal in check_tax_rate(rate)]
    countries = None if registered is None else sorted({one.strip().upper() for one in registered})
    refuse_if_any([*found, *check_registered(countries or ())])
    try:
        _set(workplace, actor, rates, gone, countries)
    finally:
        workplace.forget_firm()


def _set(
    workplace: Workplace,
    actor: Actor,
    rates: Sequence[TaxRate],
    gone: Collection[TaxRate],
    countries: Sequence[str] | None,
) -> None:
    with workplace.database.writing() as session:
        before = tax_rates(session)
        taken = {rate.key for rate in gone}
        kept = replaced([rate for rate in before if rate.key not in taken], rates)
        if len(kept) > MOST_RATES:
            message = f"At most {MOST_RATES:,} rates are kept."
            raise refuse("too-many", message, "Take old ones away.", "percent")
        changes = _changes(before, kept)
        if changes:
            keep_tax_rates(session, kept)
        known = registered_in(session)
        if countries is not None and list(countries) != known:
            _register(session, countries)
            changes["registered"] = (known, list(countries))
        if changes:
            audit.record(session, actor, workplace.now(), SUBJECT, "changed", changes)
            workplace.know_tax(tax_table(session))
            for channel in channels(session):
                title = f"Work out {channel.name} by the new rates of tax"
                concern = Concern(actor, title, channel_id=channel.id)
                changes_of(session).settings_changed(concern)


def _register(session: Session, countries: Sequence[str]) -> None:
    if firm_of(session) is None:
        message = "The firm is not described yet, so nobody knows its own country."
        raise refuse("missing", message, "Describe it under Setup, Firm.", "registered")
    keep_registered(session, countries)


def _changes(
    before: Sequence[TaxRate], after: Sequence[TaxRate]
) -> dict[str, tuple[object, object]]:
    old, new = (
        {rate.key: f"{rate.percent.normalize():f}" for rate in one} for one in (before, after)
    )
    return {
        f"{country} {code} from {since.isoformat()}": (
            old.get((country, code, since)),
            new.get((country, code, since)),
        )
        for country, code, since in sorted(old.keys() | new.keys())
        if old.get((country, code, since)) != new.get((country, code, since))
    }
