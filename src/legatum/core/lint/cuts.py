"""Sub-delegations: names of the zone that are handed on to other name servers."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.lint.contents import ZoneContents
from legatum.core.records.name import ancestors, is_under, name_text
from legatum.core.records.rrtype import AAAA, DNAME, DS, NS, A
from legatum.core.zones.signer import PROOFS


@finding(
    "cut-glue-missing", Severity.ERROR, "A sub-delegation's name server lies inside it and has no address here",
    why="To reach that server a resolver must already have reached it: the sub-domain cannot be found.",
    remedy="Add A and AAAA records of that name server to this zone.",
    standard="RFC 1034 s4.2.1",
)  # fmt: skip
def cut_glue_missing(contents: ZoneContents) -> Iterator[Occurrence]:
    for target in contents.targets(NS):
        if (
            target.owner in contents.cuts
            and is_under(target.name, target.owner)
            and target.name not in contents.addressed
        ):
            yield Occurrence(f"{name_text(target.owner)} NS {name_text(target.name)}", (), name_text(target.owner))


@finding(
    "data-under-cut", Severity.WARNING, "Records lie under a sub-delegation and are never seen",
    why="Everybody is sent to the other name servers for these names; what stands here looks alive and is not.",
    remedy="Move the records to the sub-domain's own zone, then take them out here.",
    standard="RFC 2181 s6.1",
)  # fmt: skip
def data_under_cut(contents: ZoneContents) -> Iterator[Occurrence]:
    if contents.cuts:
        servers = {target.name for target in contents.targets(NS)}
        for rrset in contents.zone.unsorted:
            cut = contents.cut_of(rrset.name)
            if cut is None or rrset.rtype in PROOFS or (cut == rrset.name and rrset.rtype in (NS, DS)):
                continue
            if rrset.rtype not in (A, AAAA) or rrset.name not in servers:
                yield Occurrence(
                    f"{name_text(rrset.name)} {rrset.type_text} under {name_text(cut)}", (), name_text(rrset.name)
                )


@finding(
    "data-under-dname", Severity.ERROR, "Records lie under a name that is led elsewhere with all below it",
    why="A DNAME answers for every name under its own. Servers refuse a zone with more there, or never show it.",
    remedy="Take out the DNAME, or the records under it.",
    standard="RFC 6672 s2.4",
)  # fmt: skip
def data_under_dname(contents: ZoneContents) -> Iterator[Occurrence]:
    led = {rrset.name for rrset in contents.of(DNAME)}
    for rrset in contents.zone.unsorted if led else ():
        above = next((each for each in ancestors(rrset.name)[1:] if each in led), None)
        if above is not None and rrset.rtype not in PROOFS:
            yield Occurrence(
                f"{name_text(rrset.name)} {rrset.type_text} under {name_text(above)}", (), name_text(rrset.name)
            )


@finding(
    "cut-single-server", Severity.NOTICE, "A sub-delegation has only one name server",
    why="When it is away, the whole sub-domain is.",
    remedy="Name a second one, in another network.",
    standard="RFC 2182 s5",
)  # fmt: skip
def cut_single_server(contents: ZoneContents) -> Iterator[Occurrence]:
    for rrset in contents.of(NS):
        if rrset.name in contents.cuts and len(rrset.rdatas) == 1:
            yield Occurrence(name_text(rrset.name), (), name_text(rrset.name))


@finding(
    "ds-without-cut", Severity.ERROR, "A DS record stands where nothing is delegated",
    why="It belongs beside the NS set of a sub-delegation; here it does nothing, and the sub-domain is not protected.",
    remedy="Add the NS set, or take the DS record out.",
    standard="RFC 4034 s5",
)  # fmt: skip
def ds_without_cut(contents: ZoneContents) -> Iterator[Occurrence]:
    for rrset in contents.of(DS):
        if rrset.name not in contents.cuts:
            yield Occurrence(name_text(rrset.name), (), name_text(rrset.name))
