"""Roles shaped, in words and as data."""
