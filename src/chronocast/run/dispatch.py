"""Which task begins on which slot: in the operator's order, by the shares of the plan, never where it can't be done.

Pure, a part of the state machine.  A plan (``schedule/``) says how many tasks
of an output a station is to have; which ones, and when, follows what really
happens.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from chronocast.run.events import Guided, Task, TaskId

Shared = tuple[str, bool, str]
"""What a plan gives shares of: an output, whether its parts or its steps, the station."""


class Dispatch:
    """Keeps to the newest plan."""

    def __init__(self) -> None:
        self._quickest: dict[str, int] = {}
        self._most: dict[tuple[str, bool], dict[str, int]] = {}
        self._had: Counter[Shared] = Counter()

    def follow(self, plan: Guided, running: Iterable[tuple[Task, str]]) -> None:
        """Follow another plan; what is under way counts as had.

        Parameters
        ----------
        plan
            The plan.
        running
            Tasks under way, each with its station.
        """
        self._quickest = {station: number for number, station in enumerate(plan.stations)}
        self._most = {}
        for share in plan.shares:
            self._most.setdefault((share.output, share.is_part), {})[share.station] = share.most
        self._had = Counter((task.output, task.id.is_part, station) for task, station in running)

    def began(self, task: Task, station: str) -> None:
        """Count a task for its station.

        Parameters
        ----------
        task
            The task.
        station
            Where it began.
        """
        self._had[task.output, task.id.is_part, station] += 1

    def matched(
        self,
        wanting: Iterable[Task],
        free: Sequence[str],
        stations: Mapping[str, str],
        planned: bool = True,
    ) -> list[tuple[TaskId, str]]:
        """What begins on which slot: in order, the quickest station first, and not again where it failed if another is free.

        Parameters
        ----------
        wanting
            What could start, in order; no more of it is looked at than there are slots for.
        free
            The slots that it could start on.
        stations
            Whose each slot is.
        planned
            Whether the plan's shares count.
        """
        found = []
        had = Counter(self._had)
        present = frozenset(stations.values())
        left = sorted(free, key=lambda slot: self._quickest.get(stations[slot], 0))
        for task in wanting:
            if not left:
                break
            able = [
                slot for slot in left if self._may(task, stations[slot], had if planned else None, present)
            ]
            if able:
                slot = next((slot for slot in able if stations[slot] not in task.failed_at), able[0])
                left.remove(slot)
                had[task.output, task.id.is_part, stations[slot]] += 1
                found.append((task.id, slot))
        return found

    def _may(self, task: Task, station: str, had: Counter[Shared] | None, present: frozenset[str]) -> bool:
        """Whether a station may begin a task: it can, it is one that the task is kept to, its share isn't used up.

        A share of a station that gives no slot now isn't waited for: it may have shut, or have other work.
        """
        if station in task.kept_from or (task.only and station not in task.only):
            return False
        of = (task.output, task.id.is_part)
        most = self._most.get(of)
        if had is None or most is None or had[*of, station] < most.get(station, 0):
            return True
        return not any(had[*of, other] < count for other, count in most.items() if other in present)
