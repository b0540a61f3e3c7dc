"""Drafting a transfer between registrars: what is registered becomes the runbook's premises."""

from pathlib import Path

from legatum.core.moves.kinds.registrar_transfer import Account, RegisteredDomain, Terms, obstacles
from legatum.core.moves.runbook import next_step
from legatum.core.moves.wishes import TransferWish
from legatum.core.records.name import name_text
from legatum.core.running.fault import BadInput, GateShut, OutsideFault
from legatum.journal.journal import Journal
from legatum.settings.secret import check_reference
from legatum.work.movefile import read_move, retreat_path
from legatum.work.registry.held import look_at_held, losing_account
from legatum.work.run_context import RunContext


async def transfer_wish(context: RunContext, wish: TransferWish) -> tuple[RegisteredDomain, Terms]:
    """What is registered, and the wish as the plan has it. Raises :class:`GateShut` for a domain that
    cannot be transferred now, :class:`BadInput` for a wish that cannot be."""
    if wish.losing == wish.gaining:
        raise BadInput(f"{wish.losing} has the domain already", "a transfer leads to another registrar")
    losing, gaining = context.registrar(wish.losing), context.registrar(wish.gaining)
    if wish.approve and losing.by_hand:
        raise BadInput(
            f"{losing.name} can be told to let go by a person only",
            "leave out --approve; the transfer is followed until it is over",
        )
    held, account = await look_at_held(context, wish.domain, losing)
    if account is None and not losing.by_hand:
        raise OutsideFault(
            f"{losing.name} does not have {name_text(wish.domain)}, {held.registrar} has",
            "is --from the right registrar?",
        )
    leaving = await losing_account(context, losing)
    if found := obstacles(held, leaving, context.clock.now()):
        more = "".join(f". Also: {each.reason}" for each in found[1:])
        raise GateShut(f"{name_text(wish.domain)}: {found[0].reason}{more}", found[0].remedy)
    needed = "prompt" if losing.by_hand and not gaining.by_hand else ""
    reference = check_reference(wish.code) if wish.code else needed
    if wish.registrant and not gaining.by_hand and await gaining.contact(wish.registrant) is None:
        raise BadInput(
            f"{gaining.name} has no contact {wish.registrant}",
            "make it first: "
            "`legatum registration contact IDENTIFIER --registrar NAME --name TEXT --city TEXT --country XX "
            "--email ADDRESS`",
        )
    gains = Account(gaining.name, gaining.by_hand, takes_ds=context.registrars[gaining.name].takes_ds)
    return held, Terms(leaving, gains, reference, wish.approve, wish.years, wish.registrant)


def make_room(path: Path, journal: Journal) -> None:
    """An earlier move of the domain that is complete, or taken back, is put aside. Raises :class:`GateShut` for one
    under way (rule 13)."""
    if not path.exists():
        return
    earlier, back = read_move(path), retreat_path(path)
    last = read_move(back) if back.exists() else earlier
    touched = {step.id for step in last.steps if step.changes} & journal.begun(last.id)
    if touched and next_step(last, journal.outcomes(last.id)) is not None:
        raise GateShut(
            f"{name_text(earlier.domain)}: a move is under way ({path})",
            "nothing may be pending at a transfer: finish it, or take it back: `legatum move retreat "
            f"{name_text(earlier.domain)}`",
        )
    for each in (path, back):
        if each.exists():
            each.rename(each.with_name(f"{earlier.id}.{each.name}"))
