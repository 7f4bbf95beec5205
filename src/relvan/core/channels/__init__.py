"""How to talk to a channel that answers late, badly or not at all."""
