"""Core: run time. No file, no screen, no wall clock, no global randomness, no thread.

Rooms, from the bottom: `record`, `clock`, `dice`, `events`, `kinds`, `meter`, `body`; what all stand on,
`stage` and `delivery`; then `goods`, `effects`, `vitals`, `statuses`, `combat`, `places`, `pickups`,
`exchanges`, `scores`, `rules`, `tally`, `records`, `levels`, `ratings`, `matches`, `quests`, `achievements`,
`profile`, `story`; on top `views`, `handles` and `world`. Start at `core.world`.
"""
