"""Prompt: playing by hand — a live view in a terminal, or plain lines, with the same commands.

`live` is the session that both drive, `completing` what may be typed next, `screen` the full-screen view
(needs the extra ``prompt``), `plain` the lines.
"""
