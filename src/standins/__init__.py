"""The outside world: small stand-ins for marketplaces, web stores, carriers and devices.

They run as a process of their own on their own database, know nothing of Relvan, and behave like
the real thing where it hurts: they take time, refuse, throttle, fail and repeat themselves. All
names are made up.
"""
