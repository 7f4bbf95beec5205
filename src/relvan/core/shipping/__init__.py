"""The life of a shipment, from release to the door."""
