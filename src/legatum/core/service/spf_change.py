"""Who may send mail of a domain while it goes from one service to another (SPF, RFC 7208): both, so long as either
sends."""

from collections.abc import Sequence

from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import GateShut
from legatum.core.service.spf import MOST_LOOKUPS

_VERSION = "v=spf1"
_LOOKED_UP = ("include", "a", "mx", "ptr", "exists")


def spf_of_both(old: str, new: str, servers: Sequence[Name]) -> str:
    """The record that lets through whoever either lets through, and ends as the old one does. ``servers``: those that
    the domain's mail is brought to by the old service, by their names beside ``mx``, which is about to mean others.

    Raises :class:`GateShut` for one that hands on to another record (``redirect=``), and where receivers would stop
    looking (s4.6.4).
    """
    told = [term for term in _terms(old) if not _is_all(term)]
    if redirect := next((term for term in told if term.lower().startswith("redirect=")), None):
        raise GateShut(
            f"the SPF record hands on to another one ({redirect}), so nothing can stand beside it",
            "write what that says into it first: `legatum amend DOMAIN @ TXT TEXT`",
        )
    end = [term for term in _terms(old) if _is_all(term)][:1]
    kept = [each for term in told for each in _named(term, servers)]
    added = [term for term in _terms(new) if not _is_all(term) and "=" not in term and term[0] not in "-~?"]
    both = list(dict.fromkeys([*added, *kept]))
    looked_up = sum(term.lstrip("+-~?").lower().split(":")[0].split("/")[0] in _LOOKED_UP for term in both)
    if looked_up > MOST_LOOKUPS:
        raise GateShut(
            f"an SPF record for both services takes {looked_up} look-ups, and receivers stop after "
            f"{MOST_LOOKUPS} (RFC 7208 s4.6.4)",
            "take out first what no longer sends",
        )
    return " ".join([_VERSION, *both, *end])


def spf_left(old: str, new: str, servers: Sequence[Name]) -> tuple[str, ...]:
    """What the old record lets through by a term that the new one does not have; ``servers`` as before."""
    kept = {term.lstrip("+").lower() for term in _terms(new)}
    told = (
        each for term in _terms(old) if not _is_all(term) and term[0] not in "-~?" for each in _named(term, servers)
    )
    return tuple(term for term in told if term.lstrip("+").lower() not in kept)


def _terms(text: str) -> list[str]:
    return text.split()[1:]


def _is_all(term: str) -> bool:
    return term.lstrip("+-~?").lower() == "all"


def _named(term: str, servers: Sequence[Name]) -> list[str]:
    bare, _, length = term.partition("/")
    if bare.lstrip("+-~?").lower() != "mx":
        return [term]
    qualifier = bare[: -len("mx")]
    return [term, *(f"{qualifier}a:{name_text(host)}{f'/{length}' if length else ''}" for host in servers)]
