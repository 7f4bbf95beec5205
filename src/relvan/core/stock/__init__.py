"""The rules of stock: how much there is, how much may be sold, and how much a channel shows."""
