"""Mails the person in charge of what cannot wait: lines of orders that are no product. At most one such
mail is written an hour; it tells of all that came since the last one.
"""

from datetime import timedelta

from relvan.services.mail.write import TeamMail, write_to_team
from relvan.services.workplace import Workplace
from relvan.store.mail import mail_server_of
from relvan.store.mailing import last_mail_of, unknown_lines_after

UNKNOWN_LINES = "unknown-lines"
EVERY = timedelta(hours=1)
MOST_TOLD = 50


def alert_of_unknown_lines(workplace: Workplace) -> bool:
    """Writes a mail about lines without a product that came since the last such mail; returns whether
    there was something to tell and somebody to tell it to."""
    now = workplace.now()
    with workplace.database.reading() as session:
        server = mail_server_of(session)
        if server is None or not server.host or not server.alerts_to:
            return False
        at, key = last_mail_of(session, UNKNOWN_LINES) or (None, ":0")
        if at is not None and now - at < EVERY:
            return False
        lines = unknown_lines_after(session, int(key.rpartition(":")[2]), MOST_TOLD)
    if not lines:
        return False
    base = workplace.settings.base_url.rstrip("/")
    told = "\n".join(f"- {number}: {sku}\n  {base}/orders/{number}" for _, number, sku in lines)
    more = "\nThere may be more, which the next mail tells." if len(lines) == MOST_TOLD else ""
    count = len({number for _, number, _ in lines})
    subject = f"{count} {'order has' if count == 1 else 'orders have'} a line without a product"
    body = (
        "These lines belong to no product, so nothing can be reserved for them. "
        f"Link each once, and all like it follow.\n\n{told}{more}\n"
    )
    mail = TeamMail(
        server.alerts_to, UNKNOWN_LINES, f"{UNKNOWN_LINES}:{lines[-1][0]}", subject, body
    )
    with workplace.database.writing() as session:
        write_to_team(session, workplace, mail)
    return True
