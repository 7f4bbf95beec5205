"""What a listing says, what keeps it from going live, and where it stands."""
