"""SOA values: versions, timers, names (RFC 1912 s2.2 for the ranges)."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation
from legatum.core.observation.signers import by_signer
from legatum.core.records.name import ROOT, labels_of, name_text
from legatum.core.records.soa import SoaFields, mail_address, mailbox_text, parse_soa

_DAY = 86400


@finding(
    "serials-differ", Severity.WARNING, "The servers have different versions of the zone",
    why="Visitors get old or new data depending on the server asked. Just after an edit this is normal for seconds.",
    remedy="Look again in a minute. If it stays, check that the secondary may transfer and that the serial was raised.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def serials_differ(observation: Observation) -> Iterator[Occurrence]:
    for views in by_signer(observation):
        serials = {view.address: parse_soa(view.soa.rdatas[0]).serial for view in views if view.soa}
        for view in views if len(set(serials.values())) > 1 else ():
            yield Occurrence(f"{name_text(view.server)} ({view.address}): {serials[view.address]}", view.replies)


@finding(
    "expire-short", Severity.WARNING, "Secondaries give up the zone soon",
    why="When the primary is away for longer than this, the secondaries stop answering and the domain is gone.",
    remedy="Set EXPIRE to two to four weeks.",
    standard="RFC 1912 s2.2",
    after=("expire-not-above-refresh",),
)  # fmt: skip
def expire_short(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and soa.expire < 7 * _DAY:
        yield Occurrence(f"EXPIRE is {soa.expire} s")


@finding(
    "retry-not-below-refresh", Severity.NOTICE, "RETRY is not shorter than REFRESH",
    why="After a failed check a secondary should try again sooner than it would have looked anyway.",
    remedy="Set RETRY to a fraction of REFRESH.",
    standard="RFC 1912 s2.2",
)  # fmt: skip
def retry_not_below_refresh(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and soa.retry >= soa.refresh:
        yield Occurrence(f"REFRESH {soa.refresh} s, RETRY {soa.retry} s")


@finding(
    "soa-differs", Severity.WARNING, "The servers give different SOA values under one serial",
    why="The zone is kept by hand on several servers: sooner or later their contents differ too, and nobody notices.",
    remedy="Have one primary, and the others fetch the zone from it.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def soa_differs(observation: Observation) -> Iterator[Occurrence]:
    fields = {view.address: parse_soa(view.soa.rdatas[0]) for view in observation.serving if view.soa}
    if (
        len({each.serial for each in fields.values()}) == 1
        and len(set(fields.values())) > 1
        and len(by_signer(observation)) == 1
    ):
        for view in observation.serving:
            each = fields[view.address]
            yield Occurrence(
                f"{name_text(view.server)} ({view.address}): primary {name_text(each.primary)}, refresh "
                f"{each.refresh}, "
                f"retry {each.retry}, expire {each.expire}, minimum {each.minimum}",
                view.replies,
            )


@finding(
    "refresh-out-of-range", Severity.NOTICE, "REFRESH is out of the usual range",
    why="Too short and secondaries ask all day; too long and a missed NOTIFY leaves old data with them for that time.",
    remedy="Set REFRESH between 20 minutes and 12 hours; up to a day where NOTIFY is in use.",
    standard="RFC 1912 s2.2",
)  # fmt: skip
def refresh_out_of_range(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and not 1200 <= soa.refresh <= _DAY:
        yield Occurrence(f"REFRESH is {soa.refresh} s")


@finding(
    "retry-out-of-range", Severity.NOTICE, "RETRY is out of the usual range",
    why="Too short burdens a primary in trouble; too long delays the first copy after it is back.",
    remedy="Set RETRY between two minutes and two hours.",
    standard="RFC 1912 s2.2",
    after=("retry-not-below-refresh",),
)  # fmt: skip
def retry_out_of_range(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and not 120 <= soa.retry <= 7200:
        yield Occurrence(f"RETRY is {soa.retry} s")


@finding(
    "expire-not-above-refresh", Severity.ERROR, "Secondaries give up the zone before they look again",
    why="EXPIRE is not longer than REFRESH and RETRY together: with one missed check secondaries stop answering.",
    remedy="Set EXPIRE to two to four weeks.",
    standard="RFC 1912 s2.2",
)  # fmt: skip
def expire_not_above_refresh(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and soa.expire <= soa.refresh + soa.retry:
        yield Occurrence(f"REFRESH {soa.refresh} s, RETRY {soa.retry} s, EXPIRE {soa.expire} s")


@finding(
    "mailbox-malformed", Severity.NOTICE, "The SOA's mailbox cannot be a mail address",
    why="Who wants to warn you of a fault in the zone cannot write to you.",
    remedy="Write the address with a dot in place of @: hostmaster.example.test for hostmaster@example.test.",
    standard="RFC 1035 s3.3.13",
)  # fmt: skip
def mailbox_malformed(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and len(labels_of(soa.mailbox)) < 3 and not _has_at(soa):
        yield Occurrence(f"mailbox {name_text(soa.mailbox)}")


def _has_at(soa: SoaFields) -> bool:
    return any(b"@" in label for label in labels_of(soa.mailbox))


@finding(
    "mailbox-with-at",
    Severity.WARNING,
    "The SOA's mailbox is written with an at-sign",
    why=(
        "In a zone the at-sign is part of a name: nobody can read the address out of it, and a file that is "
        "copied with it may not load."
    ),
    remedy="Write a dot in place of the at-sign, and a backslash before each dot in front of it.",
    standard="RFC 1912 s2.2",
)
def mailbox_with_at(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and _has_at(soa):
        address = mail_address(soa.mailbox)
        yield Occurrence(f"{address}, to be written {mailbox_text(address)}")


@finding(
    "primary-unlisted", Severity.NOTICE, "The SOA's primary is not in the NS set",
    why="That is right for a hidden primary; otherwise dynamic updates and NOTIFY go to the wrong place.",
    remedy="If no hidden primary is meant, write the name of the first name server into the SOA.",
    standard="RFC 1035 s3.3.13",
)  # fmt: skip
def primary_unlisted(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and observation.own_ns and soa.primary not in observation.own_ns and soa.primary != ROOT:
        yield Occurrence(f"primary {name_text(soa.primary)}")


@finding(
    "primary-malformed", Severity.NOTICE, "The SOA names no real primary",
    why="Software that sends updates or NOTIFY to the primary has nobody to send them to.",
    remedy="Write the name of the server where the zone is edited.",
    standard="RFC 1035 s3.3.13",
)  # fmt: skip
def primary_malformed(observation: Observation) -> Iterator[Occurrence]:
    soa = observation.soa
    if soa and len(labels_of(soa.primary)) < 2:
        yield Occurrence(f"primary {name_text(soa.primary)}")
