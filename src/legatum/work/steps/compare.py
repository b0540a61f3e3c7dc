"""Every answer of the old side's servers against the new side's, server by server."""

from legatum.core.fault import GateShut
from legatum.core.name import name_text
from legatum.core.rrtype import type_text
from legatum.core.runbook import Outcome
from legatum.work.compare import AnswersComparison, addresses_by_side, compare_answers
from legatum.work.contents import read_master_file
from legatum.work.steps.action import Action, Job


class Compare(Action):
    async def perform(self) -> Outcome:
        compared = await compare_sides(self.job)
        require_equal(self.job, compared)
        now = self.now()
        asked = f"{compared.questions} questions to each of {len(compared.sides)} addresses"
        summary = f"{asked}: {same_text(compared)}; only SOA and NS at the apex differ"
        return self.outcome(now, now, summary, questions=compared.questions, addresses=len(compared.sides))


async def compare_sides(job: Job) -> AnswersComparison:
    """All servers of both sides, asked everything that the gathered zone gives rise to."""
    zone = read_master_file(job.zone_file, job.domain).zone
    sides = await addresses_by_side(job.outside, {job.old.name: job.old.servers, job.new.name: job.new.servers})
    return await compare_answers(job.outside, zone, sides, job.provider(job.target).name)


def same_text(compared: AnswersComparison) -> str:
    """What was found of two sides of which neither is worse."""
    return f"the same answers, but {compared.told}" if compared.told else "the same answers"


def require_equal(job: Job, compared: AnswersComparison) -> None:
    """Raises :class:`GateShut` when visitors would be worse off at the side that they are led to."""
    if compared.worse:
        first = compared.worse[0]
        where = "; ".join(f"{said.outcome} from {', '.join(addresses)}" for said, addresses in first.said.items())
        domain = name_text(job.domain)
        raise GateShut(
            f"{len(compared.worse)} answers differ ({first.weight}), first {name_text(first.name)} {type_text(first.rtype)}: {where}",
            f"see them all: `legatum compare {job.old.name} {job.new.name} --domain {domain} --answers`; "
            f"after an edit: `legatum move advance {domain} --again gather`",
        )
