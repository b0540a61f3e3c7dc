"""Changed now, until when does somebody have the old answer? One line for each RRset, and the one that decides (rules 2
to 4)."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from legatum.core.calendar.duration import duration_text
from legatum.core.calendar.timing import Caution
from legatum.core.timetable.subject import AT_PARENT, Subject


@dataclass(frozen=True, slots=True)
class Aged:
    """``until``: the last instant at which a resolver may give the old answer, in seconds since 1970; ``reason`` in
    words."""

    matter: Subject
    until: float
    reason: str


def aged(matter: Subject, changed: float, publishing: int, caution: Caution) -> Aged:
    """``changed``: when the last of our own servers has the change; ``publishing``: seconds that the registry takes for
    its own."""
    begins = changed + (publishing if matter.role in AT_PARENT else 0)
    lasts, slack = caution.lasts(matter.ttl), caution.slack(1)
    said = f"{matter.server}, one of {matter.holder}," if len(matter.ttls) > 1 else f"{matter.server} ({matter.holder})"
    words = [f"{said} gives it with a TTL of {matter.ttl}"]
    if matter.differs:
        words.append(
            f"others with {', '.join(map(str, sorted(set(matter.ttls.values()) - {matter.ttl})))}; the largest counts"
        )
    if lasts > matter.ttl:
        words.append(f"resolvers may keep it {duration_text(lasts)}")
    if matter.role in AT_PARENT and publishing:
        words.append(f"the registry is taken to need {duration_text(publishing)} to publish")
    if matter.silent:
        words.append(f"{', '.join(matter.silent[:3])} did not answer for it, and is taken to give no longer one")
    words.append(f"{slack} s for a question under way")
    words += [f"{caution.margin} s margin"] if caution.margin else []
    until, reason = begins + lasts + slack + caution.margin, f"{'; '.join(words)} (rule {matter.by_rule})"
    earlier = matter.held_longest(caution)
    if earlier is not None and earlier.until(caution) > until:
        return Aged(matter, earlier.until(caution), f"{earlier.reason(changed, caution)} (rule {matter.by_rule})")
    return Aged(matter, until, reason)


def all_aged(matters: Iterable[Subject], changed: float, publishing: int, caution: Caution) -> list[Aged]:
    """The one that lasts longest first."""
    found = [aged(each, changed, publishing, caution) for each in matters if each.ttls]
    return sorted(found, key=lambda each: (-each.until, each.matter.text))


def decisive(found: Sequence[Aged]) -> Aged:
    """Of what changes with the domain the one that lasts longest."""
    own = [each for each in found if not each.matter.others]
    return max(own or found, key=lambda each: each.until)
