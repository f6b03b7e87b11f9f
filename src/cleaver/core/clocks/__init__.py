"""Clocks that the game moves: turns with their rounds, and calendar days."""
