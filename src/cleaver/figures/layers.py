"""Layers: boxes with arrows laid out from left to right, so that no arrow runs behind a box.

The layout is the layered one of Sugiyama, Tagawa and Toda ("Methods for visual understanding of hierarchical
system structures", IEEE Transactions on Systems, Man and Cybernetics, 1981), worked out by the package
`grandalf`, which gives an arrow over several layers a free path between the boxes. Start at `laid_out`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from cleaver.errors import MissingExtraError

Point = tuple[float, float]


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

    Raises:
        MissingExtraError: grandalf is not installed.
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
    try:
        from grandalf.graphs import Edge, Graph, Vertex  # as heavy as its extra
        from grandalf.layouts import SugiyamaLayout, VertexViewer
        from grandalf.routing import EdgeViewer, route_with_lines
    except ImportError:
        raise MissingExtraError("a map of quests", "figures") from None
    # The package lays out from top to bottom; with width and height exchanged that is from left to right.
    vertices: dict[str, Any] = {name: Vertex(name) for name in names}
    for name, vertex in vertices.items():
        wide, tall = sizes[name]
        vertex.view = VertexViewer(w=tall, h=wide)
    lines = [Edge(vertices[one], vertices[two]) for one, two in edges]
    for line in lines:
        line.view = EdgeViewer()
    graph = Graph(list(vertices.values()), lines)
    layout = SugiyamaLayout(graph.C[0])
    layout.xspace, layout.yspace, layout.dw, layout.dh = beside, across, beside, beside
    layout.route_edge = route_with_lines
    layout.init_all()
    layout.draw(12)
    middles = {name: (float(one.view.xy[1]), float(one.view.xy[0])) for name, one in vertices.items()}
    widest: dict[int, float] = {}  # half the width of each layer, by where its middle is
    for name, (x, _) in middles.items():
        widest[round(x)] = max(widest.get(round(x), 0.0), sizes[name][0] / 2)
    arrows = {}
    for (one, two), line in zip(edges, lines, strict=True):
        inner = [(float(y), float(x)) for x, y in line.view._pts][1:-1]
        if line.v[0].data != one:  # turned round, where it closed a circle
            inner = inner[::-1]
        way = 1 if middles[one][0] < middles[two][0] else -1
        # Level through each layer, so that it turns only where no box is.
        begin, end = middles[one], middles[two]
        points = [_side(begin, way * sizes[one][0] / 2), _side(begin, way * widest[round(begin[0])])]
        for x, y in inner:
            half = widest.get(round(x), 0.0) * way
            points += [(x - half, y), (x + half, y)]
        points += [_side(end, -way * widest[round(end[0])]), _side(end, -way * sizes[two][0] / 2)]
        arrows[one, two] = [point for index, point in enumerate(points) if point != points[index - 1]]
    left = min(x - sizes[name][0] / 2 for name, (x, _) in middles.items())
    every = [y for points in arrows.values() for _, y in points]
    top = min(*(y - sizes[name][1] / 2 for name, (_, y) in middles.items()), *every)
    right = max(x + sizes[name][0] / 2 for name, (x, _) in middles.items()) - left
    low = max(*(y + sizes[name][1] / 2 for name, (_, y) in middles.items()), *every) - top
    return Layout(
        {name: (x - left, y - top) for name, (x, y) in middles.items()},
        {ends: [(x - left, y - top) for x, y in points] for ends, points in arrows.items()},
        right,
        low,
    )


def _side(middle: Point, right: float) -> Point:
    """Return a point to the right of the middle of a box, as high as it is."""
    return (middle[0] + right, middle[1])
