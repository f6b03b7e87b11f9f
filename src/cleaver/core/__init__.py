"""Core: run time. No file, no screen, no wall clock, no global randomness, no thread.

Rooms, from the bottom: `record`, `clock`, `dice`, `events`, `kinds`, `meter`,
`body`; what all stand on, `stage` and `delivery`; then `effects`, `vitals`,
`combat`, `goods`, `pickups`, `scores`, `rules`; on top `handles` and `world`.
Start at `core.world`.
"""
