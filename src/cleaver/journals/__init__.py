"""Journals: what a running game does, written down as a script. Start at `writing.Journal`."""
