"""Roles shaped: made from what was used, put together, taken apart, compared, exchanged and suggested."""
