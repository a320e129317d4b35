"""Risk: scores from 0 to 100 made of parts that add up. No I/O."""
