"""Roles suggested by what people hold: candidates, a cover of least cost with its bound, and who is meant by each."""
