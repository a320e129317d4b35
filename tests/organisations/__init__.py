"""Two made-up organisations whose exports are as messy as people's are: a bus company, and a water works."""
