"""Small simulated services, shipped for demos and tests: they speak the open protocol and hold made-up data."""
