"""Keeping what a survey rests on, and judging it again without the network, with the same outcome."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from ipaddress import ip_network
from pathlib import Path
from typing import Any

import msgspec

from legatum.core.calendar.instant import kept_instant
from legatum.core.memory.copies import KeptSet
from legatum.core.observation.leftovers import Leftover, LeftoverKind
from legatum.core.observation.observation import Observation, RegistrationView, Tracked
from legatum.core.records.name import Name, name_text, parse_name
from legatum.core.running.fault import BadInput, OutsideFault
from legatum.net.asking.reach import Reach
from legatum.net.keeping.evidence import Evidence
from legatum.net.keeping.recording import Recording, Replay, StillClock, read_recording
from legatum.net.registry.rdap import Bootstrap
from legatum.settings.document import Network, Resolver, Settings
from legatum.work.look.asking.depth import DEPTHS, FULL
from legatum.work.look.asking.wanted import Wanted
from legatum.work.run_context import RunContext
from legatum.work.verdicts.survey import Survey, look_again


class RegistrationHead(msgspec.Struct):
    """What a registrar's account showed."""

    registrar: str
    nameservers: list[str]
    statuses: list[str]
    expires: str
    ds: list[str] | None = None
    created: str = ""
    changed: str = ""
    transferred: str = ""


class LeftoverHead(msgspec.Struct):
    """What was left behind, as it was found in settings, journal and account: no reply shows that."""

    kind: LeftoverKind
    what: str
    where: str
    why: str
    sure: bool
    remedy: str


class TrackedHead(msgspec.Struct):
    """A name that was to have the target's addresses: what both had."""

    name: str
    target: str
    own: list[str]
    theirs: list[str]
    turns: bool = False


class KeptHead(msgspec.Struct):
    """An NS set of before by which somebody might still go, as it was remembered."""

    names: list[str]
    until: float
    text: str


class Head(msgspec.Struct):
    """What a survey rested on beside the replies. ``services``: where registration data were asked for; ``partial``: it
    was no survey, and what was not asked is not known; ``viewpoint``: from where it was made, if not from here, and
    ``doubts`` about that; ``depth``: how much was asked (:data:`~legatum.work.look.asking.depth.DEPTHS`)."""

    domain: str
    at: float
    roots: dict[str, list[str]]
    home: list[str]
    resolvers: dict[str, str | Resolver]
    ipv6: bool
    rdap: bool
    services: dict[str, str]
    former: dict[str, str]
    change_at: float | None
    transfer: bool
    asked_resolvers: bool
    dropped: int
    registration: RegistrationHead | None
    partial: bool = False
    leftovers: list[LeftoverHead] = msgspec.field(default_factory=list)
    viewpoint: str = ""
    doubts: str = ""
    not_looked_at: list[str] = msgspec.field(default_factory=list)
    depth: str = "full"
    kept: list[KeptHead] = msgspec.field(default_factory=list)
    tracked: list[TrackedHead] = msgspec.field(default_factory=list)
    ipv4: bool = True
    tcp: bool = True


def recording_of(context: RunContext, wanted: Wanted, found: Survey) -> Recording:
    """What a survey rests on."""
    return Recording(msgspec.to_builtins(_head(context, wanted, found)), found.evidence)


async def own_recordings(
    context: RunContext, wanted: Wanted, surveys: Iterable[Survey], evidence: Evidence, depth: str
) -> list[Recording]:
    """Of several domains that were looked at together, to one ``depth``
    (:data:`~legatum.work.look.asking.depth.DEPTHS`): for each what its own survey rests on, also of what they share."""
    found = []
    replaying = Replay(evidence, StillClock(0.0))
    replaying.patience = context.asker.patience
    try:
        for each in surveys:
            head = msgspec.structs.replace(_head(context, wanted, each), depth=depth)
            replaying.clock = StillClock(head.at)
            replaying.used.clear()
            again = replace(context, asker=replaying, clock=replaying.clock)
            with suppress(OutsideFault):  # what cannot be judged again is no evidence
                await look_again(again, each.observation.domain, Evidence(), wanted, None, head.dropped, DEPTHS[depth])
                found.append(Recording(msgspec.to_builtins(head), Evidence(replaying.used.values())))
    finally:
        replaying.close()
    return found


def marked(recording: Recording, viewpoint: str, doubts: str) -> Recording:
    """The same, as made at a viewpoint."""
    return Recording({**recording.head, "viewpoint": viewpoint, "doubts": doubts}, recording.evidence)


async def judged_again(recording: Recording, source: Path) -> Survey:
    """The survey that a recording shows. ``source``: where it is from, for errors. Raises :class:`BadInput`."""
    return await _again(source, recording)


def _head(context: RunContext, wanted: Wanted, found: Survey) -> Head:
    observation, network = found.observation, context.settings.network
    held = observation.registration
    return Head(
        domain=name_text(observation.domain),
        at=observation.at,
        roots={name_text(name): list(addresses) for name, addresses in context.roots.items()},
        home=network.home,
        resolvers=context.settings.resolvers,
        ipv6=(reach := context.asker.patience.reach).ipv6,
        ipv4=reach.ipv4,
        tcp=reach.tcp,
        rdap=wanted.rdap and context.settings.rdap is not None,
        services=_services(context, found),
        former={
            **{address: name_text(name) for address, name in wanted.former.items()},
            **_serving_elsewhere(observation),
        },
        change_at=wanted.change_at,
        transfer=wanted.transfer,
        asked_resolvers=wanted.resolvers,
        dropped=observation.dropped,
        registration=_registration_head(held) if held else None,
        leftovers=[
            LeftoverHead(each.kind, each.what, each.where, each.why, each.sure, each.remedy) for each in found.leftovers
        ],
        not_looked_at=list(found.not_looked_at),
        kept=[KeptHead([name_text(name) for name in each.names], each.until, each.text) for each in observation.kept],
        tracked=[_tracked_head(each) for each in observation.tracked],
    )


def _registration_head(held: RegistrationView) -> RegistrationHead:
    ds = None if held.ds is None else [each.hex() for each in held.ds]
    names = [name_text(each) for each in held.nameservers]
    return RegistrationHead(
        held.registrar, names, list(held.statuses), held.expires, ds, held.created, held.changed, held.transferred
    )


def head_of_entry(context: RunContext, domain: str, at: float) -> Head:
    """Of replies that were kept for something else than a survey: as the settings are now. What was not asked then was
    not silent."""
    network = context.settings.network
    return Head(
        domain, at, {name_text(name): list(addresses) for name, addresses in context.roots.items()}, network.home,
        context.settings.resolvers, network.ipv6, False, {}, {}, None, False, True, 0, None, True,
    )  # fmt: skip


def _serving_elsewhere(observation: Observation) -> dict[str, str]:
    """Servers outside the delegation that were found to serve the domain."""
    return {view.address: name_text(view.server) for view in observation.former}


def _services(context: RunContext, found: Survey) -> dict[str, str]:
    bootstrap = context.kept_bootstrap
    return dict(bootstrap.services) if bootstrap and found.evidence.web else {}


async def survey_again(path: Path) -> list[Survey]:
    """The surveys whose evidence is in a file, judged anew. Raises :class:`BadInput`."""
    return [await _again(path, each) for each in read_recording(path)]


async def _again(path: Path, recording: Recording) -> Survey:
    head = _read_head(path, recording.head)
    with _opened(head, recording) as context:
        wanted = Wanted(
            resolvers=head.asked_resolvers,
            rdap=head.rdap,
            former={address: _name(name) for address, name in head.former.items()},
            change_at=head.change_at,
            transfer=head.transfer,
        )
        held = head.registration
        account = (
            RegistrationView(
                held.registrar,
                tuple(map(_name, held.nameservers)),
                tuple(held.statuses),
                held.expires,
                None if held.ds is None else tuple(map(bytes.fromhex, held.ds)),
                held.created,
                held.changed,
                held.transferred,
            )
            if held
            else None
        )
        try:
            tracked = [_tracked(each) for each in head.tracked]
            kept = [KeptSet(tuple(map(_name, each.names)), each.until, each.text) for each in head.kept]
            depth = DEPTHS.get(head.depth, FULL)
            found = await look_again(
                context, _name(head.domain), recording.evidence, wanted, account, head.dropped, depth, kept, tracked
            )
            behind = tuple(
                Leftover(each.kind, each.what, each.where, each.why, each.sure, remedy=each.remedy)
                for each in head.leftovers
            )
            return replace(
                found,
                leftovers=behind,
                not_looked_at=tuple(head.not_looked_at),
                viewpoint=head.viewpoint,
                doubts=head.doubts,
            )
        except OutsideFault:
            if not head.partial:
                raise
            servers = ", ".join(sorted({reply.server for reply in recording.evidence})[:6])
            raise BadInput(
                f"{path}: these {len(recording.evidence)} replies are of another look than a survey: no "
                f"delegation in them ({servers})",
                "the replies of a step that confirms are a survey; `legatum history DOMAIN` numbers them",
            ) from None


def _read_head(path: Path, head: dict[str, Any]) -> Head:
    try:
        read = msgspec.convert(head, Head)
        kept_instant(read.at)
        for network in read.home:
            ip_network(network, strict=False)
        return read
    except (msgspec.ValidationError, ValueError) as error:
        raise BadInput(
            f"{path}: the head of the evidence: {error}",
            "give a file that `legatum survey DOMAIN --evidence FILE` wrote",
        ) from None


@contextmanager
def _opened(head: Head, recording: Recording) -> Iterator[RunContext]:
    clock = StillClock(head.at)
    asker = Replay(recording.evidence, clock)
    settings = Settings(
        network=Network(roots=head.roots, map={}, home=head.home, ipv6=head.ipv6), resolvers=head.resolvers, rdap=None
    )  # fmt: skip
    roots = {_name(name): tuple(addresses) for name, addresses in head.roots.items()}
    asker.patience = asker.patience._replace(reach=Reach(head.ipv4, head.ipv6, head.tcp))
    bootstrap = Bootstrap(head.services) if head.rdap else None
    try:
        yield RunContext(settings, Path(), clock, asker, roots, dict(recording.evidence.web), bootstrap)
    finally:
        asker.close()


def _name(text: str) -> Name:
    return parse_name(text.rstrip(".") + ".")


def _tracked_head(seen: "Tracked") -> TrackedHead:
    return TrackedHead(name_text(seen.name), name_text(seen.target), list(seen.own), list(seen.theirs), seen.turns)


def _tracked(head: TrackedHead) -> "Tracked":
    return Tracked(_name(head.name), _name(head.target), tuple(head.own), tuple(head.theirs), head.turns)
