"""What strangers get that they should not."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.findings.servers.answering import where
from legatum.core.observation.observation import Observation


@finding(
    "transfer-open", Severity.WARNING, "The whole zone is handed to whoever asks",
    why="Strangers get a list of every host, of forgotten test machines too; and each transfer costs the server much.",
    remedy="Allow zone transfers to your secondaries only, by address or better by key (TSIG).",
    standard="RFC 5936 s5",
)  # fmt: skip
def transfer_open(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if view.transfer_open:
            yield Occurrence(f"{where(view)} began a transfer without a key", view.replies, view.address)


@finding(
    "recursion-open", Severity.WARNING, "A name server resolves foreign names for whoever asks",
    why="It is misused to flood others, and its cache can be poisoned, from which the domain's own answers suffer.",
    remedy="Turn recursion off on authoritative servers, or allow it to your own networks only.",
    standard="RFC 5358 s4",
)  # fmt: skip
def recursion_open(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if view.recursion:
            yield Occurrence(f"{where(view)} answered for a foreign zone", view.replies, view.address)
