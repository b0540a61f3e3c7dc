"""The chain of trust: link by link, state first."""

from collections import Counter

from legatum.core.calendar.instant import instant_text, parse_instant, people_text
from legatum.core.dnssec.chain import Chain, Link, State
from legatum.core.dnssec.trust import ds_brief
from legatum.core.records.name import name_text
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, Screen

_SOON = 3 * 86400.0  # seconds within which signatures that run out are told


class ServedKeysPart(Part):
    """One server address. ``keys``: labels in its key set, ``sign_keys`` those that sign that set, ``sign_data`` those
    that sign the rest, by signatures that hold, ``since`` and ``until`` when; ``broken``: why what it gives does
    not."""

    server: str
    address: str
    answered: bool
    keys: list[str]
    sign_keys: list[str]
    sign_data: list[str]
    since: str | None
    until: str | None
    broken: str


class LinkPart(Part):
    """``ds``: address of the parent's servers → DS records, null where it did not answer; ``anchor``: of the settings;
    ``running_out``: that signatures run out soon, in words; ``aging``: what is published that no anchor stands for."""

    zone: str
    state: str
    ds: dict[str, list[str] | None]
    anchor: list[str]
    servers: list[ServedKeysPart]
    problems: list[str]
    to_do: list[str]
    disagreeing: list[str]
    running_out: str
    not_seen: list[str]
    aging: list[str] = []


class ChainDocument(Document, tag="legatum.chain/1"):
    """``state`` and ``why``: to those who validate by the anchors of the settings; ``links``: from the top down;
    ``left_out``: what was not asked, in words."""

    domain: str
    state: str
    why: str
    at: str
    links: list[LinkPart]
    left_out: str


def chain_document(chain: Chain, now: float) -> ChainDocument:
    return ChainDocument(
        domain=name_text(chain.domain),
        state=chain.state,
        why=chain.why,
        at=instant_text(now),
        links=[_part(each, now) for each in chain.links],
        left_out=chain.left_out,
    )


def _part(link: Link, now: float) -> LinkPart:
    broken = list(link.broken())
    servers = [
        ServedKeysPart(
            server=name_text(each.server), address=each.address, answered=each.answered,
            keys=list(each.given.keys.published) if each.given.keys else [],
            sign_keys=list(each.given.keys.entry) if each.given.keys else [],
            sign_data=list(each.given.keys.zone) if each.given.keys else [],
            since=instant_text(each.given.begun) if each.given.begun is not None else None,
            until=instant_text(each.given.until) if each.given.until is not None else None, broken=each.given.broken,
        )
        for each in link.servers
    ]  # fmt: skip
    return LinkPart(
        zone=name_text(link.zone) if len(link.zone) > 1 else ".", state=link.state,
        ds={address: list(each.records) if each is not None else None for address, each in link.ds.items()},
        anchor=list(link.anchor.records), servers=servers, problems=[problem for problem, _ in broken],
        to_do=list(dict.fromkeys(remedy for _, remedy in broken)), disagreeing=list(link.disagreeing()),
        running_out=link.running_out(now, _SOON),
        not_seen=list(link.unseen()),
        aging=list(link.aging()),
    )  # fmt: skip


def show_chain(document: ChainDocument, now: float, screen: Screen) -> None:
    own = document.links[-1]
    first = next((each.to_do[0] for each in document.links if each.to_do), "")
    following = {
        State.BROKEN: first,
        State.UNCONNECTED: f"connect it: `legatum ds submit {document.domain}`"
        if own.state == State.UNCONNECTED
        else "",
        State.UNSIGNED: "nothing to do, unless it shall be signed",
        State.UNKNOWN: "look again: the same command",
    }.get(State(document.state), "")
    screen.verdict(
        document.state in (State.VALID, State.UNSIGNED),
        f"{document.domain}: {document.state}: {document.why}",
        following,
    )
    show_links(document, now, screen)
    if document.left_out:
        screen.line()
        screen.line(f"Not asked: {document.left_out}.")


def show_links(document: ChainDocument, now: float, screen: Screen) -> None:
    for link in document.links:
        _show_link(link, now, screen)


def _show_link(link: LinkPart, now: float, screen: Screen) -> None:
    good = link.state in (State.VALID, State.UNSIGNED, State.UNCONNECTED)
    screen.heading(f"{link.zone}: {link.state}")
    sets = Counter(tuple(each) for each in link.ds.values() if each is not None)
    trusted = [*(f"the settings trust {ds_brief(each)}" for each in link.anchor)]
    trusted += [
        f"{count} addresses of the parent's servers: {'; '.join(ds_brief(each) for each in some) or 'no DS'}"
        for some, count in sorted(sets.items())
    ]
    for each in trusted:
        screen.line(each)
    rows = [
        (
            each.server,
            each.address,
            ", ".join(each.keys) or ("unsigned" if each.answered else "no answer"),
            ", ".join(each.sign_keys),
            ", ".join(each.sign_data),
            people_text(parse_instant(each.until), now) if each.until else "",
        )
        for each in link.servers
    ]
    if any(each.keys for each in link.servers):
        styles = [BAD if each.broken or not each.answered else "" for each in link.servers]
        screen.table(("server", "address", "keys", "sign the keys", "sign the rest", "signatures until"), rows, styles)
    for problem in link.problems:
        screen.line(problem, BAD)
    for each in link.to_do:
        screen.line(f"do: {each}", indent=2)
    for each in [
        *filter(None, (link.running_out,)),
        *link.disagreeing,
        *link.aging,
        *(f"no answer: {one}" for one in link.not_seen),
    ]:
        screen.line(each, BAD if not good else "")
