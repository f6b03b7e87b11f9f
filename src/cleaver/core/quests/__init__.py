"""Quests: quests with goals, what opens them, achievements. Start at `quests`."""
