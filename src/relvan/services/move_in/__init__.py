"""Moving in: reads what a seller lists already, proposes a catalogue of it, and makes it."""
