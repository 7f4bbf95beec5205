"""Actions on many things: each in a transaction of its own, with a verdict for each; a refused one
does not stop the others."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from relvan.core.refusal import Refused
from relvan.services.workplace import Workplace
from relvan.store.session import Session


@dataclass(frozen=True)
class Verdict:
    """The verdict on one of many: done, or refused with the reason."""

    subject: str
    ok: bool
    message: str = ""
    code: str = ""
    fix: str = ""


def refused_verdict(subject: str, refused: Refused) -> Verdict:
    """Returns the verdict on one that was refused."""
    first = refused.first
    return Verdict(subject, False, first.message, first.code, first.fix)


def for_each(
    workplace: Workplace, subjects: Iterable[str], deed: Callable[[Session, str], str | None]
) -> list[Verdict]:
    """Does something to each subject; what it returns is told with the verdict."""
    verdicts = []
    for subject in subjects:
        try:
            with workplace.database.writing() as session:
                message = deed(session, subject)
            verdicts.append(Verdict(subject, True, message or ""))
        except Refused as refused:
            verdicts.append(refused_verdict(subject, refused))
    return verdicts
