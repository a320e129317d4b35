"""What reviews of each kind are about: one module a kind makes the lines, with what stands beside them."""
