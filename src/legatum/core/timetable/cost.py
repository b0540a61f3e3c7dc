"""What a TTL costs and gains (rule 14): questions a second that resolvers send on, and the share still on an old answer
over time."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from statistics import fmean

from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.timing import load_of_ttl

_SATURATED = 0.98  # share of its TTL's rate from which a resolver's own demand can no longer be told


@dataclass(frozen=True, slots=True)
class Demand:
    """``rates``: questions a second that each resolver's visitors put to it; ``caches``: resolvers that each of them
    stands for; ``text``: where that is known from."""

    rates: tuple[float, ...]
    caches: float = 1.0
    text: str = ""

    def load(self, ttl: int) -> float:
        """Questions a second to the domain's servers."""
        return sum(load_of_ttl(rate, ttl, 1) for rate in self.rates) * self.caches

    def share_old(self, ttl: int, age: float) -> float:
        """Of all resolvers that a question may come to, how many still give the old answer so long after the change:
        the mean of λT/(1+λT)·(1 - t/T)."""
        if age >= ttl or not self.rates:
            return 0.0
        return fmean(rate * ttl / (1 + rate * ttl) for rate in self.rates) * (1 - age / ttl)


def supposed_demand(every: float, caches: int) -> Demand:
    """``every``: seconds between two questions that one resolver gets for the name."""
    return Demand((1 / every,), caches, f"{caches} resolvers, each asked every {rough_text(every)}")


def measured_demand(counts: Iterable[int], seconds: float, ttl: int) -> Demand:
    """From how often each resolver asked the servers in that time: who keeps each answer for its TTL and asks r times a
    second is asked r/(1 - rT) times itself. Who asks as often as its TTL lets it is asked more often than can be told:
    at least that."""
    rates = []
    for count in counts:
        rate = count / seconds
        rates.append(rate / (1 - min(rate * ttl, _SATURATED)))
    return Demand(tuple(rates), 1.0, f"{len(rates)} resolvers seen in {rough_text(seconds)}")


@dataclass(frozen=True, slots=True)
class Cost:
    """Of one TTL. ``load``: questions a second; ``shares``: age in seconds after a change → the share still on the old
    answer."""

    ttl: int
    load: float
    shares: tuple[tuple[int, float], ...]


AGES = (60, 300, 900, 3600, 14400, 86400)


def cost_of(demand: Demand, ttl: int, ages: Sequence[int] = AGES) -> Cost:
    return Cost(ttl, demand.load(ttl), tuple((age, demand.share_old(ttl, age)) for age in ages))
