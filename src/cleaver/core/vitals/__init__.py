"""Vitals: meters, hits, statuses, death. Start at `hits` and `meters`."""
