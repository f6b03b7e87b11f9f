"""Goods: items, money, pickups, exchanges, the books. Start at `goods`."""
