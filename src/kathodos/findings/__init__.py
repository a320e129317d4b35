"""What is wrong: rules, and who breaks them. No I/O."""
