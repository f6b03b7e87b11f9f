"""The command line: one thin command a file. The only place that imports click.

Start at `main`.
"""
