"""Reviews: what is to be decided, the evidence beside it, the decisions, and the sign-off. No I/O of its own."""
