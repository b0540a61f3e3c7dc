"""Names: a final dot that is missing, and names that no host may have."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.lint.contents import Target, ZoneContents
from legatum.core.records.name import ROOT, Name, labels_of, name_text
from legatum.core.records.rrtype import AAAA, MX, NS, SRV, A, type_text

# Ends of names that are surely meant to be whole: a few registries' suffixes, and those kept for examples and tests
# (RFC 2606).
_SUFFIXES = frozenset(
    (b"com", b"net", b"org", b"info", b"biz", b"example", b"test", b"invalid", b"arpa", b"eu", b"io", b"co")
)
_HOST = frozenset(b"abcdefghijklmnopqrstuvwxyz0123456789-")


def _words(target: Target) -> str:
    return f"{name_text(target.owner)} {type_text(target.rtype)} leads to {name_text(target.name)}"


def _prefix(name: Name, origin: Name) -> bytes:
    """What stands before the origin, as wire labels."""
    return name[: len(name) - len(origin)]


@finding(
    "target-doubled-origin",
    Severity.ERROR,
    "A record leads to a name with the zone's name twice at its end",
    why=(
        "The final dot was left out, so the zone's name was added once more: mail or visitors are sent to a "
        "name that does not exist."
    ),
    remedy="End the name with a dot in the master file, or give it without the zone's name.",
    standard="RFC 1035 s5.1",
)
def target_doubled_origin(contents: ZoneContents) -> Iterator[Occurrence]:
    twice = contents.origin[:-1] + contents.origin
    for target in contents.targets():
        if target.name.endswith(twice) and contents.leads_nowhere(target.name):
            yield Occurrence(_words(target), (), name_text(target.name))


@finding(
    "name-doubled-origin",
    Severity.WARNING,
    "A name has the zone's name twice at its end",
    why=(
        "The final dot was left out: the record stands at a name that nobody asks for, and is missing where "
        "it was meant."
    ),
    remedy="End the name with a dot in the master file, or give it without the zone's name.",
    standard="RFC 1035 s5.1",
)
def name_doubled_origin(contents: ZoneContents) -> Iterator[Occurrence]:
    twice = contents.origin[:-1] + contents.origin
    for name in sorted(name for name in contents.zone.names if name.endswith(twice)):
        yield Occurrence(name_text(name), (), name_text(name))


@finding(
    "target-final-dot-missing", Severity.ERROR, "A record leads to a foreign name with the zone's name appended",
    why="A whole name was meant; without its final dot the zone's name was added, and what it leads to does not exist.",
    remedy="End the name with a dot in the master file.",
    standard="RFC 1035 s5.1",
    after=("target-doubled-origin",),
)  # fmt: skip
def target_final_dot_missing(contents: ZoneContents) -> Iterator[Occurrence]:
    ends = tuple(bytes((len(suffix),)) + suffix + contents.origin for suffix in _SUFFIXES)
    for target in contents.targets():
        if target.name.endswith(ends) and contents.is_inside(target.name):
            labels = labels_of(Name(_prefix(target.name, contents.origin) + ROOT))
            if len(labels) > 1 and labels[-1] in _SUFFIXES and contents.leads_nowhere(target.name):
                yield Occurrence(_words(target), (), name_text(target.name))


@finding(
    "host-name-not-allowed",
    Severity.NOTICE,
    "A name with addresses that no host may have",
    why=(
        "Host names are letters, digits and hyphens; browsers, mail servers and certificates refuse others, "
        "underscores most of all."
    ),
    remedy="Give the host a name of letters, digits and hyphens, and keep the old one for a while if it is in use.",
    standard="RFC 1123 s2.1",
)
def host_name_not_allowed(contents: ZoneContents) -> Iterator[Occurrence]:
    for name in sorted({rrset.name for rrset in contents.of(A, AAAA) if not _is_host(rrset.name)}):
        yield Occurrence(name_text(name), (), name_text(name))


@finding(
    "target-not-a-host-name", Severity.WARNING, "A server is named by a name that no host may have",
    why="Name servers, mail servers and services must be hosts; many programs refuse a name with other characters.",
    remedy="Give the server a name of letters, digits and hyphens.",
    standard="RFC 1123 s2.1, RFC 2181 s11",
)  # fmt: skip
def target_not_a_host_name(contents: ZoneContents) -> Iterator[Occurrence]:
    for target in contents.targets(NS, MX, SRV):
        if target.name != ROOT and not _is_host(target.name):
            yield Occurrence(_words(target), (), name_text(target.name))


def _is_host(name: Name) -> bool:
    if not name[1:].translate(None, _HOST_OCTETS).replace(b"*", b"") and name.find(b"-") < 0:
        return True
    return all(
        label == b"*" or (set(label) <= _HOST and not label.startswith(b"-") and not label.endswith(b"-"))
        for label in labels_of(name)
    )


_HOST_OCTETS = bytes(sorted(_HOST)) + bytes(range(64))  # length octets too
