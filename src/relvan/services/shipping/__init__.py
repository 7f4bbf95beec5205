"""The services for labels and dispatch."""
