"""What resolvers make of the domain."""

from collections.abc import Iterator

from legatum.core.calendar.instant import clock_text
from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation, ResolverView
from legatum.core.records.name import name_text
from legatum.core.records.rrset import targets

_SERVFAIL = 2
_BOGUS = {5, 6, 7, 8, 9, 10, 11, 12}  # RFC 8914 s4: indeterminate, bogus, expired, early, key or signature missing, …
_STALE = {3, 19}
_CHAIN = (
    "ds-but-unsigned",
    "ds-without-key",
    "ds-digest-wrong",
    "chain-broken",
    "signature-expired",
    "signature-early",
    "signature-wrong",
    "signature-missing",
    "denial-broken",
)


def _who(view: ResolverView) -> str:
    return f"{view.name} ({view.address}, {view.over})"


def _errors(view: ResolverView) -> str:
    return "".join(f"; extended error {number}{f' ({text})' if text else ''}" for number, text in view.errors)


def concerned(observation: Observation) -> bool:
    return bool(observation.resolvers)


@finding(
    "resolver-silent", Severity.NOTICE, "A resolver of the settings does not answer",
    why="What its users see is unknown. That says nothing about the domain.",
    remedy="Check the resolver's address in the settings, and that you may use it.",
    standard="RFC 1123 s6.1.3.3",
)  # fmt: skip
def resolver_silent(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.resolvers:
        if view.rcode is None and not view.busy:
            yield Occurrence(f"{_who(view)}: {view.outcome}", (view.reply,), view.name)


@finding(
    "resolver-gives-up",
    Severity.WARNING,
    "A resolver answers for other names, but not for the domain",
    why=(
        "It is still trying when others have given up: visitors behind it wait, and get nothing. The cause "
        "is at the domain's servers."
    ),
    remedy="Mend what else is found here first; the resolver needs nothing.",
    standard="RFC 1123 s6.1.3.3",
    after=(
        "no-such-domain",
        "not-delegated",
        "moved-too-early",
        "no-server-serves",
        "ns-circle",
        "ns-without-address",
        "glue-missing",
        "glue-leads-astray",
        *_CHAIN,
        "server-silent",
        "server-address-dead",
        "server-refuses",
        "server-fails",
        "edns-dropped",
        "truncated-without-tcp",
        "old-delegation-kept",
        "most-resolvers-fail",
    ),
)
def resolver_gives_up(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.resolvers:
        if view.busy:
            yield Occurrence(f"{_who(view)}: {view.outcome}, while it answers for the zone above", (view.reply,))


@finding(
    "resolver-fails",
    Severity.WARNING,
    "A resolver fails on the domain",
    why="Visitors behind that resolver get nothing: the fault may be the domain's or the resolver's.",
    remedy=(
        "Mend what else is found here first. If all is well at the domain, flush the name in that "
        "resolver or wait for its cache."
    ),
    standard="RFC 2308 s7",
    after=(
        "no-such-domain",
        "not-delegated",
        "no-server-serves",
        *_CHAIN,
        "resolver-finds-bogus",
        "server-silent",
        "server-refuses",
        "server-fails",
        "ns-circle",
        "ns-without-address",
        "glue-missing",
        "most-resolvers-fail",
        "moved-too-early",
        "glue-leads-astray",
        "server-address-dead",
        "edns-dropped",
        "truncated-without-tcp",
        "old-delegation-kept",
    ),
)
def resolver_fails(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.resolvers:
        if view.rcode == _SERVFAIL:
            yield Occurrence(f"{_who(view)}: {view.outcome}{_errors(view)}", (view.reply,))


@finding(
    "most-resolvers-fail",
    Severity.ERROR,
    "Most of the resolvers asked get nothing for the domain",
    why=(
        "One resolver that fails may be the resolver's own affair; when most of those that answer others "
        "fail here, visitors fail."
    ),
    remedy="Mend what else is found here first. If nothing is, and the delegation was changed lately, wait "
    "until the instant given; what "
    "fails after that has its cause at what the resolvers have in common: network, cache, validation.",
    standard="RFC 2308 s7",
    after=(
        "no-such-domain",
        "not-delegated",
        "moved-too-early",
        "no-server-serves",
        *_CHAIN,
        "resolver-finds-bogus",
        "server-silent",
        "server-refuses",
        "server-fails",
        "ns-circle",
        "ns-without-address",
        "glue-missing",
        "glue-leads-astray",
        "server-address-dead",
        "edns-dropped",
        "truncated-without-tcp",
        "old-delegation-kept",
    ),
)
def most_resolvers_fail(observation: Observation) -> Iterator[Occurrence]:
    heard = [view for view in observation.resolvers if view.rcode is not None or view.busy]
    failing = [view for view in heard if view.rcode == _SERVFAIL or view.busy]
    if len(heard) > 1 and len(failing) * 2 > len(heard):
        replies = tuple(view.reply for view in failing)
        yield Occurrence(
            f"{len(failing)} of {len(heard)}: {', '.join(_who(view) for view in failing)}{_at_most(observation)}",
            replies,
        )


def _at_most(observation: Observation) -> str:
    """How long a copy of an earlier delegation could explain it, where nobody remembers one."""
    if observation.parent_ttl is None or not observation.serving:
        return ""
    until = clock_text(observation.at + observation.parent_ttl, observation.at)
    ttl = f"the parent's TTL of {observation.parent_ttl}"
    return f"; if the delegation was changed lately, an old copy is kept until {until} at the longest ({ttl})"


@finding(
    "old-delegation-kept",
    Severity.WARNING,
    "Resolvers still go by an NS set that was handed out until lately",
    why="They ask the servers of that set until their copies run out, and their users get what those give, "
    "or nothing. That is normal for "
    "so long.",
    remedy=(
        "Wait until the instant given, and ask again: what is wrong then is a fault. Whoever runs a "
        "resolver can flush the name in it."
    ),
    standard="RFC 2181 s5.4.1",
)
def old_delegation_kept(observation: Observation) -> Iterator[Occurrence]:
    behind = [
        view
        for view in observation.resolvers
        if view.busy or view.rcode == _SERVFAIL or (view.ns and targets(view.ns) not in observation.ns_sets)
    ]
    if not observation.kept or not behind:
        return
    last = observation.kept[0]
    has = ", ".join(
        f"{view.name} {f'until {clock_text(observation.at + view.ns.ttl, observation.at)}' if view.ns else 'fails'}"
        for view in behind
    )
    yield Occurrence(
        f"normal until {clock_text(last.until, observation.at)}: {last.text}; now: {has}",
        tuple(view.reply for view in behind),
    )


@finding(
    "resolver-finds-bogus",
    Severity.ERROR,
    "A resolver that validates rejects the domain's signatures",
    why="Everybody behind a validating resolver gets nothing, while everybody else sees the domain as usual.",
    remedy=(
        "Compare DS and DNSKEY, and look at the signatures' dates; to stop the harm at once take the DS "
        "out at the registrar."
    ),
    standard="RFC 8914 s4",
    after=_CHAIN,
)
def resolver_finds_bogus(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.resolvers:
        if view.rcode == _SERVFAIL and any(number in _BOGUS for number, _ in view.errors):
            yield Occurrence(f"{_who(view)}: {view.outcome}{_errors(view)}", (view.reply,))


@finding(
    "resolver-holds-other-ns",
    Severity.NOTICE,
    "A resolver holds an NS set that the parent and the domain's servers do not hand out",
    why="It goes on asking the servers of that set until its copy runs out; after a switch that is what one waits for.",
    remedy="Wait until the time given; keep the old servers up until then.",
    standard="RFC 2181 s5.4.1",
    after=("old-delegation-kept",),
)
def resolver_holds_other_ns(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.resolvers:
        if view.ns and observation.ns_sets and targets(view.ns) not in observation.ns_sets:
            names = ", ".join(name_text(name) for name in targets(view.ns))
            yield Occurrence(f"{_who(view)}: {names}, for {view.ns.ttl} s more", (view.reply,), view.name)


@finding(
    "resolver-serves-stale", Severity.NOTICE, "A resolver answers from a copy that has run out",
    why="It cannot reach the domain's servers and helps itself with old data; soon it will have none.",
    remedy="See why the resolver does not reach the domain's servers.",
    standard="RFC 8767 s4",
    after=("no-server-serves", "server-silent"),
)  # fmt: skip
def resolver_serves_stale(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.resolvers:
        if view.rcode == 0 and any(number in _STALE for number, _ in view.errors):
            yield Occurrence(f"{_who(view)}{_errors(view)}", (view.reply,))
