"""What records are compiled to: the index that every question of reach is answered from, made, laid out and patched."""
