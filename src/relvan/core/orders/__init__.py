"""The rules of orders: how far an order has come, and where it goes next."""
