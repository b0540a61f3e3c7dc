"""Looking at a domain: every server of the parent zone, every address of every name server, resolvers, the registry.

What makes the picture and judges it is loaded while the first answers are on their way: the first question waits for nothing.
"""

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from legatum.core.fault import OutsideFault
from legatum.core.name import Name, name_text
from legatum.net.evidence import Evidence
from legatum.work.outside import Outside

if TYPE_CHECKING:
    from legatum.core.findings import Finding
    from legatum.core.picture import Picture, RegistrationView


@dataclass(frozen=True)
class Survey:
    """What was seen, what to think of it, and the replies that show it."""

    picture: "Picture"
    findings: "tuple[Finding, ...]"
    evidence: Evidence


async def survey(outside: Outside, domain: Name, registrar: str | None = None, resolvers: bool = True) -> Survey:
    """The whole truth about one domain. ``registrar``: also ask that account's registry. Raises :class:`OutsideFault` only
    where no server of the parent zone answers, so that nothing at all can be said.
    """
    evidence, walker, began = outside.evidence(), outside.walker(), outside.asker.asked
    try:
        cut = await walker.parent_of(domain)

        from legatum.core.findings import judge
        from legatum.work.looking import Look

        picture = await Look(outside, domain, evidence, walker, cut, began).picture(resolvers)
    finally:
        outside.asker.heard.remove(evidence)
    if not any(view.answered for view in picture.parents):
        asked = ", ".join(view.address for view in picture.parents) or "no address"
        raise OutsideFault(
            f"{name_text(domain)}: no server of {name_text(picture.parent_zone)} answers ({asked})",
            "is the network up, and are the roots in the settings right?",
        )
    if registrar:
        picture = replace(picture, registration=await registration_view(outside, registrar, domain))
    return Survey(picture, judge(picture), evidence)


async def registration_view(outside: Outside, registrar: str, domain: Name) -> "RegistrationView":
    """Raises :class:`OutsideFault` when the registry does not tell."""
    from legatum.core.picture import RegistrationView

    found = await outside.registrar(registrar).registration(domain)
    return RegistrationView(found.registrar, found.nameservers, found.statuses, found.expires)
