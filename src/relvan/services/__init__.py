"""What a person, a rule or the worker can do. Each service loads rows, lets `core` decide, and
saves, in one transaction."""
