"""Makes the papers that go with mails, when these are sent."""

from collections.abc import Sequence
from typing import Any

from relvan.documents.estimate import estimate_pdf
from relvan.documents.invoice import invoice_pdf
from relvan.services.orders.estimate_papers import estimate_paper
from relvan.services.orders.journal import style_of
from relvan.services.orders.papers import invoice_paper
from relvan.services.setup.mail import MailFile
from relvan.services.workplace import Workplace


def files_of(workplace: Workplace, papers: Sequence[Any]) -> list[MailFile]:
    """Returns the papers as PDF files; each is [kind, number]. An invoice has its data inside."""
    found = []
    for kind, number in papers:
        if kind == "estimate":
            content = estimate_pdf(estimate_paper(workplace, number), style_of(workplace))
        else:
            paper = invoice_paper(workplace, number)
            content = invoice_pdf(paper, style_of(workplace), hybrid=True)
        found.append(MailFile(f"{number.replace('/', '-')}.pdf", content))
    return found
