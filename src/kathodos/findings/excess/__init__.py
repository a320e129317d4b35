"""Privilege beyond need, by kind: each kind a function from what is known to a batch of findings. No I/O."""
