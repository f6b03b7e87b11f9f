"""Report: tables and figures. The drawing packages are imported only when something is drawn.

Start at `timeline`.
"""
