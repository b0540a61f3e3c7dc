"""Child name servers: where each address stands."""

from legatum.core.observation.hosts import HostUsers, NamedHost
from legatum.core.records.name import Name, name_text
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, Screen


class HostPart(Part):
    """``glue_needed``: it lies below the domain; ``registry``: None without a host object, or where nobody was
    asked."""

    name: str
    glue_needed: bool
    zone: list[str]
    registry: list[str] | None
    glue: dict[str, list[str]]
    glue_ttl: int | None
    named_by: list[str]
    agrees: bool


class HostsDocument(Document, tag="legatum.hosts/1"):
    """The name servers of a domain. ``agreed``: zone, registry and glue say the same of each, and ``same_set``: parent
    and zone name the same ones; ``zone_reached``: the zone itself could be asked, by way of the parent."""

    domain: str
    agreed: bool
    same_set: bool
    zone_reached: bool
    hosts: list[HostPart]


class HostUserPart(Part):
    domain: str
    named_by: list[str]


class HostUsersDocument(Document, tag="legatum.leaning/1"):
    """Who uses a host, among ``looked`` domains. ``linked``: the registry says that somebody does, null where it was
    not asked."""

    host: str
    domains: list[HostUserPart]
    looked: int
    linked: bool | None


def hosts_document(domain: Name, views: list[NamedHost]) -> HostsDocument:
    parts = [
        HostPart(
            name=name_text(each.name),
            glue_needed=each.inside,
            zone=list(each.zone),
            registry=list(each.registry) if each.registry is not None else None,
            glue={server: list(found) for server, found in each.glue.items()},
            glue_ttl=each.glue_ttl,
            named_by=list(each.named_by),
            agrees=each.agrees,
        )
        for each in views
    ]
    reached = any("the zone" in part.named_by for part in parts)
    same = all(
        set(part.named_by) in ({"the parent", "the zone"} if reached else {"the parent"}, set()) for part in parts
    )
    return HostsDocument(
        domain=name_text(domain),
        agreed=same and reached and all(part.agrees for part in parts),
        same_set=same,
        zone_reached=reached,
        hosts=parts,
    )


def show_hosts(document: HostsDocument, screen: Screen) -> None:
    inside = [each.name for each in document.hosts if each.glue_needed]
    need = f"{', '.join(inside)} {'needs' if len(inside) == 1 else 'need'} glue" if inside else "none needs glue"
    if document.agreed:
        screen.verdict(
            True,
            f"{document.domain}: {len(document.hosts)} name servers, {need}; all places agree on their addresses",
            "",
        )
    elif not document.zone_reached:
        bare = [each.name for each in document.hosts if each.glue_needed and not any(each.glue.values())]
        if bare:
            text = f"{document.domain}: the parent names {', '.join(bare)} and gives no address: nobody gets there"
            following = f"put the addresses at the registry: `legatum hosts set {bare[0]} --address ADDRESS`"
        else:
            text, following = (
                f"{document.domain}: nobody answers for its NS set",
                f"`legatum survey {document.domain}` says why",
            )
        screen.verdict(False, text, following)
    elif not document.same_set:
        following = "bring both NS sets into step: `legatum hosts enlist HOST`"
        screen.verdict(False, f"{document.domain}: the parent and the zone do not name the same servers", following)
    else:
        wrong = ", ".join(each.name for each in document.hosts if not each.agrees)
        screen.verdict(
            False,
            f"{document.domain}: not all places agree on the addresses of {wrong}",
            "`legatum hosts set HOST --address ADDRESS` brings them into step",
        )
    screen.line()
    rows = []
    for each in document.hosts:
        found = {tuple(addresses) for addresses in each.glue.values()}
        glue = (
            "\n".join(next(iter(found)))
            if len(found) == 1
            else "\n".join(f"{server}: {', '.join(a)}" for server, a in each.glue.items())
        )
        ttl = f"\nTTL {each.glue_ttl}" if each.glue_ttl is not None else ""
        why = "below the domain" if each.glue_needed else "elsewhere"
        rows.append(
            (
                each.name,
                why,
                " and ".join(each.named_by) or "nobody",
                "\n".join(each.zone) or "-",
                "\n".join(each.registry or ["-"]),
                (glue or "-") + ttl,
            )
        )
    columns = ("name server", "lies", "named by", "addresses in its zone", "at the registry", "glue at the parent")
    screen.table(columns, rows, ["" if each.agrees and len(each.named_by) != 1 else BAD for each in document.hosts])


def host_users_document(host: Name, users: HostUsers) -> HostUsersDocument:
    parts = [HostUserPart(domain=name_text(domain), named_by=list(by)) for domain, by in users.domains.items()]
    return HostUsersDocument(host=name_text(host), domains=parts, looked=users.looked, linked=users.linked)


def show_host_users(document: HostUsersDocument, screen: Screen) -> None:
    count, unknown = len(document.domains), bool(document.linked) and not document.domains
    use = f"{count} domain{' uses' if count == 1 else 's use'} it" if count else "nobody here uses it"
    said = {True: "; the registry says that somebody does", False: "; the registry says that nobody does", None: ""}[
        document.linked
    ]
    following = "find out who: give more domains with --users FILE" if unknown else ""
    screen.verdict(not unknown, f"{document.host}: {use}, of {document.looked} domains looked at{said}", following)
    screen.line()
    if count:
        screen.table(("domain", "named by"), [(each.domain, " and ".join(each.named_by)) for each in document.domains])
