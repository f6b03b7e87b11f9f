"""Checks: mistakes that a design without errors can still hold, found before it is played.

Each rule has a name and an explanation, looks at the tables alone, and says where and what to do. Start at
`findings`.
"""

from cleaver.design.checks.finding import RULES, Finding
from cleaver.design.checks.gathered import findings, looked

__all__ = ["RULES", "Finding", "findings", "looked"]
