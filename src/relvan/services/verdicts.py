"""Actions on many things: each in a transaction of its own, with a verdict for each; a refused one
does not stop the others."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from relvan.core.refusal import NotFound, Refusal, Refused
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


def refuse_with(verdict: Verdict, field: str = "") -> None:
    """Raises the refusal of a verdict on something that was named by itself, if it was refused."""
    if not verdict.ok:
        kind = NotFound if verdict.code == "not-found" else Refused
        raise kind(Refusal(verdict.code, verdict.message, verdict.fix, field))


BLOCK = 100  # subjects of one transaction: others can write in between
Answers = Mapping[str, str | Refused]


def for_blocks(
    workplace: Workplace,
    subjects: Iterable[str],
    deed: Callable[[Session, Sequence[str]], Answers],
) -> list[Verdict]:
    """Does something to many subjects, a block of them in each transaction; `deed` answers for each
    subject what is told of it, or why it was refused and left as it is. Returns a verdict for every
    naming, as `for_each` does."""
    named = list(subjects)
    each = list(dict.fromkeys(named))
    verdicts: dict[str, Verdict] = {}
    for first in range(0, len(each), BLOCK):
        block = each[first : first + BLOCK]
        with workplace.database.writing() as session:
            answers = deed(session, block)
        for subject, answer in answers.items():
            verdicts[subject] = (
                refused_verdict(subject, answer)
                if isinstance(answer, Refused)
                else Verdict(subject, True, answer)
            )
    return [verdicts[subject] for subject in named]


def for_each(
    workplace: Workplace, subjects: Iterable[str], deed: Callable[[Session, str], str | None]
) -> list[Verdict]:
    """Does something to each subject, once, however often it is named. Returns a verdict for every
    naming; what the deed returns is told with it."""
    verdicts: dict[str, Verdict] = {}
    named = list(subjects)
    for subject in dict.fromkeys(named):
        try:
            with workplace.database.writing() as session:
                message = deed(session, subject)
            verdicts[subject] = Verdict(subject, True, message or "")
        except Refused as refused:
            verdicts[subject] = refused_verdict(subject, refused)
    return [verdicts[subject] for subject in named]
