"""How a signed zone says that something does not exist."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.findings.servers.answering import where
from legatum.core.observation.observation import Observation
from legatum.core.observation.own_link import secured

_NXDOMAIN = 3


def concerned(observation: Observation) -> bool:
    return observation.shows_dnssec


@finding(
    "denial-broken",
    Severity.ERROR,
    "A server does not prove that a name does not exist",
    why=(
        "Validating resolvers cannot believe the answer *no such name*: mail checks and lookups of missing "
        "types fail for their users."
    ),
    remedy="Have the zone signed anew, with its NSEC or NSEC3 chain whole; check that the server serves all of it.",
    standard="RFC 4035 s3.1.3",
    after=("ds-but-unsigned", "signature-missing", "ds-without-key"),
)
def denial_broken(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.serving if secured(observation) else ():
        denial = view.denial
        if denial and not denial.wildcard and denial.rcode in (0, _NXDOMAIN) and not denial.proven:
            yield Occurrence(f"{where(view)}: no NSEC or NSEC3 that fits", view.replies, view.address)


@finding(
    "nsec3-iterations", Severity.NOTICE, "NSEC3 with extra rounds of hashing",
    why="They protect nothing and cost every resolver; beyond a limit resolvers take the zone as unsigned or fail.",
    remedy="Set the iterations to 0 and the salt to none.",
    standard="RFC 9276 s3.1",
)  # fmt: skip
def nsec3_iterations(observation: Observation) -> Iterator[Occurrence]:
    rounds = {view.denial.iterations for view in observation.serving if view.denial and view.denial.iterations}
    if rounds:
        yield Occurrence(f"{max(rounds)} iterations")
