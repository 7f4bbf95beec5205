"""Makes the papers that go with mails, when these are sent."""

from collections.abc import Sequence
from typing import Any

from relvan.services.orders.own_papers import printed_estimate, printed_invoice
from relvan.services.orders.papers import invoice_paper
from relvan.services.setup.mail import MailFile
from relvan.services.workplace import Workplace


def files_of(workplace: Workplace, papers: Sequence[Any]) -> list[MailFile]:
    """Returns the papers as PDF files; each is [kind, number]. An invoice has its data inside."""
    found = []
    for kind, number in papers:
        if kind == "estimate":
            content = printed_estimate(workplace, number)
        else:
            paper = invoice_paper(workplace, number)
            content = printed_invoice(workplace, paper, hybrid=True)
        found.append(MailFile(f"{number.replace('/', '-')}.pdf", content))
    return found
