"""Mail to customers: texts, what is written about orders and estimates, and its delivery."""
