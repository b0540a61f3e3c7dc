"""A letter to the customer: what it is about, in kinds that every language has its words for."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from legatum.core.memory.history import Changed, before_and_after_of
from legatum.core.moves.effects import Delegated, DsChanged, HostSet, Records
from legatum.core.moves.effects.registration import Transfer
from legatum.core.moves.runbook import Runbook
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import SOA, type_text

_SITES = ("", "www.")


@dataclass(frozen=True)
class Said:
    """``key``: which sentence of the language it is, with ``values`` in it."""

    key: str
    values: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Difference:
    """``topic``: what changes, ``before`` and ``after`` a line for each record, without TTLs and final dots."""

    topic: Said
    before: tuple[str, ...]
    after: tuple[str, ...]


@dataclass(frozen=True)
class Letter:
    """``state``: ``good``, ``waiting`` or ``bad``; ``lead``: the first sentence; ``told``: what else there is to say;
    ``until``: an instant from which on it is over, empty where it is or where nobody knows, and ``until_key`` the
    sentence for it; ``asks``: what the customer has to do."""

    domain: str
    state: str
    lead: Said
    told: tuple[Said, ...] = ()
    differences: tuple[Difference, ...] = ()
    asks: tuple[Said, ...] = ()
    until: str = ""
    until_key: str = "letter.over_at"


def topic_of(what: str, domain: str) -> Said:
    """Of a change as the journal writes it: ``kilnandclay.example A``, ``NS set at flint``."""
    if what.startswith("NS set at ") or what == f"{domain} NS":
        return Said("topic.name_servers")
    if what.startswith("DS set"):
        return Said("topic.trust")
    if what.startswith("host "):
        return Said("topic.host", {"name": what.split()[1]})
    if what == "registrar":
        return Said("topic.registrar")
    name, _, kind = what.rpartition(" ")
    front = name.removesuffix(domain)
    if kind in ("A", "AAAA", "CNAME") and front in _SITES:
        return Said("topic.site_six" if kind == "AAAA" else "topic.site", {"name": name})
    if kind in ("A", "AAAA", "CNAME"):
        return Said("topic.address", {"name": name})
    if kind == "MX" and not front:
        return Said("topic.mail")
    if kind == "TXT" and (front.startswith("_dmarc") or "_domainkey" in front or not front):
        return Said("topic.mail_rules", {"name": name})
    return Said("topic.record", {"name": name, "kind": kind})


def differences_of(changed: Iterable[Changed], domain: str) -> tuple[Difference, ...]:
    found = [Difference(topic_of(each.what, domain), _lines(each.before), _lines(each.after)) for each in changed]
    return tuple(
        {(each.topic.key, *each.topic.values.values(), each.before, each.after): each for each in found}.values()
    )


def asks_of(differences: Iterable[Difference]) -> tuple[Said, ...]:
    """What the customer has to do, by what changes."""
    found = []
    for each in differences:
        match each.topic.key:
            case "topic.name_servers":
                found.append(Said("ask.name_servers"))
            case "topic.site" | "topic.site_six" | "topic.address" if each.before and each.after:
                found.append(Said("ask.address", {"before": ", ".join(each.before), "after": ", ".join(each.after)}))
            case "topic.mail":
                found.append(Said("ask.mail"))
    return tuple({(each.key, *each.values.items()): each for each in found}.values()) or (Said("ask.nothing"),)


def of_move(runbook: Runbook, done: int, ends: str, waits: bool) -> Letter:
    """``done``: so many steps; ``ends``: when all of it is expected to be over; ``waits``: for somebody who has to type
    something."""
    domain = name_text(runbook.domain)
    differences = differences_of(changes_of(runbook), domain)
    over = done == len(runbook.steps)
    lead = Said(
        "move.over" if over else "move.waits" if waits else "move.under_way" if done else "move.planned",
        {"domain": domain},
    )
    told = [Said("move.unnoticed")] if not over and runbook.changes_answers else []
    told += [] if over else [Said("move.hands_off")]
    return Letter(
        domain,
        "good" if over else "waiting",
        lead,
        tuple(told),
        differences,
        asks_of(differences),
        "" if over else ends,
        "letter.expected_at",
    )


def changes_of(runbook: Runbook) -> list[Changed]:
    """What the plan makes different in the end, as the journal would write it."""
    lines = list[tuple[str, str, str]]()
    for effect in (effect for step in runbook.steps for effect in step.effects):
        match effect:
            case Delegated():
                lines.append((f"NS set at {effect.registrar}", _names(effect.before), _names(effect.after)))
            case Records():
                for each in effect.changed:
                    if each.key[1] != SOA:
                        lines.append(
                            (f"{name_text(each.key[0])} {type_text(each.key[1])}", _set(each.before), _set(each.after))
                        )
            case DsChanged():
                lines.append((f"DS set at {effect.registrar}", effect.before.text, effect.after.text))
            case HostSet():
                lines.append((f"host {name_text(effect.host)}", ", ".join(effect.before), ", ".join(effect.after)))
            case Transfer(op="request"):
                lines.append(("registrar", effect.losing, effect.gaining))
    return before_and_after_of(lines)


def _names(names: Sequence[Name]) -> str:
    return ", ".join(map(name_text, names))


def _set(rrset: RRset | None) -> str:
    return " | ".join(rdata_texts(rrset))


def _lines(text: str) -> tuple[str, ...]:
    """A line for each record, without TTL and final dots."""
    records = re.split(r" \| |, (?=\S+$|\S+,)", re.sub(r"^\d+ ", "", text))
    return tuple(re.sub(r"\.(?=\s|$)", "", each) for each in records if each)


def of_survey(domain: str, delegated: bool, findings: Sequence[tuple[str, str]], until: str) -> Letter:
    """``findings``: slug and severity, worst first; ``until``: when what resolvers may still have of before is gone."""
    worst = [slug for slug, severity in findings if severity == "error"]
    doubts = [slug for slug, severity in findings if severity == "warning"]
    state = "bad" if worst or not delegated else "waiting" if until else "good"
    key = (
        "survey.bad" if state == "bad" else "survey.passing" if until else "survey.doubts" if doubts else "survey.good"
    )
    told = tuple(Said(f"finding.{slug}", {"domain": domain}) for slug in [*worst, *doubts])
    asks = tuple(Said(f"asked.{slug}", {"domain": domain}) for slug in worst)
    return Letter(domain, state, Said(key, {"domain": domain}), told, (), asks, until if state == "waiting" else "")
