"""The rules of the job: values in, decisions out. No clock, no files, no network, no database, no
web."""
