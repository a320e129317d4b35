"""The made-up organisation that the demo, the manual and the pictures use."""
