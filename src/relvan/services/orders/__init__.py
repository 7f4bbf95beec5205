"""The services of the station *Orders*."""
