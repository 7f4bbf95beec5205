"""The rules of listings: what a listing says, what keeps it from going live, and which state it is
in."""
