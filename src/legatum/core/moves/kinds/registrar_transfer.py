"""Moving a registration from one registrar to another, its DNS untouched (docs/timing.md, rule 13).

What the registry holds must come out the same: NS set, DS records, hosts. Nothing that needs the losing registrar may
be pending, and where it also runs the DNS or the hosts these have gone first. The lock is lifted, the transfer is asked
for with the authorisation code, followed until the losing registrar lets go or five days have passed, and looked at
afterwards; then the domain is locked again and gets a code that nobody knows. The way back lasts as long as the
transfer is pending.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from legatum.core.calendar.instant import instant_text, parse_instant
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import CodeChanged, Fit, Followed, Kept, RegistrantChanged, Settled, Statuses, Transfer
from legatum.core.moves.place import Registered
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, is_under, name_text

FIT, UNLOCK, REQUEST, APPROVE, FOLLOW = "fit", "unlock", "request", "approve", "follow"
KEPT, REGISTRANT, CODE, LOCK, SETTLED = "kept", "registrant", "code", "lock", "settled"
TRANSFER_LOCK, UPDATE_LOCK = "clientTransferProhibited", "clientUpdateProhibited"
DAY = 86400
BY_ITSELF = 5 * DAY
"""How long a transfer commonly takes when nobody acts."""
QUIET_DAYS = 60
_EXPIRY_DAYS = 15


@dataclass(frozen=True)
class RegisteredDomain:
    """What is registered, as it was seen. ``ds``: rdata; ``hosts``: those below the domain, with addresses. Dates in
    RFC 3339."""

    domain: Name
    at: float
    registrar: str
    nameservers: tuple[Name, ...]
    ds: tuple[bytes, ...]
    hosts: Mapping[Name, tuple[str, ...]]
    statuses: tuple[str, ...]
    expires: str
    created: str = ""
    transferred: str = ""
    grace: tuple[str, ...] = ()


@dataclass(frozen=True)
class Account:
    """One of the two registrars. ``servers``, ``addresses``: of DNS services that stop when a domain leaves it;
    ``takes_ds``: DS records can be put in through it."""

    name: str
    by_hand: bool
    servers: tuple[Name, ...] = ()
    addresses: tuple[str, ...] = ()
    takes_ds: bool = True


@dataclass(frozen=True)
class Terms:
    """``code``: where the authorisation code is, as a reference; ``approve``: at the losing account, instead of
    waiting; ``years``: added by the transfer; ``registrant``: the contact to put in afterwards, if any."""

    losing: Account
    gaining: Account
    code: str
    approve: bool
    years: int
    registrant: str


@dataclass(frozen=True)
class Obstacle:
    """Why a domain cannot be transferred now, and what to do about it."""

    reason: str
    remedy: str


def obstacles(held: RegisteredDomain, losing: Account, now: float, pending: bool = False) -> list[Obstacle]:
    """What stands in the way of a transfer; ``pending``: it has been asked for already, so that the registry says
    so."""
    return [*_by_status(held, pending), *_by_date(held, now), *_by_dns(held, losing)]


def _by_status(held: RegisteredDomain, pending: bool) -> Iterator[Obstacle]:
    for status in (*held.statuses, *held.grace):
        if status.startswith("pending") and not (pending and status == "pendingTransfer"):
            yield Obstacle(f"the registry says {status}", "wait until that is over, or have it cancelled")
        elif status == "serverTransferProhibited":
            yield Obstacle(
                "the registry itself forbids the transfer", f"ask {held.registrar} why, and to have it lifted"
            )
        elif status == "redemptionPeriod":
            yield Obstacle(
                "the domain is deleted and in its redemption period",
                f"have it restored first: `legatum registration restore {name_text(held.domain)} --reason TEXT`",
            )


def _by_date(held: RegisteredDomain, now: float) -> Iterator[Obstacle]:
    for what, date in (("registered", held.created), ("transferred", held.transferred)):
        if date and (until := parse_instant(date) + QUIET_DAYS * DAY) > now:
            reason = f"it was {what} on {date[:10]}; {QUIET_DAYS} days must pass"
            yield Obstacle(reason, f"not before {instant_text(until)}")
    if held.expires and parse_instant(held.expires) < now + _EXPIRY_DAYS * DAY:
        reason = f"it expires on {held.expires[:10]}, and a transfer can take {BY_ITSELF // DAY} days"
        yield Obstacle(reason, f"renew it first: `legatum registration renew {name_text(held.domain)}`")


def _by_dns(held: RegisteredDomain, losing: Account) -> Iterator[Obstacle]:
    """Rule 13: where the losing registrar also answers for the zone, rule 4 must have passed before the request."""
    if leaving := sorted(set(held.nameservers) & set(losing.servers)):
        reason = f"{name_text(leaving[0])} is run by {losing.name}, and may stop when the domain leaves it"
        yield Obstacle(
            reason,
            "move the DNS first, and let the old provider's hold pass: `legatum move draft DOMAIN --to PROVIDER`",
        )
    for host, addresses in held.hosts.items():
        if gone := sorted(set(addresses) & set(losing.addresses)):
            reason = (
                f"the host {name_text(host)} has {gone[0]}, which {losing.name} runs, and which may stop "
                "when the domain leaves it"
            )
            yield Obstacle(
                reason,
                "give it an address of your own first: `legatum hosts renumber HOST --replace OLD=NEW`",
            )


def transfer_pieces(held: RegisteredDomain, wish: Terms) -> Iterator[PlannedStep]:
    """Steps ``fit`` to ``settled``: after everything that needs the losing registrar."""
    for step in _steps(held, wish):
        yield PlannedStep(Phase.REGISTRAR, step)


def registered_of(held: RegisteredDomain) -> Registered:
    """What must come out the same."""
    return Registered(
        held.registrar,
        tuple(sorted(held.nameservers)),
        tuple(each.hex() for each in held.ds),
        dict(held.hosts),
        held.statuses,
        held.expires,
    )


def _steps(held: RegisteredDomain, wish: Terms) -> Iterator[Step]:
    losing, gaining, domain, known = wish.losing, wish.gaining, held.domain, held.registrar
    one, other = losing.name, gaining.name
    yield Step(
        FIT,
        "Check that the domain is fit for a transfer",
        (Fit(one, other, domain),),
        (
            "no status forbids it",
            f"{QUIET_DAYS} days since registration and the last transfer",
            "expiry far enough ahead",
            "nothing else is pending",
            f"{losing.name} runs neither its DNS nor its hosts",
        ),
        "nothing stands in the way",
        "nothing to take back",
    )
    locks = _in_the_way(held.statuses) or ([TRANSFER_LOCK] if losing.by_hand else [])
    if locks:
        yield Step(
            UNLOCK,
            f"Lift the lock at {one}",
            (Statuses(one, domain, (), tuple(locks)),),
            (),
            f"{' and '.join(locks)} no longer set",
            "set it again",
            estimate=60 if not losing.by_hand else 3600,
        )
    yield Step(
        REQUEST,
        f"Ask for the transfer at {other}",
        (Transfer("request", one, other, domain, known, wish.code, wish.years),),
        ("still fit for it", "the authorisation code is at hand"),
        "the registry says that it is pending, or done",
        "cancel it while it is pending",
        estimate=60,
    )
    if wish.approve:
        yield Step(
            APPROVE,
            f"Approve it at {one}",
            (Transfer("approve", one, other, domain, known),),
            (f"the transfer to {other} is pending",),
            "the registry says that it was approved",
            "none: another transfer, sixty days later",
            estimate=60,
        )
    yield Step(
        FOLLOW,
        f"Follow it until {other} has the domain",
        (Followed(one, other, domain, known),),
        (),
        f"the registry holds the domain for {other}",
        "cancel it while it is pending",
        estimate=60 if wish.approve else BY_ITSELF,
    )
    yield Step(
        KEPT,
        "Check that NS set, DS records and hosts are what they were",
        (Kept(other, domain),),
        (),
        f"{len(held.nameservers)} name servers, {len(held.ds)} DS records, {len(held.hosts)} hosts, all as before",
        "nothing to take back",
    )
    if wish.registrant:
        yield Step(
            REGISTRANT,
            f"Put the contact {wish.registrant} in as registrant",
            (RegistrantChanged(other, domain, wish.registrant),),
            (f"{other} has the contact",),
            "the registry shows it",
            "put the former one in again",
        )
    yield from _after(held, wish)


def _after(held: RegisteredDomain, wish: Terms) -> Iterator[Step]:
    gaining, domain = wish.gaining, held.domain
    locks = sorted({TRANSFER_LOCK} | {each for each in held.statuses if each.startswith("client")})
    if not gaining.by_hand:
        yield Step(
            CODE, "Set another authorisation code", (CodeChanged(gaining.name, domain),), (),
            "the code that was used is worth nothing any more",
            "nothing to take back",
        )  # fmt: skip
    yield Step(
        LOCK,
        f"Lock it at {gaining.name}",
        (Statuses(gaining.name, domain, tuple(locks), ()),),
        (),
        f"{', '.join(locks)} as before, the transfer lock in any case",
        "lift the lock",
        estimate=60 if not gaining.by_hand else 3600,
    )
    yield Step(
        SETTLED,
        "Confirm registration data and the parent's servers",
        (Settled(gaining.name, domain, held.registrar),),
        (),
        f"registration data name {gaining.name}; every server of the parent zone hands out the same NS set",
        "nothing to take back",
    )


def _in_the_way(statuses: Sequence[str]) -> list[str]:
    """The registrar's own locks that a transfer cannot begin under: on updates nothing else can be lifted, and no code
    set."""
    return [each for each in (TRANSFER_LOCK, UPDATE_LOCK) if each in statuses]


def differences(before: Registered, after: RegisteredDomain) -> list[str]:
    """What has come out otherwise than the premises ``before`` have it."""
    found = []
    if tuple(sorted(after.nameservers)) != tuple(sorted(before.nameservers)):
        servers = [", ".join(sorted(map(name_text, each))) for each in (before.nameservers, after.nameservers)]
        found.append(f"the NS set was {servers[0]} and is {servers[1] or 'empty'}")
    if sorted(each.hex() for each in after.ds) != sorted(before.ds):
        found.append(f"there were {len(before.ds)} DS records and are {len(after.ds)}, not the same ones")
    now = {host: sorted(addresses) for host, addresses in after.hosts.items()}
    for host, addresses in before.hosts.items():
        if now.get(host) != sorted(addresses):
            found.append(
                f"the host {name_text(host)} had {', '.join(addresses)} and has {', '.join(now.get(host, ['nothing']))}"
            )
    return found


def below(domain: Name, names: Sequence[Name]) -> list[Name]:
    """Those of the names that lie below the domain: its hosts."""
    return [name for name in names if is_under(name, domain) and name != domain]
