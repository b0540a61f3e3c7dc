"""The registrar's side of a domain."""

from collections.abc import Sequence

from legatum.core.observation.observation import RegistrationView
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrtype import DS
from legatum.services.registrar import Availability, QueuedMessage, Registration
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, QUIET, Screen
from legatum.work.fleet.ns_sets import Candidate
from legatum.work.registry.registration import Sides


class HeldPart(Part):
    """One source. ``agrees``: its NS set is the one that the parent's servers hand out; None where it says nothing
    about it. ``ds``: DS records, null where it says nothing about them; ``grace``: periods that run (RFC 3915)."""

    source: str
    registrar: str
    nameservers: list[str]
    statuses: list[str]
    expires: str
    agrees: bool | None
    created: str = ""
    transferred: str = ""
    hosts: list[str] = []
    ds: list[str] | None = None
    grace: list[str] = []
    transfer: str = ""


class RegistrationDocument(Document, tag="legatum.registration/1"):
    """What the registry holds beside what is published. ``agreed``: nobody says anything else; ``why``: why RDAP says
    nothing."""

    domain: str
    agreed: bool
    held: list[HeldPart]
    why: str


class ManyPart(Part):
    """One domain of many. ``state``: ``ready``, ``unchanged``, ``refused``, ``failed`` or ``changed``."""

    domain: str
    old: list[str]
    state: str
    why: str
    remedy: str


class ManyDocument(Document, tag="legatum.nameservers-of-many/1"):
    """The same NS set for many domains. ``state``: ``shown``, ``declined`` or ``done``."""

    state: str
    registrar: str
    new: list[str]
    domains: list[ManyPart]


class QueuePart(Part):
    """One message; ``taken``: it is off the queue."""

    ident: str
    date: str
    text: str
    taken: bool


class QueueDocument(Document, tag="legatum.queue/1"):
    """Messages of the registry for a registrar; ``left``: how many wait behind the last one here."""

    registrar: str
    messages: list[QueuePart]
    left: int


class ContactDocument(Document, tag="legatum.contact/1"):
    """A contact at a registry. ``state``: ``there``, ``missing``, ``shown``, ``declined`` or ``made``."""

    registrar: str
    ident: str
    state: str
    name: str = ""
    city: str = ""
    country: str = ""
    email: str = ""
    said: str = ""


class AvailabilityPart(Part):
    domain: str
    free: bool
    reason: str


class AvailabilityDocument(Document, tag="legatum.availability/1"):
    """Which domains could be registered."""

    registrar: str
    domains: list[AvailabilityPart]


class PasswordDocument(Document, tag="legatum.password/1"):
    """``state``: ``shown``, ``declined`` or ``changed``."""

    registrar: str
    state: str


class RegistrationChangeDocument(Document, tag="legatum.registration-change/1"):
    """``state``: ``unchanged``, ``shown``, ``declined``, ``changed``, ``worksheet`` or ``published``; ``since``: when
    it was seen at every server of the parent zone; ``file``: where the worksheet is, and ``sheet`` what stands in
    it."""

    domain: str
    registrar: str
    action: str
    state: str
    old: list[str]
    new: list[str]
    said: str = ""
    since: str | None = None
    file: str | None = None
    sheet: str = ""


class ChangePart(Part):
    """One domain of many. ``state``: ``unchanged``, ``ready``, ``changed`` or ``failed``; ``why``: what was said, or
    why not."""

    domain: str
    state: str
    old: list[str]
    new: list[str]
    why: str = ""
    remedy: str = ""


class ChangesDocument(Document, tag="legatum.registration-changes/1"):
    """The same change of many registrations. ``state``: ``shown``, ``declined`` or ``done``."""

    state: str
    registrar: str
    action: str
    domains: list[ChangePart]


def registration_document(sides: Sides) -> RegistrationDocument:
    sets = [each for each in sides.published.values() if each is not None]
    common = sets[0] if sets and all(each == sets[0] for each in sets) else None
    held = []
    if sides.account is not None:
        found = sides.account
        part = _held("the registrar's account", found, common, found.ds)
        part.transferred, part.hosts, part.grace = (
            found.transferred,
            [name_text(host) for host in found.hosts],
            list(found.grace),
        )
        part.transfer = sides.transfer
        held.append(part)
    if sides.rdap is not None:
        part = _held("RDAP", sides.rdap, common, sides.rdap.ds)
        part.transferred = sides.rdap.transferred
        held.append(part)
    for address, handed in sides.published.items():
        agrees = handed == common if handed is not None and common is not None else None
        ds = sides.published_ds.get(address)
        held.append(
            HeldPart(
                source=f"the parent's server {address}",
                registrar="",
                nameservers=[name_text(name) for name in handed or ()],
                statuses=[] if handed is not None else ["no answer"],
                expires="",
                agrees=agrees,
                ds=_ds(ds),
            )
        )
    agreed = common is not None and all(each.agrees is not False for each in held) and not _ds_differ(held)
    return RegistrationDocument(domain=name_text(sides.domain), agreed=agreed, held=held, why=sides.why)


def _held(
    source: str, found: Registration | RegistrationView, common: tuple[Name, ...] | None, ds: tuple[bytes, ...] | None
) -> HeldPart:
    names = tuple(sorted(found.nameservers))
    return HeldPart(
        source=source,
        registrar=found.registrar,
        nameservers=[name_text(name) for name in names],
        statuses=list(found.statuses),
        expires=found.expires,
        agrees=names == common if names else None,
        created=found.created,
        ds=_ds(ds),
    )


def _ds(found: tuple[bytes, ...] | None) -> list[str] | None:
    return None if found is None else [rdata_text(DS, rdata) for rdata in sorted(found)]


def _ds_differ(held: Sequence[HeldPart]) -> bool:
    said = [sorted(each.ds) for each in held if each.ds is not None]
    return any(each != said[0] for each in said)


def show_registration(document: RegistrationDocument, screen: Screen) -> None:
    sources = len(document.held)
    signed = any(each.ds for each in document.held)
    if document.agreed:
        screen.verdict(
            True,
            f"{document.domain}: {sources} places name the same name servers{' and DS records' if signed else ''}",
            "",
        )
    else:
        following = (
            "a change on its way is published after a while; else set it right: `legatum registration "
            "nameservers DOMAIN --to PROVIDER`"
        )
        wrong = "DS records" if _ds_differ(document.held) else "name servers"
        screen.verdict(False, f"{document.domain}: not everybody names the same {wrong}", following)
    screen.line()
    rows = []
    for each in document.held:
        ds = "-" if each.ds is None else "\n".join(" ".join(one.split()[:3]) for one in each.ds) or "none"
        since = [f"registered {each.created[:10]}"] if each.created else []
        since += [f"transferred {each.transferred[:10]}"] if each.transferred else []
        since += [f"expires {each.expires[:10]}"] if each.expires else []
        says = "\n".join([*each.statuses, *each.grace]) or "-"
        rows.append(
            (each.source, each.registrar or "-", "\n".join(each.nameservers) or "-", ds, says, "\n".join(since) or "-")
        )
    styles = [BAD if each.agrees is False else "" for each in document.held]
    screen.table(("who says so", "registrar", "name servers", "DS", "statuses", "dates"), rows, styles)
    for each in document.held:
        if each.hosts:
            screen.line(f"hosts below it: {', '.join(each.hosts)}", QUIET)
        if each.transfer:
            screen.line(f"latest transfer: {each.transfer}", QUIET)
        for period in each.grace:
            screen.line(f"{period}: {_GRACE.get(period, 'a period of the registry')}", QUIET, indent=4)
    if document.why:
        screen.line(f"RDAP: {document.why}", QUIET)


_GRACE = {
    "addPeriod": "registered lately; deleted now, it is gone at once",
    "autoRenewPeriod": "renewed by itself lately; deleted or transferred now, the year is given back",
    "renewPeriod": "renewed lately; deleted now, the year is given back",
    "transferPeriod": "transferred lately; deleted now, the year is given back",
    "redemptionPeriod": (
        "deleted, out of the zone; it can be had back: `legatum registration restore DOMAIN --reason TEXT`"
    ),
    "pendingRestore": "had back, the report is still to come: `legatum registration restore DOMAIN --reason TEXT`",
    "pendingDelete": "deleted; nobody can have it back",
}  # what each grace period means (RFC 3915 s3.1)


def show_change(document: RegistrationChangeDocument, screen: Screen) -> None:
    what = f"{document.domain} at {document.registrar}"
    new = ", ".join(document.new) or "nothing"
    match document.state:
        case "changed":
            followed = document.action == "nameservers"
            following = (
                f"`legatum watch {document.domain} --ns NAME,NAME` follows it until everybody has it"
                if followed
                else ""
            )
            screen.verdict(True, f"{what}: {document.said}; now {new}", following)
        case "published":
            screen.verdict(True, f"{what}: seen at every server of the parent zone since {document.since}: {new}", "")
        case "worksheet":
            again = (
                "then the same command with --wait"
                if document.action == "nameservers"
                else "then the same command: it looks"
            )
            screen.verdict(True, f"{what}: to be changed by hand, {document.file} says how", again)
            screen.line()
            screen.line(document.sheet)
        case "unchanged":
            screen.verdict(
                True, f"{what}: it is like this already: {new}{f': {document.said}' if document.said else ''}", ""
            )
        case "shown":
            screen.untouched(f"{what}: {', '.join(document.old) or 'nothing'} → {new}")
        case _:
            screen.declined(what)


def many_document(state: str, registrar: str, wanted: Sequence[Name], candidates: Sequence[Candidate]) -> ManyDocument:
    parts = [
        ManyPart(
            domain=name_text(each.domain),
            old=[name_text(name) for name in each.old],
            state=each.state,
            why=each.why,
            remedy=each.remedy,
        )
        for each in candidates
    ]
    return ManyDocument(state=state, registrar=registrar, new=[name_text(name) for name in wanted], domains=parts)


def show_many(document: ManyDocument, screen: Screen) -> None:
    _show_many(document, screen, "name servers before")


def show_changes(document: ChangesDocument, screen: Screen) -> None:
    _show_many(document, screen, "before")


def _show_many(document: ManyDocument | ChangesDocument, screen: Screen, before: str) -> None:
    """Counts first, then what did not go well; what did is a line for each only where there are few."""
    parts: Sequence[ManyPart | ChangePart] = document.domains
    counts = {
        state: sum(each.state == state for each in parts)
        for state in ("changed", "ready", "unchanged", "refused", "failed")
    }
    words = ", ".join(f"{count} {state}" for state, count in counts.items() if count)
    bad = [each for each in parts if each.state in ("refused", "failed")]
    following = (
        "mend these, then the same command again: "
        f"{', '.join(each.domain for each in bad[:3])}{' …' if len(bad) > 3 else ''}"
        if bad
        else ""
    )
    screen.ended(document.state, not bad, f"{len(parts)} domains at {document.registrar}: {words}", following)
    screen.line()
    shown = parts if len(parts) <= 12 else bad
    rows = [(each.domain, ", ".join(each.old) or "-", each.state, each.why or "-") for each in shown]
    if rows:
        screen.table(("domain", before, "", "why"), rows, [BAD if each in bad else "" for each in shown])


def queue_document(registrar: str, messages: Sequence[QueuedMessage]) -> QueueDocument:
    parts = [QueuePart(ident=each.ident, date=each.date, text=each.text, taken=each.taken) for each in messages]
    return QueueDocument(registrar=registrar, messages=parts, left=messages[-1].left if messages else 0)


def show_queue(document: QueueDocument, screen: Screen) -> None:
    waiting = document.left + sum(not each.taken for each in document.messages)
    taken = sum(each.taken for each in document.messages)
    said = f"{document.registrar}: {waiting} message{'' if waiting == 1 else 's'} waiting" + (
        f", {taken} read and taken off" if taken else ""
    )
    screen.verdict(
        True,
        said,
        "`legatum registration queue --registrar NAME --take` reads them all and takes them off the queue"
        if waiting
        else "",
    )
    screen.line()
    rows = [(each.ident, each.date, each.text, "taken off" if each.taken else "waiting") for each in document.messages]
    if rows:
        screen.table(("number", "from", "what it says", ""), rows)


def show_contact(document: ContactDocument, screen: Screen) -> None:
    words = {
        "there": "it is there", "missing": "there is no such contact", "made": f"made; {document.said}",
    }  # fmt: skip
    what = f"{document.ident} at {document.registrar}"
    if document.state == "shown":
        screen.untouched(f"{what}: it would be made")
    elif document.state == "declined":
        screen.declined(what)
    else:
        following = "make it: --name, --city, --country, --email" if document.state == "missing" else ""
        screen.verdict(document.state != "missing", f"{what}: {words[document.state]}", following)
    if document.name:
        screen.line(f"{document.name}, {document.city} {document.country}, {document.email}")


def show_password(document: PasswordDocument, screen: Screen) -> None:
    following = "have `password` in the settings point to the new one"
    screen.ended(
        document.state, True, f"{document.registrar}: another password for the account at the registry", following
    )


def availability_document(registrar: str, found: Sequence[Availability]) -> AvailabilityDocument:
    return AvailabilityDocument(
        registrar=registrar,
        domains=[AvailabilityPart(domain=each.domain, free=each.free, reason=each.reason) for each in found],
    )


def show_availability(document: AvailabilityDocument, screen: Screen) -> None:
    free = sum(each.free for each in document.domains)
    screen.verdict(True, f"{free} of {len(document.domains)} could be registered", "")
    screen.line()
    screen.table(
        ("domain", "", "why not"),
        [(each.domain, "free" if each.free else "taken", each.reason or "-") for each in document.domains],
    )
