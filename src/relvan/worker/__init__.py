"""The background: delivers the outbox, reads orders, keeps the schedule. The queue only wakes
it."""
