"""The services for people: sign-in, and what each person has arranged."""
