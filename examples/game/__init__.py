"""Lanternreef, a small game in a window: ``python -m game`` in the folder `examples`.

`reef` says where everybody is and what touches what, `scene` draws it, `dive` is the game around it (slots,
stages, restart, pause), `pilot` plays it by itself. All rules and numbers are in `lanternreef.toml`.
"""
