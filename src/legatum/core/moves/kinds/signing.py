"""Whether a domain is signed, as its servers say, and why a move that knows nothing of signatures must not lead it then.

An unsigned copy under a DS is bogus: everybody behind a validating resolver gets nothing. Copied signatures are served until they run
out, and then it is the same (RFC 4035 s5.2, RFC 6781 s4.3.5).
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from legatum.core.records.name import Name, name_text

Said = Mapping[str, tuple[str, ...]]
"""Server address → what it hands out, in words; nothing for those that hand out nothing of the kind."""


@dataclass(frozen=True, slots=True)
class Signing:
    """``ds``: DS records by parent server address; ``old``, ``new``: DNSKEY, CDS and CDNSKEY by address of each side; ``silent``: who did
    not answer; ``parents``, ``servers``: how many addresses were asked."""

    ds: Said = field(default_factory=dict)
    old: Said = field(default_factory=dict)
    new: Said = field(default_factory=dict)
    silent: tuple[str, ...] = ()
    parents: int = 0
    servers: int = 0

    @property
    def unsigned_text(self) -> str:
        """What is to be remembered of a domain against which nothing was found; empty where something was."""
        if self.ds or self.old or self.silent:
            return ""
        signs = "; the new side signs by itself" if self.new else ""
        return (
            f"no DS at {self.parents} parent addresses, no DNSKEY, CDS or CDNSKEY at the old side ({self.servers} addresses asked){signs}"
        )


@dataclass(frozen=True, slots=True)
class Obstacle:
    reason: str
    remedy: str


def obstacles(domain: Name, seen: Signing, old: str, new: str) -> Iterator[Obstacle]:
    """Why the domain is not to be led from provider ``old`` to ``new`` as an unsigned one."""
    text = name_text(domain)
    if seen.ds:
        leads = f"; {new} would serve it signed with keys of its own" if seen.new else f"; {new}'s copy would not be signed with its keys"
        yield Obstacle(
            f"{text} is signed: {_said(seen.ds)}{leads}, and everybody behind a validating resolver would get nothing",
            f"moves of signed domains are not led yet. Go unsigned first: take the DS out ("
            f"`legatum registration ds {text} --registrar NAME "
            f"--none --wait`), wait until its TTL has passed, end the signing at {old}; then draft again",
        )
    elif seen.old:
        yield Obstacle(
            f"{text} is signed at {old}, without a DS: {_said(seen.old)}; a registry may take these keys up in the middle of the move",
            f"end the signing at {old}, or take these records out there; then draft again",
        )
    asking = {address: wanted for address, kinds in seen.new.items() if (wanted := tuple(each for each in kinds if each != "DNSKEY"))}
    if asking:
        yield Obstacle(
            f"{new} asks the registry for a DS: {_said(asking)}; a registry that reads it would connect the keys in the middle of the move",
            f"have {new} publish no CDS and CDNSKEY for {text} until the move is complete",
        )
    if seen.silent:
        yield Obstacle(
            f"whether {text} is signed is not known: {', '.join(seen.silent[:4])}{' …' if seen.silent[4:] else ''} did not answer",
            "look again when they answer: the same command",
        )


def _said(said: Said) -> str:
    """``192.0.2.1 hands out DS 1234 13 2 …``, one address for all that say the same."""
    first, kinds = next(iter(said.items()))
    others = f" and {len(said) - 1} more addresses hand" if len(said) > 1 else " hands"
    return f"{first}{others} out {', '.join(kinds)}"
