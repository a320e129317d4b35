"""Mappings proposed for other people's files: what they hold, which of their columns is which, and how sure that is."""
