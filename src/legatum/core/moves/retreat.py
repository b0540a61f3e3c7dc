"""The way back of a provider move: what was done, taken back in order, with gates and holds of its own.

The same rules hold with the roles exchanged: the old side must hand out its own NS set again and be ready for everybody before
the delegation leads there; the new side stays up until the last cache has left it (docs/timing.md, rule 4). What visitors never
saw - a zone published where nobody asks, a lowered TTL - is taken back without a hold.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from legatum.core.moves.provider import APEX, END, LOWER, PUBLISH, RAISE, SWITCH
from legatum.core.rehearsal.stage import Content, Which
from legatum.core.runbook import RETREAT, Runbook, Step
from legatum.core.timing import Caution, Delegation, Wait, changed_rrset, delegation_change, lowering

SUFFIX = "-back"


@dataclass(frozen=True, slots=True)
class _Done:
    """Which changes of the move were begun, and so have to be taken back."""

    published: bool
    lowered: bool
    apexed: bool
    switched: bool
    raised: bool
    ended: bool

    @property
    def led_away(self) -> bool:
        """Whether any cache may have been led to the new side."""
        return self.apexed or self.switched


def draft_retreat(move: Runbook, begun: set[str], now: float) -> Runbook:
    """The runbook of the way back. ``begun``: steps of the move with an outcome, or of which it is not known how they ended."""
    done = _Done(*(step in begun for step in (PUBLISH, LOWER, APEX, SWITCH, RAISE, END)))
    low = _apex_ttl(move, PUBLISH)
    premises = {**move.premises, "beginning": _beginning(move, done, low)}
    return Runbook(move.id + SUFFIX, RETREAT, move.domain, now, move.margin, premises, tuple(_steps(move, done, low)))


def _apex_ttl(move: Runbook, step: str) -> int:
    return int(move.step(step).details["apex_ttl"])


def _final_ttl(move: Runbook) -> int:
    return int(move.step(RAISE).details["ttl"])


def _beginning(move: Runbook, done: _Done, low: int) -> dict[str, Any]:
    return {
        "delegated": str(Which.NEW if done.switched else Which.OLD),
        "old_apex": str(Which.NEW if done.apexed else Which.OLD),
        "new_apex": str(Which.NEW),
        "old_apex_ttl": low if done.lowered else int(move.premises["apex_ns_ttl"]),
        "new_apex_ttl": _final_ttl(move) if done.raised else low,
        "old_content": str(Content.NOTHING if done.ended else Content.WHOLE),
        "new_content": str(Content.WHOLE if done.published else Content.NOTHING),
    }


def _steps(move: Runbook, done: _Done, low: int) -> Iterator[Step]:
    premises = move.premises
    old, new = str(premises["from"]), str(premises["to"])
    if done.ended:
        yield Step(
            "restore", f"Publish the zone at {old} again", "publish", (f"the zone can be created at {old}",),
            f"every server of {old} answers with it", "leave it", changes=True, estimate=10,
            details={"side": "old", "ns": "old", "apex_ttl": low},
        )  # fmt: skip
    if done.led_away:
        yield from _leave_new_side(move, done, low)
    if done.lowered:
        ttl = int(premises["apex_ns_ttl"])
        yield Step(
            "raise-old", f"Raise the TTL of the NS set at {old} to {ttl} again", "apex", (),
            f"every server of {old} hands it out with {ttl}",
            f"lower it to {low}", changes=True, estimate=10, details={"side": "old", "ns": "old", "ttl": ttl},
        )  # fmt: skip
    if done.published:
        yield Step(
            "end-new", f"End the service at {new}", "end", ("nobody is led there any more",), f"no server of {new} answers for the domain",
            "publish it there again", changes=True, estimate=5, details={"side": "new"},
        )  # fmt: skip


def _leave_new_side(move: Runbook, done: _Done, low: int) -> Iterator[Step]:
    premises = move.premises
    old, new, caution = str(premises["from"]), str(premises["to"]), _caution(premises, move.margin)
    if done.raised:
        yield Step(
            "lower-new", f"Lower the TTL of the NS set at {new} to {low}", "apex", (), f"every server of {new} hands it out with {low}",
            "raise it again", changes=True, estimate=10, details={"side": "new", "ns": "new", "ttl": low},
        )  # fmt: skip
    if done.apexed and not done.ended:
        yield _apex("apex-old", old, "old", low)
    waits: tuple[Wait, ...] = lowering("lower-new", _final_ttl(move), low, "the new NS set", caution) if done.raised else ()
    yield Step(
        "ready-back", "Check that the old side is ready for everybody", "ready",
        (f"every server of {old} answers with its own NS set", "nothing was edited on one side only"),
        "every server, every address, the same contents on both sides", "nothing to take back", waits, details={"ns": "old"},
    )  # fmt: skip
    yield _apex("apex-new", new, "new", low)
    if done.switched:
        yield Step(
            "switch-back", f"Set the NS set at the registrar {premises['registrar']} back to {old}'s", "switch",
            (f"every server of {old} answers for the zone with its own NS set",), "the registry holds exactly the old set",
            "switch again", changes=True, estimate=2, details={"ns": "old"},
        )  # fmt: skip
        yield Step(
            "parents-back", f"See the old NS set on every server of .{premises['parent_zone']}", "parents", (),
            "every address of every parent server hands out exactly the old set", "nothing to take back",
            estimate=move.step("parents").estimate, details={"ns": "old"},
        )  # fmt: skip
    yield Step(
        "confirm-back", "Confirm parent, child, registrar and all resolvers", "confirm", ("no new NS left over anywhere",),
        "all agree on the old NS set", "nothing to take back", tuple(_until_left(move, done, low, caution)), details={"ns": "old"},
    )  # fmt: skip


def _apex(ident: str, provider: str, side: str, low: int) -> Step:
    return Step(
        ident, f"Set the NS set at {provider} to the old one", "apex", (), f"every server of {provider} hands out the old NS set",
        "set it to the new one again", changes=True, estimate=10, details={"side": side, "ns": "old", "ttl": low},
    )  # fmt: skip


def _until_left(move: Runbook, done: _Done, low: int, caution: Caution) -> Iterator[Wait]:
    """Rule 4 with the roles exchanged: nobody asks the new servers any more."""
    final = _final_ttl(move) if done.raised else low
    if done.switched:
        facts = Delegation(
            str(move.premises["parent_zone"]), "parents-back", "apex-new", "lower-new" if done.raised else None,
            int(move.premises["parent_ttl"]), low, final,
        )  # fmt: skip
        for wait in delegation_change(facts, caution):
            yield Wait(wait.after, wait.seconds, wait.slack, wait.rule, wait.because.replace("the old NS set", "the new NS set"))
        return
    yield from changed_rrset("the new NS set", [("apex-new", low)], caution)


def _caution(premises: Mapping[str, Any], margin: int) -> Caution:
    return Caution(int(premises["floor"]), int(premises["time_out"]), margin)
