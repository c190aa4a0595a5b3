"""The order of computation: dependencies sorted, lines that read their own past grouped, loops named."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from widefork.core.errors import LoopError

if TYPE_CHECKING:
    import networkx as nx


@dataclass(frozen=True)
class Step:
    """Lines computed together.

    A step with ``is_stepped`` is computed month by month, its lines in the given order within each month; any
    other holds a single line computed for all months at once. With ``is_solved`` some of its lines need each other in
    the same month, and a month is computed again and again until it settles.
    """

    lines: tuple[str, ...]
    is_stepped: bool
    is_solved: bool = False


@dataclass(frozen=True)
class Needs:
    """What one line's formula reads.

    Parameters
    ----------
    same_month : names whose value of the same month is read.
    earlier : names of which only earlier months are read. later : names of which later months are read, so that
        they must be there as a whole.
    """

    same_month: frozenset[str]
    earlier: frozenset[str]
    later: frozenset[str] = frozenset()

    @property
    def names(self) -> frozenset[str]:
        """All names read."""
        return self.same_month | self.earlier | self.later


def order_lines(
    needs: Mapping[str, Needs], allowed: frozenset[str] = frozenset()
) -> tuple[tuple[Step, ...], tuple[LoopError, ...]]:
    """Return the steps in order, and the loops found among them.

    Parameters
    ----------
    needs : what each line reads. Names that are not keys are given, and need no computation.
    allowed : lines that may stand in a loop; it is opened at them and solved in the month.

    Returns
    -------
    steps : every line that is not in a loop, each after what it reads.
    loops : one error per group of lines that need each other in the same month.
    """
    import networkx as nx  # imported where used: a quarter of a second that a reader of models need not wait

    graph: nx.DiGraph[str] = nx.DiGraph()
    for name, need in needs.items():
        graph.add_node(name)
        graph.add_edges_from((other, name) for other in sorted(need.names) if other in needs)
    groups = nx.condensation(graph)
    rank = {name: place for place, name in enumerate(needs)}
    first = {group: min(rank[name] for name in groups.nodes[group]["members"]) for group in groups}
    steps: list[Step] = []
    loops: list[LoopError] = []
    for group in nx.lexicographical_topological_sort(groups, key=first.__getitem__):
        members = sorted(groups.nodes[group]["members"], key=rank.__getitem__)
        if len(members) == 1 and not graph.has_edge(members[0], members[0]):
            steps.append(Step(tuple(members), is_stepped=False))
            continue
        within: nx.DiGraph[str] = nx.DiGraph()
        within.add_nodes_from(members)
        within.add_edges_from((other, name) for name in members for other in needs[name].same_month if other in members)
        opened = [edge for edge in within.edges if edge[0] in allowed]
        is_solved = bool(opened) and any(True for _ in _loops(within))
        if is_solved:
            within.remove_edges_from(opened)
        found = list(_loops(within)) or _ahead(needs, members)
        loops.extend(found)
        if not found:
            in_order = tuple(nx.lexicographical_topological_sort(within, key=rank.__getitem__))
            steps.append(Step(in_order, is_stepped=True, is_solved=is_solved))
    return tuple(steps), tuple(loops)


def _ahead(needs: Mapping[str, Needs], members: list[str]) -> list[LoopError]:
    """The loop of a line that reads later months of lines that need it: no month of theirs can come first."""
    import networkx as nx

    around: nx.DiGraph[str] = nx.DiGraph()
    around.add_edges_from((name, other) for name in members for other in needs[name].names if other in members)
    for name in members:
        for other in sorted(needs[name].later & set(members)):
            return [LoopError([name, *nx.shortest_path(around, other, name)], looks_ahead=True)]
    return []


def _loops(within: "nx.DiGraph[str]") -> Iterator[LoopError]:
    import networkx as nx

    for knot in nx.strongly_connected_components(within):
        if len(knot) > 1 or any(within.has_edge(name, name) for name in knot):
            cycle = nx.find_cycle(within.subgraph(knot))
            path = [edge[0] for edge in cycle][::-1]
            yield LoopError([*path, path[0]])
