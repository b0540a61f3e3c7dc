"""What everybody who answers for a domain gives for a name, signatures and all."""

from collections.abc import Iterable

from legatum.core.agreement.soundness import Given
from legatum.core.observation.observation import Observation, ServerView
from legatum.core.records.name import Name, name_text
from legatum.net.asking.reply import Reply
from legatum.net.side_by_side import together
from legatum.work.run_context import RunContext


async def ask_servers(context: RunContext, observation: Observation, wanted: Iterable[tuple[Name, int]]) -> list[Given]:
    """What every address that answers for the domain gives, signatures and all."""

    async def child(view: ServerView, name: Name, rtype: int) -> Given:
        reply = await context.asker.ask(view.address, name, rtype, dnssec=True)
        return given("child", f"{name_text(view.server)} ({view.address})", view.address, reply)

    return await together(child(view, *key) for key in wanted for view in observation.serving)


def given(party: str, who: str, address: str, reply: Reply) -> Given:
    return Given(
        party,
        who,
        address,
        reply.name,
        reply.rtype,
        reply.outcome,
        reply.rcode,
        reply.authoritative,
        reply.answer,
        reply.authority,
    )
