"""Turning: a stock that turns in a chuck, held as its exact half section, and tools on a turret."""
