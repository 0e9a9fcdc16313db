"""Order: what is worked out when, so that a mover moved by another is late only in a true loop."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from felt_dial.patch.patch import Patch, contours, movers
from felt_dial.patch.player import PLAYER_SOURCES

MOVER, SLOT = range(2)


class Node(NamedTuple):
    """Something worked out each tick: a mover, or the slot of a parameter that a thread moves."""

    kind: int
    key: str


class Order(NamedTuple):
    """Nodes in the order in which they are worked out.

    Attributes
    ----------
    nodes : list of Node
        Those that one value for all notes comes from first, then those with a value for every note.
    shared : set of Node
        Those of the first sort.
    late : set of (Node, Node)
        Pairs of a node and one that it reads although that comes later: it is read a tick late.
    """

    nodes: list[Node]
    shared: set[Node]
    late: set[tuple[Node, Node]]


def _home(patch: Patch, path: str) -> Node | None:
    """What a moved parameter belongs to: a mover, or the dial that the thread with this depth ends on."""
    steps = path.split(".")
    if steps[0] == "modulators" or (steps[0] == "macros" and len(steps) == 2):
        return Node(MOVER, steps[1])
    if steps[0] == "threads":
        return Node(SLOT, patch.threads[steps[1]].target)
    return None


def dependencies(patch: Patch) -> dict[Node, list[Node]]:
    """What every node reads: only movers that something asks for, and slots that a thread ends on."""
    reads: dict[Node, list[Node]] = {}
    known = movers(patch)
    asked = [Node(MOVER, contour) for contour in contours(patch).values()]
    asked += [Node(SLOT, thread.target) for thread in patch.threads.values()]
    asked.reverse()
    while asked:
        node = asked.pop()
        if node in reads:
            continue
        reads[node] = []
        for path in sorted({thread.target for thread in patch.threads.values()}):
            if _home(patch, path) == node:
                reads[node].append(Node(SLOT, path))
        if node.kind == SLOT:
            for thread in patch.threads.values():
                if thread.target == node.key:
                    reads[node] += [Node(MOVER, key) for key in (thread.source, thread.scaled) if key]
        elif node.key in patch.modulators:
            modulator = patch.modulators[node.key]
            wanted = [getattr(modulator, field) for field in modulator.inputs]
            reads[node] += [Node(MOVER, key) for key in wanted if key in known]
        asked += reversed(reads[node])
    return reads


def _is_shared(patch: Patch, node: Node) -> bool:
    """True where a node by itself is the same for all notes."""
    if node.kind == SLOT:
        return True
    if node.key in patch.modulators:
        shared = patch.modulators[node.key].shared()
        return shared or bool(patch.modulators[node.key].inputs)
    return node.key not in PLAYER_SOURCES or not PLAYER_SOURCES[node.key].per_note


def _per_note(patch: Patch, reads: dict[Node, list[Node]]) -> set[Node]:
    """Nodes with a value for every note: by their nature, or because they read such a one."""
    found = {node for node in reads if not _is_shared(patch, node)}
    while True:
        more = {node for node, read in reads.items() if node not in found and any(other in found for other in read)}
        if not more:
            return found
        found |= more


def in_order(patch: Patch) -> Order:
    """The order for a patch."""
    reads = dependencies(patch)
    noted = _per_note(patch, reads)
    done: list[Node] = []
    visiting: set[Node] = set()
    for node in _mover_first(reads):
        _visit(node, reads, done, visiting)
    place = {node: n for n, node in enumerate(done)}
    late = {(node, other) for node, read in reads.items() for other in read if place[other] >= place[node]}
    shared = {node for node in done if node not in noted}
    return Order([n for n in done if n in shared] + [n for n in done if n not in shared], shared, late)


def _visit(node: Node, reads: dict[Node, list[Node]], done: list[Node], visiting: set[Node]) -> None:
    if node in visiting:
        return
    visiting.add(node)
    for other in reads[node]:
        _visit(other, reads, done, visiting)
    done.append(node)


def _mover_first(reads: dict[Node, list[Node]]) -> Iterable[Node]:
    return sorted(reads, key=lambda node: node.kind)
