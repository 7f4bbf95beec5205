"""Mail to customers: texts by event, channel and language, and the life of a mail."""
