"""Wishes, one or several, become one runbook. What contradicts itself is refused with the reason."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from legatum.core.moves.assembly import PlannedStep, led_back, runbook_of
from legatum.core.moves.effects import DsChanged, Records
from legatum.core.moves.kinds.address import NewAddress, address_pieces
from legatum.core.moves.kinds.first_and_last import First, Retirement, first_pieces, retirement_pieces
from legatum.core.moves.kinds.hosts import Hosts, host_pieces
from legatum.core.moves.kinds.leftovers import Leftovers, leftover_pieces
from legatum.core.moves.kinds.mail import Mail, mail_pieces
from legatum.core.moves.kinds.part import Part, part_pieces
from legatum.core.moves.kinds.provider import NewProvider, passage_words, provider_pieces
from legatum.core.moves.kinds.registrar_transfer import RegisteredDomain, Terms, transfer_pieces
from legatum.core.moves.kinds.second import Second, second_pieces
from legatum.core.moves.kinds.second_signer import SecondSigner, second_signer_steps
from legatum.core.moves.kinds.site import Alias, alias_pieces
from legatum.core.moves.kinds.trust.exchange import Exchange, exchange_pieces
from legatum.core.moves.kinds.trust.sign_unsign import Sign, Unsign, sign_pieces, unsign_pieces
from legatum.core.moves.kinds.trust.signature_expiry import running_out
from legatum.core.moves.kinds.verification import Verification, verification_pieces
from legatum.core.moves.kinds.zone_data import Soa, Ttls, soa_pieces, ttl_pieces
from legatum.core.moves.merging import with_texts_merged
from legatum.core.moves.place import RRsetKey
from legatum.core.moves.plan_input import PlanInput, completed, premises_of
from legatum.core.moves.runbook import Runbook, Slot, forecast
from legatum.core.records.name import name_text
from legatum.core.records.rrtype import type_text
from legatum.core.running.fault import BadInput, GateShut


@dataclass(frozen=True)
class NewRegistrar:
    """``held``: what is registered now."""

    held: RegisteredDomain
    wish: Terms


Wish = (
    Leftovers
    | NewProvider
    | NewAddress
    | Hosts
    | Part
    | Second
    | Ttls
    | Soa
    | First
    | Retirement
    | NewRegistrar
    | Sign
    | Exchange
    | Unsign
    | SecondSigner
    | Alias
    | Mail
    | Verification
)
_KINDS: dict[type, Callable[[PlanInput, Any], Iterator[PlannedStep]]] = {
    NewProvider: provider_pieces,
    NewAddress: address_pieces,
    Hosts: host_pieces,
    Part: part_pieces,
    Second: second_pieces,
    SecondSigner: second_signer_steps,
    Alias: alias_pieces,
    Mail: mail_pieces,
    Verification: verification_pieces,
    Ttls: ttl_pieces,
    Soa: soa_pieces,
    First: first_pieces,
    Retirement: retirement_pieces,
    Leftovers: leftover_pieces,
    Sign: sign_pieces,
    Exchange: exchange_pieces,
    Unsign: unsign_pieces,
    NewRegistrar: lambda inputs, wish: transfer_pieces(wish.held, wish.wish),
}
_ALONE = (First, Retirement, Leftovers, SecondSigner)
_OF_KEYS = (Sign, Exchange, Unsign)
_SERVERS = (NewProvider, Second, Hosts)


def draw(inputs: PlanInput, ident: str, words: str, wishes: Sequence[Wish]) -> Runbook:
    """The plan. Raises :class:`BadInput` for wishes that contradict each other, and as each kind does."""
    _refuse_contradictions(wishes)
    made = tuple((each.new, each.zone) for each in wishes if isinstance(each, NewProvider))
    inputs = replace(inputs, made=made)
    for each in wishes:
        if isinstance(each, NewProvider) and (why := passage_words(inputs, each)):
            inputs = replace(inputs, signing=f"{inputs.signing}; {why}")
    pieces = with_texts_merged([piece for wish in wishes for piece in _KINDS[type(wish)](inputs, wish)])
    pieces = completed(inputs, pieces)
    _refuse_twice(pieces)
    _refuse_lost_ds(inputs, wishes, pieces)
    premises, past = premises_of(inputs, pieces)
    if leading := led_back(pieces, premises, past):
        raise GateShut(
            f"{name_text(inputs.domain)}: {'; '.join(dict.fromkeys(leading))}, to the end: nobody would ever "
            "stop asking there",
            "have that changed first, or say who serves it now",
        )
    runbook = runbook_of(ident, words, inputs.at, premises, pieces, past, inputs.caution, inputs.domain)
    refuse_no_window(runbook)
    for obstacle in running_out(runbook, (), inputs.signed_until, inputs.at) if inputs.anchors else ():
        raise GateShut(obstacle.reason, obstacle.remedy)
    return runbook


def refuse_no_window(runbook: Runbook) -> None:
    """Raises :class:`GateShut` where what visitors can feel fits into no window."""
    times = runbook.premises.times
    if times and any(step.felt for step in runbook.steps) and times.next(runbook.drafted) is None:
        raise GateShut(
            f"no window comes within a year: {times.text}",
            "give others: [house] windows and quiet in the settings, or --window",
        )


def _refuse_lost_ds(inputs: PlanInput, wishes: Sequence[Wish], pieces: Sequence[PlannedStep]) -> None:
    """A DS set comes out of a transfer as it went in, or goes before it."""
    changed = [effect.after for piece in pieces for effect in piece.step.effects if isinstance(effect, DsChanged)]
    for each in wishes:
        if not isinstance(each, NewRegistrar):
            continue
        if any(changed):
            raise BadInput(
                "the DS set changes with it, and has to come out of a transfer as it went in",
                "draft one after the other",
            )
        if each.held.ds and not each.wish.gaining.takes_ds and not changed:
            raise GateShut(
                f"{name_text(each.held.domain)} is signed, and {each.wish.gaining.name} takes no DS: nobody "
                "could change it there",
                "have it go before: --unsign beside --registrar-to; or another registrar",
            )


def sooner_plan(inputs: PlanInput, ident: str, words: str, wishes: Sequence[Wish]) -> tuple[Runbook, dict[str, float]]:
    """Of the two speeds the plan that is over sooner; and speed → when it would be over, where both differ."""
    plans = {
        speed: draw(replace(inputs, at_once=speed == AT_ONCE), ident, words, wishes) for speed in (LOWERED, AT_ONCE)
    }
    ends = {speed: slots_of(plan, inputs.at)[-1].ends for speed, plan in plans.items()}
    best = min(ends, key=lambda speed: (ends[speed], speed != LOWERED))
    return plans[best], ends if plans[LOWERED].steps != plans[AT_ONCE].steps else {}


LOWERED, AT_ONCE = "lowered", "at-once"
"""The two speeds: TTLs lowered first, or the change at once and a longer overlap."""


def slots_of(runbook: Runbook, now: float) -> list[Slot]:
    """All steps in time, when nothing has been done yet."""
    return list(forecast(runbook, {}, now))


def _refuse_contradictions(wishes: Sequence[Wish]) -> None:
    if not wishes:
        raise BadInput(
            "nothing shall be different",
            "say what: --to, --replace, --alias, --mail, --hosts, --part, --second, --ttl, --soa, --registrar-to, …",
        )
    for kind in {type(each) for each in wishes}:
        if (
            kind in (NewProvider, Hosts, Soa, Ttls, First, Retirement, NewRegistrar)
            and sum(isinstance(each, kind) for each in wishes) > 1
        ):
            raise BadInput("the same is wished for twice", "say each once")
    if any(isinstance(each, _ALONE) for each in wishes) and len(wishes) > 1:
        raise BadInput(
            "a first delegation, a retirement, leftovers, a second signer stand for the whole domain",
            "draft the rest by itself, before or after it",
        )
    if sum(isinstance(each, _OF_KEYS) for each in wishes) > 1:
        raise BadInput("signed and unsigned at once", "say one of --sign and --unsign")
    if any(isinstance(each, _OF_KEYS) for each in wishes) and any(
        isinstance(each, (*_SERVERS, Part)) for each in wishes
    ):
        raise BadInput(
            "the keys are of those servers that everybody is led to",
            "draft the signing by itself; --to takes care of it by itself",
        )
    if sum(isinstance(each, _SERVERS) and not (isinstance(each, Hosts) and not each.named) for each in wishes) > 1:
        raise BadInput(
            "two wishes want to change the NS sets, each in its own way: --to, --second and --hosts",
            "draft one after the other: each is a plan",
        )
    if any(isinstance(each, NewProvider) for each in wishes) and any(isinstance(each, Soa | Part) for each in wishes):
        raise BadInput(
            "the SOA record, and a part, are of the provider that serves the zone",
            "draft the move to the other provider by itself first",
        )


def _refuse_twice(pieces: Sequence[PlannedStep]) -> None:
    """Two wishes that change the same RRset at the same place from the same beginning."""
    seen: dict[tuple[str, bytes, RRsetKey, object], str] = {}
    for piece in pieces:
        for effect in piece.step.effects:
            if isinstance(effect, Records):
                for each in effect.changed:
                    mark = (effect.place, bytes(effect.zone), each.key, each.before)
                    if mark in seen and seen[mark] != piece.step.id:
                        text = f"{name_text(each.key[0])} {type_text(each.key[1])}"
                        raise BadInput(
                            f"{text} is changed by two wishes: '{seen[mark]}' and '{piece.step.id}'",
                            "draft one after the other",
                        )
                    seen[mark] = piece.step.id
