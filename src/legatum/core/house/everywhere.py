"""The same thing looked at from several networks: who sees what from where, and what of that is a fault.

A server that one place alone gets no answer from, or older data, is at fault, or the way to it is; answers that differ
although each server gives the same everywhere else may be meant so (an address by place).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from legatum.core.agreement.verdict import Verdict
from legatum.core.observation.answers import AnswersComparison
from legatum.core.observation.observation import Observation
from legatum.core.records.name import name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import SOA, type_text
from legatum.core.records.soa import parse_soa, serial_is_newer
from legatum.core.service.seen import MailSeen, Visit, WebSeen


@dataclass(frozen=True, slots=True)
class Told:
    """What was seen of one thing. ``answered``: anything came at all; ``serial``: of the data that it has, where that
    is known; ``bad``: it was not as it should be."""

    said: str
    answered: bool = True
    serial: int | None = None
    bad: bool = False


class PlaceDifference(StrEnum):
    """Why things are not told alike everywhere, the worst first."""

    SILENT = "silent from some places only"
    LAGGING = "older data at some places"
    WRONG = "right from some places only"
    PLACE = "differs by place"


@dataclass(frozen=True, slots=True)
class Difference:
    """``subject``: of what; ``said``: what → the places from where that was seen."""

    subject: str
    kind: PlaceDifference
    said: Mapping[str, tuple[str, ...]]

    @property
    def is_fault(self) -> bool:
        return self.kind != PlaceDifference.PLACE


@dataclass(frozen=True)
class Everywhere:
    """Who sees what from where. ``places``: from where it was looked at → whether all is well there, and the verdict in
    words; ``failed``: viewpoints from which nothing is known, and why; ``doubts``: about what others give;
    ``differences``: the worst first."""

    places: Mapping[str, tuple[bool, str]]
    failed: Mapping[str, str] = field(default_factory=dict)
    doubts: Mapping[str, str] = field(default_factory=dict)
    differences: Sequence[Difference] = ()

    @property
    def text(self) -> str:
        """What is wrong first, in words; empty where nothing is."""
        if first := next((each for each in self.differences if each.is_fault), None):
            said = "; ".join(f"{said} from {', '.join(places)}" for said, places in first.said.items())
            return f"{first.subject}: {first.kind}: {said}"
        if bad := [place for place, (good, _) in self.places.items() if not good]:
            return f"not as it should be from {', '.join(bad)}"
        return f"not known from {', '.join(self.failed)}" if self.failed else ""

    @property
    def good(self) -> bool:
        """Everybody could look, it is as it should be from everywhere, and nothing differs that ought not to."""
        return (
            not self.failed
            and all(good for good, _ in self.places.values())
            and not any(each.is_fault for each in self.differences)
        )


def differences(told: Mapping[str, Mapping[str, Told]]) -> list[Difference]:
    """``told``: place → subject → what was seen of it from there. What only one place could look at is not compared.
    The worst first."""
    subjects = dict.fromkeys(subject for each in told.values() for subject in each)
    found = []
    for subject in subjects:
        seen = {place: each[subject] for place, each in told.items() if subject in each}
        said: dict[str, list[str]] = {}
        for place, each in seen.items():
            said.setdefault(each.said, []).append(place)
        if len(said) > 1:
            found.append(
                Difference(subject, _kind(list(seen.values())), {each: tuple(places) for each, places in said.items()})
            )
    order = list(PlaceDifference)
    return sorted(found, key=lambda each: order.index(each.kind))


def _kind(seen: Sequence[Told]) -> PlaceDifference:
    if len({each.answered for each in seen}) > 1:
        return PlaceDifference.SILENT
    serials = [each.serial for each in seen if each.serial is not None]
    if any(serial_is_newer(one, other) for one in serials for other in serials):
        return PlaceDifference.LAGGING
    return PlaceDifference.WRONG if len({each.bad for each in seen}) > 1 else PlaceDifference.PLACE


def of_picture(observation: Observation) -> dict[str, Told]:
    """Of every server address of the parent and of the domain, and of the domain's contents."""
    found = {}
    for parent in observation.parents:
        subject = f"{name_text(parent.server)} ({parent.address})"
        names = ", ".join(sorted(map(name_text, targets(parent.ns)))) if parent.ns is not None else ""
        found[subject] = Told(f"delegates to {names}" if names else str(parent.outcome), parent.answered, bad=not names)
    for view in observation.servers:
        serial = parse_soa(view.soa.rdatas[0]).serial if view.soa is not None else None
        text = f"serial {serial}" if view.serves and serial is not None else view.outcome
        found[f"{name_text(view.server)} ({view.address})"] = Told(text, not view.silent, serial, not view.serves)
    for (name, rtype), each in observation.contents.items():
        if rtype != SOA:
            found[f"{name_text(name)} {type_text(rtype)}"] = Told(
                ", ".join(rdata_texts(each)) if each is not None else "nothing"
            )
    return found


def of_verdict(verdict: Verdict) -> dict[str, Told]:
    """Of every check but those at resolvers, which each place has its own of."""
    return {
        f"{each.who}, {each.about}": Told(each.said, bad=not each.agrees)
        for each in verdict.checks
        if each.party != "resolver"
    }


def of_answers(found: AnswersComparison) -> dict[str, Told]:
    """Of every question to which servers do not all say the same, at any place."""
    return {
        f"{name_text(each.name)} {type_text(each.rtype)}": Told(
            "; ".join(f"{what.outcome} {_data(what.rrsets)}from {', '.join(who)}" for what, who in each.said.items()),
            bad=each.weight.refuses,
        )
        for each in found.differences
    }


def of_visit(visit: Visit) -> dict[str, Told]:
    """Of every service at every address. What a page says may be another thing each time: only whether it opens, and
    where it leads."""
    return {each.where: _service(each.what) for each in visit.seen}


def _service(what: WebSeen | MailSeen) -> Told:
    if what.trouble:
        return Told(what.trouble, answered=False, bad=True)
    trust = f", certificate {what.certificate.trust}" if what.certificate is not None else ""
    if isinstance(what, MailSeen):
        takes = "" if what.takes is None else ", takes mail" if what.takes else f", refuses mail ({what.said})"
        return Told(f"answers{takes}{trust}", bad=what.takes is False)
    title = f" “{what.page.title}”" if what.page is not None and what.page.title else ""
    return Told(
        f"{what.status}{title}{f', leads to {what.leads}' if what.leads else ''}{trust}", bad=what.status >= 400
    )


def _data(rrsets: Sequence[RRset]) -> str:
    texts = [text for each in rrsets for text in rdata_texts(each)]
    return f"{', '.join(texts)} " if texts else ""
