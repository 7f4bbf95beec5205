"""What dialects have in common whose channels tell nobody: their rulebooks say so, and nothing asks
them to."""

from relvan.core.orders.intake import IncomingOrder


class WithoutWebhooks:
    """The webhooks of a gateway whose channel has none."""

    def set_webhook(self, url: str, secret: str) -> None:
        """Not there; raises NotImplementedError."""
        raise NotImplementedError("This dialect has no webhooks; its rulebook says so.")

    def read_webhook(self, body: bytes) -> IncomingOrder | None:
        """None: nothing is told."""
        return None
