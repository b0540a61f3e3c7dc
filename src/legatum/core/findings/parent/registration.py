"""What the registration says, beside what the parent's servers publish and what is planned."""

from collections.abc import Iterator

from legatum.core.calendar.instant import parse_instant, people_text
from legatum.core.dnssec.key import ds_set_text
from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation, RegistrationView
from legatum.core.records.name import name_text
from legatum.core.running.fault import BadInput

_MONTH = 30 * 86400
NOT_REGISTERED = "not registered"


def _expiry(held: RegistrationView) -> float | None:
    try:
        return parse_instant(held.expires) if held.expires else None
    except BadInput:
        return None


def _with_status(observation: Observation, *statuses: str) -> Iterator[Occurrence]:
    for source, held in observation.registrations:
        found = [each for each in held.statuses if each in statuses]
        if found:
            yield Occurrence(f"{source}: {', '.join(found)}", (), source)


def concerned(observation: Observation) -> bool:
    return bool(observation.registrations or observation.rdap_why)


@finding(
    "registration-ns-differs",
    Severity.WARNING,
    "The registration has another NS set than the parent's servers",
    why="A change is not published yet, or was not stored: what the form shows is not what visitors get.",
    remedy=(
        "Within minutes of a change, wait. Otherwise open the registrar's page again, compare name by "
        "name, and save once more."
    ),
    standard="RFC 9083 s5.3",
    after=("parents-disagree", "no-such-domain", "registration-on-hold", "not-delegated"),
)
def registration_ns_differs(observation: Observation) -> Iterator[Occurrence]:
    for source, held in observation.registrations:
        if tuple(sorted(held.nameservers)) != observation.delegation and any(
            view.answered for view in observation.parents
        ):
            names = ", ".join(name_text(name) for name in held.nameservers) or "none"
            published = ", ".join(name_text(name) for name in observation.delegation) or "none"
            yield Occurrence(f"{source}: {names}; the parent's servers: {published}")


@finding(
    "registration-ds-differs", Severity.WARNING, "The registration has another DS than the parent's servers",
    why="A change of the DS is not published yet, or was not stored; keys must not change meanwhile.",
    remedy="Within minutes of a change, wait. Otherwise compare the four values at the registrar and save once more.",
    standard="RFC 9083 s5.3",
    after=("ds-parents-differ", "no-such-domain", "registration-on-hold"),
)  # fmt: skip
def registration_ds_differs(observation: Observation) -> Iterator[Occurrence]:
    for source, held in observation.registrations:
        if held.ds is not None and tuple(sorted(held.ds)) != observation.ds and observation.delegation:
            texts = ds_set_text(held.ds)
            published = ds_set_text(observation.ds)
            yield Occurrence(f"{source}: {texts}; the parent's servers: {published}")


@finding(
    "registration-on-hold", Severity.ERROR, "The registration is on hold",
    why="The registry does not publish the domain: nobody can find it.",
    remedy="Ask the registrar why: an unpaid bill, an unconfirmed address, or a dispute.",
    standard="RFC 5731 s2.3",
)  # fmt: skip
def registration_on_hold(observation: Observation) -> Iterator[Occurrence]:
    yield from _with_status(observation, "clientHold", "serverHold")


@finding(
    "registration-expired", Severity.ERROR, "The registration has expired",
    why="The domain stops working any day now, and can then be registered by others.",
    remedy="Renew it at the registrar today.",
    standard="RFC 5731 s3.2.3",
)  # fmt: skip
def registration_expired(observation: Observation) -> Iterator[Occurrence]:
    for source, held in observation.registrations:
        expiry = _expiry(held)
        if expiry is not None and expiry <= observation.at:
            yield Occurrence(f"{source}: since {people_text(expiry, observation.at)}", (), source)


@finding(
    "registration-ends-soon", Severity.WARNING, "The registration ends soon",
    why="A forgotten renewal takes everything off the internet; a move or transfer takes days of its own.",
    remedy="Renew it, or see that it renews by itself, before you begin anything else.",
    standard="RFC 5731 s3.2.3",
)  # fmt: skip
def registration_ends_soon(observation: Observation) -> Iterator[Occurrence]:
    for source, held in observation.registrations:
        expiry = _expiry(held)
        if expiry is not None and observation.at < expiry < observation.at + _MONTH:
            yield Occurrence(f"{source}: {people_text(expiry, observation.at)}", (), source)


@finding(
    "registration-pending", Severity.WARNING, "Something is pending at the registry",
    why="While it is, changes are refused or lost: a deletion, a transfer or a restoration is under way.",
    remedy="Find out what it is at the registrar, and wait until it is over before you change NS or DS.",
    standard="RFC 5731 s2.3",
)  # fmt: skip
def registration_pending(observation: Observation) -> Iterator[Occurrence]:
    yield from _with_status(
        observation,
        "pendingTransfer",
        "pendingDelete",
        "pendingRestore",
        "redemptionPeriod",
        "pendingUpdate",
        "pendingRenew",
    )


@finding(
    "status-forbids-change", Severity.WARNING, "The registration's status forbids the planned change",
    why="The registry will refuse another NS set or DS as long as this status is set.",
    remedy="Unlock the domain at the registrar before the planned time; lock it again afterwards.",
    standard="RFC 5731 s2.3",
)  # fmt: skip
def status_forbids_change(observation: Observation) -> Iterator[Occurrence]:
    if observation.plan.change_at is not None:
        yield from _with_status(observation, "clientUpdateProhibited", "serverUpdateProhibited")


@finding(
    "status-forbids-transfer", Severity.WARNING, "The registration's status forbids the planned transfer",
    why="The registry will refuse the request of the gaining registrar as long as this status is set.",
    remedy="Unlock the domain at the losing registrar; a server status only the registry can lift (60 days, disputes).",
    standard="RFC 5731 s2.3",
)  # fmt: skip
def status_forbids_transfer(observation: Observation) -> Iterator[Occurrence]:
    if observation.plan.transfer:
        yield from _with_status(observation, "clientTransferProhibited", "serverTransferProhibited")


@finding(
    "registration-sources-differ",
    Severity.WARNING,
    "The registrar's account and RDAP tell different things",
    why="One of the two is out of date; decisions must not rest on it.",
    remedy=(
        "Look again in some minutes; believe the account about what is stored and the parent's servers "
        "about what is published."
    ),
    standard="RFC 9083 s5.3",
    after=("registration-ns-differs",),
)
def registration_sources_differ(observation: Observation) -> Iterator[Occurrence]:
    account, public = observation.registration, observation.rdap
    if account and public and sorted(account.nameservers) != sorted(public.nameservers):
        yield Occurrence("the NS sets differ")


@finding(
    "registration-not-found", Severity.WARNING, "RDAP does not know the domain, but the parent hands it out",
    why="It is just being deleted or registered, or the name is no registered domain but one inside another.",
    remedy="Check the spelling, and ask about the registered domain above it.",
    standard="RFC 9082 s3.1.3",
)  # fmt: skip
def registration_not_found(observation: Observation) -> Iterator[Occurrence]:
    if observation.rdap_why == NOT_REGISTERED and observation.delegation:
        yield Occurrence("RDAP: no such object")


@finding(
    "registration-unanswered", Severity.NOTICE, "Registration data could not be had",
    why="Status, expiry and what the registry holds are unknown.",
    remedy="Look again later; check the bootstrap file in the settings.",
    standard="RFC 9082 s1",
)  # fmt: skip
def registration_unanswered(observation: Observation) -> Iterator[Occurrence]:
    if observation.rdap_why not in ("", NOT_REGISTERED):
        yield Occurrence(f"RDAP: {observation.rdap_why}")
