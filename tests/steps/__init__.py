"""Holds what tests of several files do: each module has the steps of one part of the job."""
