"""The services of the station *Catalogue*."""
