"""Sets of edits that are not yet applied."""
