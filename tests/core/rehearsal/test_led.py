"""Sets that name hosts, and SPF records: who has one goes by it as long as its TTL, and what it leads to has to be
there all that time."""

from dataclasses import replace

import pytest

from legatum.core.calendar.timing import Wait
from legatum.core.moves.effects import Records, RRsetChange
from legatum.core.moves.kinds.leftovers import Leftovers
from legatum.core.moves.plan import draw
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.records.name import below, name_text
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import CNAME, MX, SRV, A
from legatum.core.rehearsal import rehearse
from tests.core.moves.drawn import AT, DOMAIN, MARGIN, ZONE, plan, plan_input

OLD, NEW = below("mail", DOMAIN), below("mail2", DOMAIN)
NEGATIVE, SLACK = 1800, 5  # of the zone; a question under way
MX_OLD = ZONE.get(DOMAIN, MX)
assert MX_OLD is not None


def to(rtype: int) -> RRset:
    """A set of that type that leads to the new host."""
    data = {MX: b"\0\x0a" + NEW, SRV: bytes(6) + NEW, CNAME: NEW}[rtype]
    return rrset(DOMAIN if rtype == MX else below("x", DOMAIN), rtype, 3600, [data])


def changing(*steps: tuple[str, RRsetChange, tuple[str, int] | None]) -> Runbook:
    """Steps that change one set each at alder; with the step, and for how long after it, that they wait for."""
    runbook = plan("ttl")
    followed = [each for each in (MX_OLD, ZONE.get(OLD, A)) if each is not None]
    served = [
        replace(each, rrsets=(*each.rrsets, *followed)) if each.place == "alder" else each
        for each in runbook.premises.served
    ]
    made = [
        Step(
            ident, ident, (Records("alder", DOMAIN, (change,)),), (), "", "",
            waits=(Wait(after[0], after[1], SLACK, 2, "it is so until {at}"),) if after else (),
        )
        for ident, change, after in steps
    ]  # fmt: skip
    return replace(runbook, premises=replace(runbook.premises, served=tuple(served)), steps=tuple(made), margin=0)


HOST = RRsetChange(None, rrset(NEW, A, 7200, [bytes((192, 0, 2, 26))]))


@pytest.mark.parametrize("rtype", [MX, SRV, CNAME])
def test_a_set_leads_to_no_host_that_is_not_known_to_be_there(rtype: int) -> None:
    lead = RRsetChange(MX_OLD if rtype == MX else None, to(rtype))
    hasty = rehearse(changing(("lead", lead, None), ("host", HOST, None)), {}, AT)
    assert any(
        "looks for the address of mail2.kilnandclay.example, and there is none" in each.story[-1]
        for each in hasty.counterexamples
    )
    assert rehearse(changing(("host", HOST, None), ("lead", lead, ("host", NEGATIVE))), {}, AT).safe
    (short,) = rehearse(changing(("host", HOST, None), ("lead", lead, ("host", NEGATIVE - 2))), {}, AT).counterexamples[
        :1
    ]
    assert short.step == "lead" and "when everybody who has it finds mail2" in short.remedy


def test_the_host_of_before_stays_until_nobody_has_what_leads_to_it() -> None:
    lead, gone = RRsetChange(MX_OLD, to(MX)), RRsetChange(ZONE.get(OLD, A), None)
    ready = (("host", HOST, None), ("lead", lead, ("host", NEGATIVE)))
    assert rehearse(changing(*ready, ("gone", gone, ("lead", 3600))), {}, AT).safe
    (short,) = rehearse(changing(*ready, ("gone", gone, ("lead", 3600 - 2))), {}, AT).counterexamples[:1]
    assert short.step == "gone" and f"{name_text(DOMAIN)} MX, to keep for 3600 s" in short.story[-2]


def test_mail_comes_from_a_new_address_when_nobody_has_an_spf_record_without_it() -> None:
    runbook = plan("address")
    assert rehearse(runbook, {}, AT).safe
    cut = [replace(each, waits=tuple(wait for wait in each.waits if wait.after != "senders")) for each in runbook.steps]
    (found,) = rehearse(replace(runbook, steps=tuple(cut)), {}, AT).counterexamples[:1]
    assert found.step == "address" and "mail comes from 192.0.2.99, which is not in it" in found.story[-1]
    exact = [
        replace(
            each,
            waits=tuple(
                replace(wait, seconds=wait.seconds - MARGIN) if wait.after == "senders" else wait for wait in each.waits
            ),
        )
        if each.id == "address"
        else each
        for each in runbook.steps
    ]
    assert rehearse(replace(runbook, steps=tuple(exact)), {}, AT).safe


def test_what_nothing_uses_is_taken_away_hosts_last() -> None:
    removed = tuple((each, None) for each in (MX_OLD, ZONE.get(OLD, A)) if each is not None)
    runbook = draw(plan_input(), "m1", "leftovers", [Leftovers(removed)])
    assert [each.id for each in runbook.steps] == ["records", "records-led-to"] and rehearse(runbook, {}, AT).safe
    hasty = replace(runbook, steps=tuple(replace(each, waits=()) for each in runbook.steps))
    assert "looks for the address of mail.kilnandclay.example" in rehearse(hasty, {}, AT).counterexamples[0].story[-1]
