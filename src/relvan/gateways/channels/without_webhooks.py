"""Holds what dialects have in common whose channels send no webhooks, as their rulebooks say."""

from relvan.core.orders.intake import IncomingOrder


class WithoutWebhooks:
    """The webhook calls of a gateway whose channel sends none."""

    def set_webhook(self, url: str, secret: str) -> None:
        """Raises NotImplementedError, because the channel sends no webhooks."""
        raise NotImplementedError("This dialect has no webhooks; its rulebook says so.")

    def read_webhook(self, body: bytes) -> IncomingOrder | None:
        """Returns None, because the channel sends no webhooks."""
        return None
