"""Works in the background: it delivers updates, reads orders, and keeps the schedule. A signal only
wakes it.
"""
