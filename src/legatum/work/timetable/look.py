"""Every server asked for everything that matters to a timetable, with TTLs."""

from collections.abc import Sequence
from dataclasses import dataclass

from legatum.core.agreement.soundness import Given
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrtype import A
from legatum.core.running.fault import BadInput, OutsideFault
from legatum.core.timetable.observed import (
    mail_questions,
    of_absence,
    of_answers,
    of_delegation,
    of_hosts,
    of_servers,
    usual_questions,
    with_held,
)
from legatum.core.timetable.question import PlannedChange, refuse_strange
from legatum.core.timetable.subject import Role, Subject
from legatum.work.look.asking.answers import ask_servers
from legatum.work.look.asking.wanted import Wanted
from legatum.work.look.server import unmade_name
from legatum.work.memory import held_copies, note_look
from legatum.work.run_context import RunContext
from legatum.work.verdicts.survey import survey

_RULE_OF_PARTS = 15


@dataclass(frozen=True, slots=True)
class Looked:
    """``not_looked_at``: in words."""

    observation: Observation
    matters: tuple[Subject, ...]
    not_looked_at: tuple[str, ...]


async def look(context: RunContext, domain: Name, change: PlannedChange) -> Looked:
    """Raises :class:`OutsideFault` where nobody answers for it, and as :func:`~legatum.work.verdicts.survey.survey`."""
    observation = (await survey(context, domain, wanted=Wanted(resolvers=False, rdap=False))).observation
    if observation.domain != domain:
        raise BadInput(
            f"{name_text(domain)} lies in the zone {name_text(observation.domain)}",
            "name that domain; --change asks of one name",
        )
    refuse_strange(change, domain)
    if not observation.serving and (change.names or not observation.delegation):
        raise OutsideFault(
            f"no server answers for {name_text(domain)}: no TTL of its own is to be seen",
            f"`legatum survey {name_text(domain)}` says what is wrong",
        )
    left_out = context.asker.patience.reach.left_out
    if not observation.serving:
        left_out.append("what the domain's own servers give: none of them answers for it")
    if change.names:
        given = await ask_servers(context, observation, change.questions)
        matters = _of_names(observation, given, change)
        if change.removed is not None or change.part is not None:
            left_out.append("types of the name beside A, AAAA, CNAME, MX, NS, TXT, SRV, CAA and TLSA")
        if change.part is not None:
            left_out.append(f"names below {name_text(change.part)}: the longest TTL of them counts too")
    else:
        given = await _usual(context, observation)
        matters = _of_all(observation, given)
        left_out.append("names other than the domain itself, its mail and www: --change 'NAME TYPE'")
    note_look(context, observation, given)
    held = with_held(matters, held_copies(context, domain), context.clock.now(), context.caution)
    return Looked(observation, tuple(held), tuple(left_out))


async def _usual(context: RunContext, observation: Observation) -> list[Given]:
    """What visitors are led by, and a name that nobody made."""
    given = await ask_servers(
        context, observation, [*usual_questions(observation.domain), (unmade_name(observation.domain), A)]
    )
    return given + await ask_servers(context, observation, mail_questions(observation.domain, given))


def _of_all(observation: Observation, given: Sequence[Given]) -> list[Subject]:
    answers = [each for each in given if each.name != unmade_name(observation.domain)]
    parts = (
        of_delegation(observation),
        of_servers(observation),
        of_hosts(observation),
        of_answers(observation, answers),
        of_absence(observation, given),
    )
    return [each for part in parts for each in part]


def _of_names(observation: Observation, given: Sequence[Given], change: PlannedChange) -> list[Subject]:
    matters: list[Subject] = []
    for name in dict.fromkeys(change.names):
        own = [each for each in given if each.name == name]
        matters += _of_one(observation, own, name, change)
    if change.part is not None:
        matters = [each for each in of_delegation(observation) if each.role == Role.DS] + matters
    return matters


def _of_one(observation: Observation, given: Sequence[Given], name: Name, change: PlannedChange) -> list[Subject]:
    """Of a name that comes, what was said of it until then: that it is not there, or a wildcard's answer."""
    rule = _RULE_OF_PARTS if name == change.part else 3 if name == change.added else 0
    answers = list(of_answers(observation, given, rule))
    if name in (change.removed, change.part):
        answers = [each for each in answers if each.name == name]  # not where its alias leads to
    absence = list(of_absence(observation, given, rule))
    if name in (change.added, change.part):
        return [*answers, *absence]
    if not answers:
        raise BadInput(
            f"{name_text(name)} is not there, or not of that type",
            f"a name that comes: --add {name_text(name)}; `legatum gather {name_text(observation.domain)}` "
            "has all there are",
        )
    return answers
