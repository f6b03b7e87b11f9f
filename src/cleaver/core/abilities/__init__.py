"""Abilities: what somebody can do, and what attacks and abilities cost."""
