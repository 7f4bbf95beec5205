"""The services of the station *Prices*."""
