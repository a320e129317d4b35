"""Records, addresses and patterns, filters, and the store that keeps them with their whole history."""
