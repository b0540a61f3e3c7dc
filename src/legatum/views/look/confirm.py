"""One verdict: does everybody agree?"""

from typing import TYPE_CHECKING

from legatum.core.agreement.verdict import Check, Verdict
from legatum.core.calendar.instant import clock_text, instant_text, people_text
from legatum.core.observation.unseen import ELSEWHERE
from legatum.core.records.name import name_text
from legatum.views.document import Document, Part
from legatum.views.everywhere import EverywherePart, everywhere_part, show_everywhere
from legatum.views.screen import BAD, DOUBT, QUIET, Screen

if TYPE_CHECKING:
    from legatum.core.house.everywhere import Everywhere


class CheckPart(Part):
    party: str
    who: str
    about: str
    agrees: bool
    fault: bool
    said: str
    until: str | None
    because: str
    why: str = ""


class ConfirmDocument(Document, tag="legatum.confirm/1"):
    """``until``: so long a difference is within what TTLs and timers allow; after that it is a ``fault``. ``pending``:
    nothing differs but what may still. ``because``: the fault of the domain's that makes a resolver fail; ``why``: what
    is remembered, and makes a difference normal until then; ``not_looked_at``: what this verdict does not speak of."""

    domain: str
    at: str
    confirmed: bool
    pending: bool
    expected: list[str]
    checks: list[CheckPart]
    not_looked_at: list[str]
    everywhere: EverywherePart | None = None


class ConfirmListDocument(Document, tag="legatum.confirm-list/1"):
    """Verdicts about several domains, in the order asked for."""

    verdicts: list[ConfirmDocument]


def confirm_document(verdict: Verdict, everywhere: "Everywhere | None" = None) -> ConfirmDocument:
    """``everywhere``: the same from other networks too; then it is confirmed only where it is so from all of them."""
    left = (
        list(verdict.not_looked_at)
        if everywhere is None
        else [each for each in verdict.not_looked_at if each != ELSEWHERE]
    )
    return ConfirmDocument(
        everywhere=everywhere_part(everywhere) if everywhere is not None else None,
        domain=name_text(verdict.domain),
        at=instant_text(verdict.at),
        confirmed=verdict.confirmed and (everywhere is None or everywhere.good),
        pending=not verdict.confirmed and not verdict.faults and bool(verdict.checks),
        expected=[name_text(name) for name in verdict.expected],
        checks=[_check(each, each in verdict.faults) for each in verdict.checks],
        not_looked_at=left,
    )


def _check(each: Check, fault: bool) -> CheckPart:
    until = instant_text(each.until) if each.until is not None else None
    return CheckPart(
        party=each.party, who=each.who, about=each.about, agrees=each.agrees, fault=fault, said=each.said, until=until,
        because=each.because, why=each.why,
    )  # fmt: skip


def verdict_lines(verdict: Verdict) -> tuple[str, str]:
    """The verdict in plain words, and what to do next."""
    domain, wrong, faults = name_text(verdict.domain), verdict.disagreeing, verdict.faults
    wanted = f" on {', '.join(name_text(name) for name in verdict.expected)}" if verdict.expected else ""
    if verdict.confirmed:
        return f"{domain}: confirmed. All {len(verdict.checks)} checks agree{wanted}", ""
    if not verdict.checks:
        return f"{domain}: nobody could be asked", "is the network up, and are the roots in the settings right?"
    if not faults:
        last = max(each.until or 0 for each in wrong)
        why = next((each.why for each in wrong if each.why), "")
        told = (
            f": normal until {clock_text(last, verdict.at)}. {why}"
            if why
            else ", within what their TTLs and timers allow"
        )
        text = f"{domain}: not yet. {len(wrong)} of {len(verdict.checks)} still differ{told}"
        return text, f"ask again after {people_text(last, verdict.at)}; what differs then is a fault"
    first = faults[0]
    where = f"{first.party} {first.who}, {first.about}: {first.said}"
    text = f"{domain}: not confirmed. {len(faults)} of {len(verdict.checks)} checks are not right; first: {where}"
    led = sum(bool(each.because) for each in faults)
    if led:
        return (
            f"{text} - {led} checks at resolvers fail because of that",
            f"mend it at the {first.party}, {first.who}, not at the resolvers",
        )
    if first.party == "resolver":
        lately = ""
        if verdict.parent_ttl is not None:
            until = clock_text(verdict.at + verdict.parent_ttl, verdict.at)
            lately = f" If the delegation was changed lately, wait: an old copy is kept until {until} at the longest."
        return text, f"nothing is wrong at the servers looked at: look at {first.who}, or wait for its cache.{lately}"
    return text, f"mend it at the {first.party}, {first.who}; `legatum survey {domain}` says more"


def show_confirm(verdict: Verdict, everywhere: "Everywhere | None", screen: Screen) -> None:
    text, following = verdict_lines(verdict)
    if everywhere is not None and not everywhere.good:
        text = (
            f"{name_text(verdict.domain)}: not confirmed from everywhere. {everywhere.text}"
            if verdict.confirmed
            else text
        )
        following = following or "see below who sees it how, and look at the way there"
    screen.verdict(verdict.confirmed and (everywhere is None or everywhere.good), text, following)
    if everywhere is not None:
        show_everywhere(everywhere_part(everywhere), screen)
    screen.line()
    rows = [(each.party, each.who, each.about, _word(each, verdict), each.said) for each in verdict.disagreeing]
    styles = [BAD if each in verdict.faults else DOUBT for each in verdict.disagreeing]
    # Who agrees is told in a line for each thing that was compared: the others are what one looks for.
    alike: dict[tuple[str, str, str], list[Check]] = {}
    for each in verdict.checks:
        if each.agrees:
            alike.setdefault((each.party, each.about, each.said), []).append(each)
    for (party, about, said), some in alike.items():
        rows.append((party, some[0].who if len(some) == 1 else f"{len(some)} of them", about, "agrees", said))
        styles.append("")
    screen.table(("party", "who", "what", "verdict", "says"), rows, styles)
    if left := confirm_document(verdict, everywhere).not_looked_at:
        screen.line()
        screen.line(f"Not looked at: {'; '.join(left)}", QUIET, indent=15)


def _word(each: Check, verdict: Verdict) -> str:
    if each.agrees:
        return "agrees"
    if each.because:
        return "fails because of the domain"
    if each.until is None:
        return "differs: a fault"
    if each.until <= verdict.at:
        return f"differs: a fault since {people_text(each.until, verdict.at)}"
    return f"expected until {people_text(each.until, verdict.at)}, then it is a fault"
