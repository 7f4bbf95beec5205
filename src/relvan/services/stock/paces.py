"""How fast pools of stock sell and with what delay channels show that. It is loaded once, and only
when a stock rule needs it."""

from collections.abc import Collection, Mapping

from relvan.core.stock.pace import Selling, SellingPace, pace_of
from relvan.services.workplace import Workplace
from relvan.store.paces import lag_minutes, selling_of
from relvan.store.session import Session


class Paces:
    """The paces of some products; `leaves` are the stocked parts of the kits among them."""

    def __init__(
        self,
        session: Session,
        workplace: Workplace,
        product_ids: Collection[int],
        leaves: Mapping[int, Mapping[int, int]],
    ) -> None:
        self._session, self._now, self._leaves = session, workplace.now(), leaves
        self._pools = {*product_ids, *(part for units in leaves.values() for part in units)}
        self._selling: Selling | None = None
        self._lags: dict[int, float | None] = {}

    def of(self, product_id: int, channel_id: int) -> SellingPace:
        """Returns the pace of one product on a channel."""
        if self._selling is None:
            self._selling = selling_of(self._session, self._pools, self._now)
        if channel_id not in self._lags:
            self._lags[channel_id] = lag_minutes(self._session, channel_id, self._now)
        parts = self._leaves.get(product_id, {product_id: 1})
        return pace_of(parts, self._selling, self._lags[channel_id], channel_id)
