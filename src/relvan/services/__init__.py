"""What a person, a rule or a worker can do: load, decide (in core), save; one transaction each."""
