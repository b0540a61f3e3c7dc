"""The parent's DS beside the child's keys."""

from collections.abc import Iterator

from legatum.core.dnssec.chain import unsigned_remedy
from legatum.core.dnssec.key import Dnskey, Ds, digest_of, ds_set_text, fits, parse_ds, parse_key
from legatum.core.dnssec.policy import algorithm, digest_type
from legatum.core.dnssec.slip import ds_slip
from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation
from legatum.core.observation.own_link import ds_of, keys_of, secured, usable
from legatum.core.records.name import name_text
from legatum.core.records.rrtype import DNSKEY


def _any_fits(observation: Observation) -> bool:
    return any(
        fits(observation.domain, ds, key) for ds in ds_of(observation) if usable(ds) for key in keys_of(observation)
    )


def _named_keys(observation: Observation, ds: Ds) -> list[Dnskey]:
    parsed = [key for rdata in keys_of(observation) if (key := parse_key(rdata))]
    return [key for key in parsed if (key.tag, key.algorithm) == (ds.tag, ds.algorithm)]


def concerned(observation: Observation) -> bool:
    return observation.shows_dnssec


@finding(
    "ds-but-unsigned",
    Severity.ERROR,
    "The parent says that the domain is signed, but it is not",
    why=(
        "Everybody behind a validating resolver gets nothing: web, mail and all. A DS left behind after a "
        "move does just this."
    ),
    remedy=f"At once: {unsigned_remedy('DOMAIN')}.",
    standard="RFC 4035 s5.2",
)
def ds_but_unsigned(observation: Observation) -> Iterator[Occurrence]:
    asked = [view for view in observation.serving if view.keys_asked and DNSKEY not in view.unanswered]
    if secured(observation) and asked and not any(view.keys for view in asked):
        replies = tuple(view.reply for view in observation.parents if view.ds)
        still = (
            f"; {', '.join(observation.still_signed)} still serves it signed with such a key"
            if observation.still_signed
            else ""
        )
        yield Occurrence(
            f"{'; '.join(each.text for each in ds_of(observation))}; no server has a DNSKEY{still}", replies
        )


@finding(
    "ds-without-key", Severity.ERROR, "No key of the zone fits the parent's DS",
    why="The chain of trust is cut: everybody behind a validating resolver gets nothing.",
    remedy="Compare key tag and algorithm with what the provider shows, and publish the DS of the key in use.",
    standard="RFC 4035 s5.2",
    after=("serials-differ",),
)  # fmt: skip
def ds_without_key(observation: Observation) -> Iterator[Occurrence]:
    if not observation.signed or not secured(observation) or _any_fits(observation):
        return
    tags = ", ".join(key.text for rdata in keys_of(observation) if (key := parse_key(rdata)))
    for ds in ds_of(observation):
        if usable(ds) and not _named_keys(observation, ds):
            slip = next(
                (
                    f" ({said})"
                    for each in observation.ds
                    if parse_ds(each) == ds and (said := _slip(observation, each))
                ),
                "",
            )
            yield Occurrence(f"{ds.text}; the zone has {tags}{slip}")


@finding(
    "ds-digest-wrong",
    Severity.ERROR,
    "The digest of the parent's DS does not fit the key that it names",
    why=(
        "The chain of trust is cut: everybody behind a validating resolver gets nothing. Often a digit was "
        "lost in copying."
    ),
    remedy=(
        "Copy the digest anew from the provider, whole and without spaces; compare key tag, algorithm and "
        "digest type too."
    ),
    standard="RFC 4034 s5.1.4",
)
def ds_digest_wrong(observation: Observation) -> Iterator[Occurrence]:
    if _any_fits(observation):
        return
    for ds in ds_of(observation):
        if usable(ds) and _named_keys(observation, ds):
            right = next(
                (
                    digest_of(observation.domain, rdata, ds.digest_type)
                    for rdata in keys_of(observation)
                    if _is(rdata, ds)
                ),
                None,
            )
            short = f", {len(right) - len(ds.digest)} octets missing" if right and len(right) > len(ds.digest) else ""
            yield Occurrence(f"{ds.text}; it should be {right.hex() if right else 'another'}{short}")


def _slip(observation: Observation, rdata: bytes) -> str:
    return ds_slip(observation.domain, rdata, keys_of(observation))


def _is(rdata: bytes, ds: Ds) -> bool:
    key = parse_key(rdata)
    return key is not None and (key.tag, key.algorithm) == (ds.tag, ds.algorithm)


@finding(
    "ds-left-over", Severity.NOTICE, "A DS at the parent fits no key, while another does",
    why="It does no harm as long as the other one holds; during a key exchange it is meant.",
    remedy="Take it out at the registrar when no key exchange is under way.",
    standard="RFC 6781 s4.1.2",
)  # fmt: skip
def ds_left_over(observation: Observation) -> Iterator[Occurrence]:
    if _any_fits(observation):
        for ds in ds_of(observation):
            if not any(fits(observation.domain, ds, key) for key in keys_of(observation)):
                yield Occurrence(ds.text)


@finding(
    "ds-unknown", Severity.WARNING, "A DS is of an algorithm or digest type that resolvers do not know",
    why="Resolvers pass it over; where it is the only one they take the domain as unsigned.",
    remedy="Publish a DS with digest type 2 (SHA-256) of a key of algorithm 8, 13 or 15.",
    standard="RFC 8624 s3",
)  # fmt: skip
def ds_unknown(observation: Observation) -> Iterator[Occurrence]:
    for ds in ds_of(observation):
        if not usable(ds):
            named, digest = algorithm(ds.algorithm).name, digest_type(ds.digest_type).name
            yield Occurrence(f"{ds.text}: algorithm {named}, digest {digest}")


@finding(
    "ds-digest-weak", Severity.WARNING, "The DS has a SHA-1 digest only",
    why="SHA-1 is broken; resolvers are beginning to pass such a DS over, which leaves the domain unprotected.",
    remedy="Publish a DS with digest type 2 (SHA-256) for the same key.",
    standard="RFC 8624 s3.3",
)  # fmt: skip
def ds_digest_weak(observation: Observation) -> Iterator[Occurrence]:
    known = [each for each in ds_of(observation) if usable(each)]
    if known and all(digest_type(each.digest_type).weak for each in known):
        yield Occurrence("; ".join(each.text for each in known))


@finding(
    "key-algorithm-weak",
    Severity.WARNING,
    "The zone is signed with a weak algorithm",
    why=(
        "SHA-1 signatures can be forged with effort; some systems no longer accept them and take the domain "
        "as unsigned or bogus."
    ),
    remedy="Exchange the algorithm for 13 (ECDSA P-256), in the order that RFC 6781 s4.1.4 gives.",
    standard="RFC 8624 s3.1",
)
def key_algorithm_weak(observation: Observation) -> Iterator[Occurrence]:
    for rdata in keys_of(observation):
        key = parse_key(rdata)
        if key and algorithm(key.algorithm).weak:
            yield Occurrence(key.text)


@finding(
    "key-short", Severity.NOTICE, "A key is short",
    why="RSA keys under 2048 bits can be broken by those with much time and money.",
    remedy="Exchange it for a longer one, or better for algorithm 13 (ECDSA P-256).",
    standard="RFC 6781 s3.4.2",
)  # fmt: skip
def key_short(observation: Observation) -> Iterator[Occurrence]:
    for rdata in keys_of(observation):
        key = parse_key(rdata)
        if key and key.bits is not None and key.bits < 2048:
            yield Occurrence(f"{key.text}: {key.bits} bits")


@finding(
    "ds-parents-differ", Severity.WARNING, "The servers of the parent zone hand out different DS sets",
    why="A change of the DS is on its way; until the last server has it, resolvers hold either set.",
    remedy="Wait and look again; take no key away before all servers agree and the DS TTL has passed.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def ds_parents_differ(observation: Observation) -> Iterator[Occurrence]:
    given: dict[tuple[bytes, ...], list[int]] = {}
    for view in observation.parents:
        if view.ns:
            given.setdefault(view.ds.rdatas if view.ds else (), []).append(view.reply)
    if len(given) > 1:
        for rdatas, replies in given.items():
            texts = ds_set_text(rdatas)
            yield Occurrence(f"{len(replies)} server addresses hand out: {texts}", tuple(replies))


@finding(
    "ds-absence-unproven",
    Severity.ERROR,
    "The parent does not prove that the domain has no DS",
    why="The parent zone is signed: without a proof a validating resolver must take the unsigned answers as forged.",
    remedy=(
        "That is a fault of the parent's servers; tell the registry. Until then validating resolvers may "
        "reject the domain."
    ),
    standard="RFC 4035 s3.1.4.1",
)
def ds_absence_unproven(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.parents:
        if view.ds_absent is False:
            yield Occurrence(f"{name_text(view.server)} ({view.address})", (view.reply,), view.address)


@finding(
    "signed-without-ds", Severity.NOTICE, "The zone is signed, but the parent has no DS",
    why="The signatures protect nobody: without a DS no resolver looks at them.",
    remedy="Publish the DS at the registrar once the signed zone has been everywhere for its longest TTL.",
    standard="RFC 4035 s5.2",
    after=("island-broken",),
)  # fmt: skip
def signed_without_ds(observation: Observation) -> Iterator[Occurrence]:
    if observation.signed and observation.delegation and not observation.ds:
        yield Occurrence(
            "; ".join(key.text for rdata in keys_of(observation) if (key := parse_key(rdata)) and key.flags & 1)
            or "keys, no DS"
        )


@finding(
    "ds-change-announced",
    Severity.NOTICE,
    "The zone asks its parent for another DS",
    why=(
        "CDS or CDNSKEY differ from the DS at the parent: a key exchange is under way, or the parent does "
        "not read them."
    ),
    remedy="If the registry does not take CDS up by itself, publish the DS at the registrar.",
    standard="RFC 7344 s4.1",
)
def ds_change_announced(observation: Observation) -> Iterator[Occurrence]:
    wanted = sorted({rdata for view in observation.serving if view.cds for rdata in view.cds.rdatas})
    removal = [rdata for rdata in wanted if rdata[2:3] == b"\0"]
    if removal and observation.ds:
        yield Occurrence("the zone asks for the DS to be taken out")
    elif wanted and not removal and observation.ds and tuple(wanted) != observation.ds:
        texts = "; ".join(ds.text.replace("DS", "CDS", 1) for rdata in wanted if (ds := parse_ds(rdata)))
        yield Occurrence(f"asked for: {texts}; at the parent: {'; '.join(each.text for each in ds_of(observation))}")
