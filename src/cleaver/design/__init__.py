"""Design: what the designer writes — models, reading files, checking.

Start at `design.load_design`; `models` has the shape of every table.
"""
