"""The pack bench: what a scan does, from the shipment to its label."""
