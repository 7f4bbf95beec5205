"""The rules for calling channels that answer late, badly or not at all."""
