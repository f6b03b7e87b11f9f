"""Layers: boxes with arrows laid out from left to right, so that no arrow runs behind a box.

The layout is the layered one of Sugiyama, Tagawa and Toda ("Methods for visual understanding of hierarchical
system structures", IEEE Transactions on Systems, Man and Cybernetics, 1981): layers, an order in each by the
middle of what a place is linked with, and a free path for an arrow over several layers. Start at `laid_out`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any, NamedTuple

Point = tuple[float, float]
SWEEPS = 12  # forth and back over the layers


class Layout(NamedTuple):
    """Where things stand, in the unit of the sizes given, from the top left corner.

    The middle of each box, the points of each arrow from its first box to its last, how wide and how high it
    all is.
    """

    middles: dict[str, Point]
    arrows: dict[tuple[str, str], list[Point]]
    width: float
    height: float


def laid_out(
    sizes: Mapping[str, tuple[float, float]],
    before: Mapping[str, Sequence[str]],
    *,
    across: float,
    beside: float,
    most: float,
) -> Layout:
    """Return where boxes go that are so wide and high: each to the right of those that come before it.

    What hangs together is a block; blocks stand below each other, and in the next column where there is no
    more room.

    Args:
        sizes: Every box by its name, as (width, height).
        before: The names of the boxes that come before each; circles are allowed.
        across: The room between two layers, and between two columns of blocks.
        beside: The room between two boxes of one layer.
        most: How high a column of blocks may be.
    """
    parts = _parts(sizes, before)
    blocks = [_block(names, edges, sizes, across, beside) for names, edges in parts]
    together = {name for names, _ in parts for name in names}
    blocks += [
        Layout({name: (size[0] / 2, size[1] / 2)}, {}, *size)
        for name, size in sizes.items()
        if name not in together
    ]
    middles: dict[str, Point] = {}
    arrows: dict[tuple[str, str], list[Point]] = {}
    left = top = width = height = 0.0
    for block in blocks:
        if top and top + block.height > most:
            left, top = width + across, 0.0
        for name, (x, y) in block.middles.items():
            middles[name] = (x + left, y + top)
        for ends, points in block.arrows.items():
            arrows[ends] = [(x + left, y + top) for x, y in points]
        top += block.height
        width, height = max(width, left + block.width), max(height, top)
        top += 1.5 * beside
    return Layout(middles, arrows, width, height)


def _parts(
    sizes: Mapping[str, tuple[float, float]], before: Mapping[str, Sequence[str]]
) -> list[tuple[list[str], list[tuple[str, str]]]]:
    """Return the names and arrows of each part that hangs together, the largest first."""
    edges = [
        (other, name) for name in sizes for other in before.get(name, ()) if other in sizes and other != name
    ]
    group = {name: name for name in sizes}

    def root(name: str) -> str:
        while group[name] != name:
            group[name] = group[group[name]]
            name = group[name]
        return name

    for one, two in edges:
        group[root(two)] = root(one)
    found: dict[str, tuple[list[str], list[tuple[str, str]]]] = {}
    for name in sizes:
        found.setdefault(root(name), ([], []))[0].append(name)
    for edge in edges:
        found[root(edge[0])][1].append(edge)
    return sorted((part for part in found.values() if part[1]), key=lambda part: -len(part[0]))


def _block(
    names: list[str],
    edges: list[tuple[str, str]],
    sizes: Mapping[str, tuple[float, float]],
    across: float,
    beside: float,
) -> Layout:
    """Return the layout of one part."""
    layer = _layers(names, edges)
    # Where an arrow goes over a layer, a place is kept free for it, named by the arrow and the layer
    chains: dict[tuple[str, str], list[Any]] = {}
    for one, two in edges:
        step = 1 if layer[one] < layer[two] else -1
        chains[one, two] = [one, *((one, two, at) for at in range(layer[one] + step, layer[two], step)), two]
    rows: list[list[Any]] = [[] for _ in range(max(layer.values()) + 1)]
    for name in names:
        rows[layer[name]].append(name)
    for chain in chains.values():
        for passed in chain[1:-1]:
            rows[passed[2]].append(passed)
    links = [pair for chain in chains.values() for pair in pairwise(chain)]
    order = _ordered(rows, links)
    tall = {place: sizes[place][1] if isinstance(place, str) else 0.0 for row in order for place in row}
    high = _heights(order, links, tall, beside)
    widest = [max((sizes[name][0] for name in row if isinstance(name, str)), default=0.0) for row in order]
    middle = [sum(widest[:at]) + at * across + widest[at] / 2 for at in range(len(widest))]
    arrows = {}
    for (one, two), chain in chains.items():
        way = 1 if layer[one] < layer[two] else -1
        half, last = way * widest[layer[one]] / 2, way * widest[layer[two]] / 2
        begin, end = (middle[layer[one]], high[one]), (middle[layer[two]], high[two])
        # Level through each layer, so that it turns only where no box is
        points = [_side(begin, way * sizes[one][0] / 2), _side(begin, half)]
        for passed in chain[1:-1]:
            at = (middle[passed[2]], high[passed])
            points += [_side(at, -way * widest[passed[2]] / 2), _side(at, way * widest[passed[2]] / 2)]
        points += [_side(end, -last), _side(end, -way * sizes[two][0] / 2)]
        arrows[one, two] = [point for index, point in enumerate(points) if point != points[index - 1]]
    top = min(high[place] - tall[place] / 2 for place in high)
    low = max(high[place] + tall[place] / 2 for place in high)
    return Layout(
        {name: (middle[layer[name]], high[name] - top) for name in names},
        {ends: [(x, y - top) for x, y in points] for ends, points in arrows.items()},
        middle[-1] + widest[-1] / 2,
        low - top,
    )


def _layers(names: list[str], edges: list[tuple[str, str]]) -> dict[str, int]:
    """Return the layer of each box, from 0: one more than the last of those before it; in a circle the first
    box that is named comes first."""
    before: dict[str, list[str]] = {name: [] for name in names}
    for one, two in edges:
        before[two].append(one)
    layer: dict[str, int] = {}
    left = list(names)
    while left:
        free = next((name for name in left if all(other in layer for other in before[name])), left[0])
        layer[free] = 1 + max((layer[other] for other in before[free] if other in layer), default=-1)
        left.remove(free)
    return layer


def _ordered(rows: list[list[Any]], links: list[tuple[Any, Any]]) -> list[list[Any]]:
    """Return the layers, each in the order that was found to cross the fewest arrows: by the middle of what
    each place is linked with, forth and back."""
    near: dict[Any, list[Any]] = {}
    for one, two in links:
        near.setdefault(one, []).append(two)
        near.setdefault(two, []).append(one)
    best, fewest = rows, _crossings(rows, links)
    for turn in range(SWEEPS):
        if not fewest:
            break
        rows = [list(row) for row in rows]
        way = range(1, len(rows)) if turn % 2 == 0 else range(len(rows) - 2, -1, -1)
        for at in way:
            other = {place: number for number, place in enumerate(rows[at - 1 if turn % 2 == 0 else at + 1])}
            own = {place: float(number) for number, place in enumerate(rows[at])}
            for place in rows[at]:
                seen = [other[link] for link in near.get(place, ()) if link in other]
                own[place] = sum(seen) / len(seen) if seen else own[place]
            rows[at].sort(key=own.__getitem__)
        crossed = _crossings(rows, links)
        if crossed < fewest:
            best, fewest = rows, crossed
    return best


def _crossings(rows: list[list[Any]], links: list[tuple[Any, Any]]) -> int:
    """Return how many pairs of links cross."""
    at = {place: (number, spot) for number, row in enumerate(rows) for spot, place in enumerate(row)}
    gaps: dict[int, list[tuple[int, int]]] = {}
    for one, two in links:
        (first, left), (_, right) = sorted((at[one], at[two]))
        gaps.setdefault(first, []).append((left, right))
    return sum(
        (one[0] - two[0]) * (one[1] - two[1]) < 0
        for pairs in gaps.values()
        for number, one in enumerate(pairs)
        for two in pairs[:number]
    )


def _heights(
    rows: list[list[Any]], links: list[tuple[Any, Any]], tall: dict[Any, float], beside: float
) -> dict[Any, float]:
    """Return how far down the middle of each place is: near the middle of what it is linked with, and clear
    of the others in its layer."""
    near: dict[Any, list[Any]] = {place: [] for place in tall}
    for one, two in links:
        near[one].append(two)
        near[two].append(one)
    high: dict[Any, float] = {}
    for row in rows:
        down = 0.0
        for place in row:
            high[place] = down + tall[place] / 2
            down += tall[place] + beside
    for turn in range(SWEEPS):
        for row in rows if turn % 2 == 0 else reversed(rows):
            wanted = [sum(map(high.__getitem__, near[place])) / len(near[place]) for place in row]
            free: list[float] = []
            for place, want in zip(row, wanted, strict=True):
                above = row[len(free) - 1] if free else None
                gap = (tall[place] + tall[above]) / 2 + beside if above is not None else 0.0
                free.append(max(want, free[-1] + gap) if free else want)
            shift = sum(want - got for want, got in zip(wanted, free, strict=True)) / len(row)
            for place, got in zip(row, free, strict=True):
                high[place] = got + shift
    return high


def _side(middle: Point, right: float) -> Point:
    """Return a point to the right of the middle of a box, as high as it is."""
    return (middle[0] + right, middle[1])
