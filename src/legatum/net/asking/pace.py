"""How fast each server is asked: a rate for each, slowed down when a server begins to truncate or drop.

Name servers limit what one network may ask (many answer 200 questions a second and then send empty truncated answers or
none). A pace starts at the rate set, halves when it sees that, and comes back slowly. A server that has never answered
and stays silent is given up for the time being: only now and then one more question finds out whether it is back.
"""

import asyncio
from dataclasses import dataclass

from legatum.net.asking.reply import Reply, Transport, Trouble

_BURST = 0.1  # seconds of the rate that may be asked at once
_LEAST = 5.0  # questions a second: slower than this no limit is
_RECOVERY = 0.01  # of the rate set, for each good answer
_WINDOW = 0.5  # seconds for which a slowing down counts as seen
_GIVEN_UP, _EVERY = 6, 20
# of the last two dozen questions; at one packet in ten lost a fifth of the questions is concerned
_FORGETTING, _ACCIDENTAL = 0.04, 0.35


@dataclass(slots=True)
class _Lane:
    """``rate`` in questions a second, 0 for no limit; ``free``: when the next may go; ``count`` since ``since``: what
    was answered; ``lost``: the share of late questions of which a packet was lost."""

    rate: float
    free: float = 0.0
    answered: int = 0
    silent: int = 0
    passed_over: int = 0
    slowed: float = 0.0
    lost: float = 0.0
    count: int = 0
    since: float = 0.0
    last: float = 0.0


class Pace:
    """``rate``: questions a second to one server address, 0 for as many as it answers."""

    def __init__(self, rate: float) -> None:
        self.rate = rate
        self._lanes: dict[str, _Lane] = {}
        self._loop = asyncio.get_running_loop()

    @property
    def slowed(self) -> dict[str, float]:
        """The servers that are asked more slowly than set, and how fast."""
        return {
            server: lane.rate
            for server, lane in self._lanes.items()
            if lane.rate and (not self.rate or lane.rate < self.rate)
        }

    def is_given_up(self, server: str) -> bool:
        """It never answered, and was silent often."""
        lane = self._lanes.get(server)
        return lane is not None and not lane.answered and lane.silent >= _GIVEN_UP

    def gives_up(self, server: str) -> bool:
        """It never answered and was silent so often that this question is not worth its time-out."""
        if not self.is_given_up(server):
            return False
        lane = self._lane(server)
        lane.passed_over += 1
        return lane.passed_over % _EVERY != 0

    async def turn(self, server: str) -> None:
        """Returns when the server may be asked the next question."""
        lane = self._lane(server)
        if not lane.rate:
            return
        now = self._loop.time()
        lane.free = max(lane.free, now - _BURST) + 1 / lane.rate
        if lane.free > now:
            await asyncio.sleep(lane.free - now)

    def heard(self, reply: Reply) -> None:
        lane = self._lane(reply.server)
        if reply.trouble == Trouble.SILENT:
            lane.silent += 1
            if lane.answered and self._loses(lane, True):
                self._slow(lane)
        elif reply.answered:
            lane.answered += 1
            lane.silent = lane.passed_over = 0
            dropped = self._loses(lane, reply.tries > 1 and lane.answered > 1)
            if reply.transport == Transport.UDP and (dropped or (reply.message.truncated and not reply.message.answer)):
                self._slow(lane)
            else:
                self._good(lane)

    def _loses(self, lane: _Lane, lost: bool) -> bool:
        """Whether so much is lost that it is no accident of the network: limits drop most of what is over them."""
        lane.lost += ((1.0 if lost else 0.0) - lane.lost) * _FORGETTING
        return lost and lane.lost > _ACCIDENTAL

    def _good(self, lane: _Lane) -> None:
        now = self._loop.time()
        if now - lane.since > 1.0:
            lane.last, lane.count, lane.since = lane.count / (now - lane.since), 0, now
        lane.count += 1
        if lane.rate and self.rate:
            lane.rate = min(self.rate, lane.rate + self.rate * _RECOVERY)
        elif lane.rate:
            lane.rate *= 1 + _RECOVERY / 4

    def _slow(self, lane: _Lane) -> None:
        """To half of what it was asked lately; what is under way from before counts once."""
        now = self._loop.time()
        if now - lane.slowed < _WINDOW:
            return
        lane.slowed = now
        lately = max(lane.last, lane.count / max(now - lane.since, 0.1))
        lane.rate = max(_LEAST, (min(lane.rate, lately) if lane.rate else lately) / 2)

    def _lane(self, server: str) -> _Lane:
        return self._lanes.get(server) or self._lanes.setdefault(server, _Lane(self.rate))
