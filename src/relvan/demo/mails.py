"""Writes the texts of the demo's mails, has its own shop's customers mailed, and leaves mails and an
estimate that nobody has answered yet.
"""

from datetime import timedelta

from relvan.core.mail.texts import MailEvent, MailText
from relvan.core.orders.by_hand import OrderKind
from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.demo.order_desk import TEA_ROOMS
from relvan.services.channels.settings import change_channel
from relvan.services.mail.texts import save_mail_text
from relvan.services.mail.write import mail_estimate, mail_orders
from relvan.services.orders.estimates import enter_estimate
from relvan.services.workplace import Actor, Workplace
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page

LINES = "{% for line in lines %}  {{ line.quantity }} x {{ line.title }}\n{% endfor %}"
PARCELS = (
    "{% for parcel in parcels %}  {{ parcel.carrier }}, {{ parcel.tracking_number }}\n{% endfor %}"
)
TEXTS = (
    MailText(
        "We have your order",
        MailEvent.TAKEN,
        "Your order {{ order.number }}",
        "Dear {{ customer.name }},\n\nthank you for your order of {{ order.placed }}:\n\n"
        + LINES
        + "\nTogether {{ order.total }}. How far it is you can see here:\n{{ order.link }}\n\n"
        "Yours, {{ firm.name }}",
        automatic=True,
    ),
    MailText(
        "It is on its way",
        MailEvent.SHIPPED,
        "Your order {{ order.number }} is on its way",
        "Dear {{ customer.name }},\n\nyour order {{ order.number }} has left for {{ address.street }}, "
        "{{ address.town }}.\n\n" + PARCELS + "\nYours, {{ firm.name }}",
        automatic=True,
    ),
    MailText(
        "It is on its way, in German",
        MailEvent.SHIPPED,
        "Ihre Bestellung {{ order.number }} ist unterwegs",
        "Guten Tag {{ customer.name }},\n\nIhre Bestellung {{ order.number }} vom {{ order.placed }} "
        "ist unterwegs nach {{ address.town }}.\n\n" + PARCELS + "\nMit freundlichen Grüßen\n"
        "{{ firm.name }}",
        language="de",
        automatic=True,
    ),
    MailText(
        "Invoice",
        MailEvent.INVOICED,
        "Invoice {{ invoice.number }} for your order {{ order.number }}",
        "Dear {{ customer.name }},\n\nenclosed is our invoice {{ invoice.number }} over "
        "{{ invoice.total }}.{% if order.owed %} Please pay {{ order.owed }} until "
        "{{ invoice.due_on }}.{% endif %}\n\nYours, {{ firm.name }}",
    ),
    MailText(
        "Estimate",
        MailEvent.ESTIMATE,
        "Our estimate {{ estimate.number }}",
        "Dear {{ customer.name }},\n\nenclosed is our estimate over {{ estimate.total }}. It holds until "
        "{{ estimate.last_day }}; you can accept it here:\n{{ estimate.link }}\n\nYours, {{ firm.name }}",
    ),
    MailText(
        "A question about the order",
        MailEvent.BY_HAND,
        "A question about your order {{ order.number }}",
        "Dear {{ customer.name }},\n\nwe are about to pack your order {{ order.number }}:\n\n"
        + LINES
        + "\nIs the address still right?\n\n  {{ address.street }}\n  {{ address.postcode }} "
        "{{ address.town }}\n\nYours, {{ firm.name }}",
    ),
)
OF_OWN_SHOP = ["taken", "shipped"]


def write_to_customers(workplace: Workplace, owner: Actor) -> None:
    """Writes the texts, switches on the mails of the own shop, and writes mails to a few customers."""
    ids = [save_mail_text(workplace, owner, text) for text in TEXTS]
    change_channel(workplace, owner, "ownshop", {"orders": {"mails": OF_OWN_SHOP}})
    with workplace.database.reading() as session:
        asked = order_page(session, OrderFilter(tray=("ask-the-customer",)), limit=2)
    mail_orders(workplace, owner, [row.number for row in asked], ids[-1])
    _leave_an_estimate(workplace, owner)


def _leave_an_estimate(workplace: Workplace, owner: Actor) -> None:
    """Makes an estimate that is mailed and that nobody answers."""
    last_day = workplace.local_now().date() + timedelta(days=9)
    lines = (DraftLine("PT-14-OCH", 24), DraftLine("PT-18-OAT", 12))
    draft = OrderDraft(
        mail=TEA_ROOMS.mail,
        ship_to=TEA_ROOMS,
        lines=lines,
        kind=OrderKind.ESTIMATE,
        last_day=last_day,
        reference="Spring terrace",
    )
    mail_estimate(workplace, owner, enter_estimate(workplace, owner, draft, strict=False).number)
