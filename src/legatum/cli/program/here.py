"""``legatum`` alone: what can be done where one stands. Nothing is asked outside."""

import asyncio

_MOST = 5


def tell_what_can_be_done() -> None:
    """In a few lines before the list of commands; a fault is one of them."""
    from legatum.core.running.fault import Fault

    try:
        lines = asyncio.run(_lines())
    except Fault as fault:
        lines = [fault.message, f"  {fault.remedy}"]
    print("\n".join(lines), end="\n\n")


async def _lines() -> list[str]:
    from legatum.settings.reading import find_settings
    from legatum.work.run_context import open_outside

    path = find_settings(None)
    if path is None:
        return [
            "no settings file yet, and none is needed to look: `legatum survey DOMAIN`",
            "  your servers and accounts: `legatum settings add provider NAME --serves DOMAIN`, then "
            "`legatum settings check`",
            "  to try everything by hand: `legatum practice start DIR`",
        ]
    async with open_outside(path) as context:
        held = (
            f"{len(context.providers)} providers, {len(context.registrars)} registrars, "
            f"{len(context.resolvers())} resolvers"
        )
        lines = [f"settings {path}: {held}; `legatum settings check` tries them out"]
        return [*lines, *_moves(context)]


def _moves(context: "object") -> list[str]:
    from legatum.core.calendar.instant import people_text
    from legatum.core.moves.standing import State
    from legatum.core.records.name import name_text
    from legatum.work.house import look_at_house
    from legatum.work.run_context import RunContext

    assert isinstance(context, RunContext)
    house = look_at_house(context)
    waiting = [each for each in house.standings if each.state in (State.TROUBLE, State.PERSON, State.READY)]
    holding = [each for each in house.standings if each.state == State.HOLDING]
    lines = []
    for each in waiting[:_MOST]:
        lines.append(
            f"  {name_text(each.domain)}: {each.state}: {each.title}; `legatum move advance {name_text(each.domain)}`"
        )
    if len(waiting) > _MOST:
        lines.append(f"  and {len(waiting) - _MOST} more moves: `legatum house`")
    if holding:
        first = min(each.not_before for each in holding if each.not_before is not None)
        count = f"{len(holding)} moves hold" if len(holding) > 1 else "1 move holds"
        lines.append(f"  {count}, the first until {people_text(first, house.at)}")
    return lines or [
        "  no move waits for anybody: `legatum inventory` says what there is, `legatum survey DOMAIN` how a "
        "domain stands"
    ]
