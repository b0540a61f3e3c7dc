"""What is asked for of one plan, as a user says it."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from legatum.core.moves.kinds.address import NewAddress
from legatum.core.moves.kinds.zone_data import Soa
from legatum.core.moves.place import RRsetKey
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.running.fault import BadInput, GateShut


@dataclass(frozen=True)
class TransferWish:
    """What the user asks for; see :class:`~legatum.core.moves.kinds.registrar_transfer.Terms`."""

    domain: Name
    losing: str
    gaining: str
    code: str = ""
    approve: bool = False
    years: int = 1
    registrant: str = ""


@dataclass(frozen=True)
class Wishes:
    """What the user asks for. ``old``: who serves it now, where it is not to be found out; ``part``: name and provider;
    ``hosts``: host → addresses; ``named``: hosts to stand in the NS sets, ``alone`` with nobody else; ``publishing``:
    seconds that the registry is expected to take, for the forecast only; ``speed``: empty for the one that is over
    sooner; ``old_ends``: when the old side vanishes by itself; ``at_registrar``: a second provider is named there too;
    ``sign``, ``unsign``: the parent has DS records for its keys, or none any more; ``exchange``: for others, ``way``
    and ``algorithm`` as in :class:`~legatum.core.moves.kinds.trust.exchange.Exchange`, ``ds``: for these alone;
    ``aliases``: name → where it is to lead to; ``verify``: names and texts of verification records, wanted for
    ``verify_for`` seconds; ``template``: addresses as that template of the house has them, ``mail``: mail by the
    service of that one; with ``values`` for their variables; ``leftovers``: what nothing uses any more goes, and
    ``also`` these doubtful RRsets, by the table ``tenants`` too; ``passage``: as in
    :class:`~legatum.core.moves.kinds.provider.NewProvider`; ``windows`` and ``quiet``: instead of the house's."""

    domain: Name
    to: str = ""
    old: str = ""
    registrar: str = ""
    replace: tuple[NewAddress, ...] = ()
    template: str = ""
    mail: str = ""
    values: Mapping[str, str] = field(default_factory=dict)
    hosts: Mapping[Name, tuple[str, ...]] = field(default_factory=dict)
    named: tuple[Name, ...] = ()
    alone: bool = False
    part: tuple[Name, str] | None = None
    part_ttl: int = 3600
    part_back: bool = False
    second: str = ""
    without: str = ""
    dead: bool = False
    at_registrar: bool = True
    users: tuple[Name, ...] = ()
    aliases: Mapping[Name, Name] = field(default_factory=dict)
    verify: tuple[tuple[Name, str], ...] = ()
    verify_for: int = 30 * 86400
    ttls: Mapping[RRsetKey, int] = field(default_factory=dict)
    soa: Soa | None = None
    transfer: TransferWish | None = None
    first: bool = False
    retire: bool = False
    leftovers: bool = False
    also: tuple[tuple[Name, int], ...] = ()
    tenants: str = ""
    sign: bool = False
    exchange: bool = False
    way: str = ""
    algorithm: int = 0
    ds: tuple[str, ...] = ()
    unsign: bool = False
    passage: str = ""
    low_ttl: int = 300
    publishing: int = 3600
    speed: str = ""
    old_ends: float | None = None
    anyway: bool = False
    windows: tuple[str, ...] = ()
    quiet: tuple[str, ...] = ()

    @property
    def delegates(self) -> bool:
        """The registrar is needed: an NS set, or a host, is changed there."""
        second = bool(self.second or self.without) and self.at_registrar
        return bool(
            self.to or self.hosts or self.named or second or self.first or self.retire or self.leftovers or self.of_keys
        )

    @property
    def of_keys(self) -> bool:
        """It is about who signs, and the DS set."""
        return self.sign or self.unsign or self.exchange

    @property
    def of_contents(self) -> bool:
        """What the zone holds, or who signs it, changes too."""
        edits = bool(
            self.replace
            or self.template
            or self.hosts
            or self.ttls
            or self.soa
            or self.aliases
            or self.verify
            or self.mail
        )
        return edits or self.of_keys

    @property
    def disconnects(self) -> bool:
        """Nothing but no DS any more: what helps a domain that is bogus."""
        return self.unsign and not self.leads

    @property
    def leads(self) -> bool:
        """Visitors are led to other servers by it: all that they are led by counts, and whether the domain is
        signed."""
        going = any(not each for each in self.hosts.values())
        return bool(
            self.to or self.named or going or self.second or self.without or self.part or self.first or self.retire
        )

    def stays_named(self, delegation: Sequence[Name]) -> bool:
        """To another provider behind the same names: only their addresses become others."""
        return bool(self.to and delegation) and set(delegation) == {host for host, each in self.hosts.items() if each}

    @property
    def words(self) -> str:
        """What shall be different, in a few words."""
        return ", ".join(self.said)

    @property
    def said(self) -> list[str]:
        """The same, each thing by itself."""
        said = [f"{f'from {self.old} ' if self.old else ''}to {self.to}"] if self.to else []
        said += [f"{each.old} replaced by {each.new}" for each in self.replace]
        said += [f"addresses as {self.template} has them"] if self.template else []
        said += [
            f"{name_text(host)} {'at ' + ', '.join(each) if each else 'given up'}" for host, each in self.hosts.items()
        ]
        said += [f"{', '.join(map(name_text, self.named))} named"] if self.named else []
        said += [self._part_words] if self.part else []
        said += [f"{self.second} beside"] if self.second else []
        said += [f"without {self.without}"] if self.without else []
        said += [f"{name_text(name)} led to {name_text(target)}" for name, target in self.aliases.items()]
        said += [f"mail at {self.mail}"] if self.mail else []
        said += ["a verification record"] if self.verify else []
        said += ["other TTLs"] if self.ttls else []
        said += ["another SOA record"] if self.soa else []
        said += [f"from {self.transfer.losing} to {self.transfer.gaining} (registrars)"] if self.transfer else []
        said += ["first delegated"] if self.first else []
        said += ["retired"] if self.retire else []
        said += ["without what was left behind"] if self.leftovers else []
        by_ds = f" with DS {'; '.join(each[:24] for each in self.ds)}" if self.ds else ""
        said += [f"signed{by_ds}"] if self.sign else []
        other = f"a key of algorithm {self.algorithm}" if self.algorithm else "another key"
        said += [f"{other} by DS{by_ds}"] if self.exchange else []
        said += [f"by {self.passage}"] if self.passage else []
        said += ["unsigned"] if self.unsign else []
        return said

    def is_said_by(self, words: str) -> bool:
        """Whether a move's wish in words is this one; who served the domain before need not have been said."""
        return words == self.words or (
            not self.old and bool(self.to) and words.endswith(self.words) and words.startswith("from ")
        )

    @property
    def _part_words(self) -> str:
        assert self.part is not None
        return f"{name_text(self.part[0])} {'back from' if self.part_back else 'at'} {self.part[1]}"


def refuse_strange_names(wish: Wishes) -> None:
    if wish.part and (wish.part[0] == wish.domain or not is_under(wish.part[0], wish.domain)):
        raise BadInput(
            f"{name_text(wish.part[0])} is not below {name_text(wish.domain)}", "give a name such as app, or whole"
        )
    for host in (*wish.hosts, *wish.named):
        if not is_under(host, wish.domain) or host == wish.domain:
            words = f"{name_text(host)} is not below {name_text(wish.domain)}"
            raise BadInput(words, "only hosts below a domain have addresses at its registry")
    for name in (*wish.aliases, *(name for name, _ in wish.verify)):
        if not is_under(name, wish.domain):
            raise BadInput(
                f"{name_text(name)} is not in {name_text(wish.domain)}",
                "give a name of the domain, or one relative to it",
            )


def refuse_silence(wish: Wishes, observation: Observation, dead: Collection[Name]) -> None:
    """Raises :class:`GateShut` where nobody delegates the domain, or somebody who is led to says nothing. ``dead``:
    servers of which that is known."""
    domain = name_text(observation.domain)
    if wish.first:
        return
    beside = bool(wish.second or wish.without) and not wish.at_registrar  # before anybody delegates it, too
    if not observation.delegation and not wish.transfer and not beside:
        raise GateShut(
            f"{domain} is not delegated", f"a first delegation: `legatum move draft {domain} --first --from PROVIDER`"
        )
    if not (wish.leads or wish.of_keys):
        return
    silent = [view.address for view in observation.servers if not view.serves and view.server not in dead] + [
        view.address for view in observation.parents if not view.answered
    ]
    if silent:
        hint = (
            f"; where {wish.without} is dead: `legatum second leave {domain} --second NAME --dead`"
            if wish.without
            else ""
        )
        raise GateShut(
            f"not every server answers for {domain}: {', '.join(silent)}",
            f"what they hand out counts for every wait; `legatum survey {domain}` says more (no IPv6 here? "
            "set ipv6 = false in "
            f"[network]){hint}",
        )
