"""The services of the station *Listings*."""
