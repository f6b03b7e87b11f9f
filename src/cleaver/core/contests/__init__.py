"""Contests: scores, matches, ratings, levels, records."""
