"""Is the outside world for tests, which buy in it and change its weather."""

from functools import cached_property

import httpx

from relvan.gateways.calling import trusted_roots


class World:
    """The outside world as a visitor and as its weather god."""

    def __init__(self, url):
        self.url = url
        self.client = httpx.Client(base_url=url, timeout=20, verify=trusted_roots())

    @cached_property
    def standins(self):
        """Returns who is there, with addresses and tokens, which are the same in every world."""
        return self.client.get("/world").json()["standins"]

    def listings(self, channel):
        return {row["sku"]: row for row in self.client.get(f"/world/{channel}/listings").json()}

    def buy(self, channel, sku, quantity=1, **more):
        answer = self.client.post(
            f"/world/{channel}/purchases", json={"sku": sku, "quantity": quantity, **more}
        )
        assert answer.status_code == 201, answer.text
        return answer.json()["order"]

    def order(self, channel, number):
        return self.client.get(f"/world/{channel}/orders/{number}").json()

    def orders(self, channel):
        return self.client.get(f"/world/{channel}/orders").json()

    def item(self, sku):
        """Returns what the own shop says of an item to its seller."""
        headers = {"Authorization": f"Bearer {self.token('ownshop')}"}
        return self.client.get(f"{self.seller_api('ownshop')}/items/{sku}", headers=headers).json()

    def weather(self, name, kind, seed=7):
        self.client.put(
            f"/world/{name}/weather", json={"kind": kind, "seed": seed}
        ).raise_for_status()

    def replies_after(self, seconds):
        """Returns how long Corvello takes over a hand-in from now on."""
        self.client.put("/world/corvello/replies", json={"seconds": seconds}).raise_for_status()

    def labels(self):
        return self.client.get("/world/ostrel/labels").json()

    def token(self, name):
        return self.standins[name]["token"]

    def seller_api(self, name):
        return self.standins[name]["seller_api"]
