"""One verdict: does everybody agree?"""

from legatum.core.instant import instant_text, people_text
from legatum.core.name import name_text
from legatum.core.verdict import Check, Verdict
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, DOUBT, Screen


class CheckPart(Part):
    party: str
    who: str
    agrees: bool
    said: str
    until: str | None


class ConfirmDocument(Document, tag="legatum.confirm/1"):
    """``until``: a resolver may keep its old copy until then; after that it is a fault."""

    domain: str
    at: str
    confirmed: bool
    expected: list[str]
    checks: list[CheckPart]


class ConfirmListDocument(Document, tag="legatum.confirm-list/1"):
    """Verdicts about several domains, in the order asked for."""

    verdicts: list[ConfirmDocument]


def confirm_document(verdict: Verdict) -> ConfirmDocument:
    return ConfirmDocument(
        domain=name_text(verdict.domain),
        at=instant_text(verdict.at),
        confirmed=verdict.confirmed,
        expected=[name_text(name) for name in verdict.expected],
        checks=[_check(each) for each in verdict.checks],
    )


def _check(each: Check) -> CheckPart:
    until = instant_text(each.until) if each.until is not None else None
    return CheckPart(party=each.party, who=each.who, agrees=each.agrees, said=each.said, until=until)


def show_confirm(verdict: Verdict, screen: Screen) -> None:
    domain, wanted = name_text(verdict.domain), ", ".join(name_text(name) for name in verdict.expected) or "no NS set"
    wrong = verdict.disagreeing
    if verdict.confirmed:
        screen.verdict(True, f"{domain}: confirmed. All {len(verdict.checks)} asked agree on {wanted}", "")
    elif not verdict.checks:
        screen.verdict(False, f"{domain}: nobody could be asked", "is the network up, and are the roots in the settings right?")
    else:
        first = wrong[0]
        late = [each for each in wrong if each.until is not None]
        following = (
            f"resolvers let go by themselves: ask again after {people_text(max(each.until or 0 for each in late), verdict.at)}"
            if len(late) == len(wrong)
            else f"mend it at the {first.party}, {first.who}; `legatum survey {domain}` says more"
        )
        text = f"{domain}: not confirmed. {len(wrong)} of {len(verdict.checks)} do not say {wanted}; first: {first.party} {first.who}"
        screen.verdict(False, text, following)
    screen.line()
    rows = [(each.party, each.who, "agrees" if each.agrees else "differs", each.said, _until(each, verdict.at)) for each in verdict.checks]
    styles = ["" if each.agrees else DOUBT if each.until else BAD for each in verdict.checks]
    screen.table(("party", "who", "verdict", "says", "within its TTL until"), rows, styles)


def _until(each: Check, now: float) -> str:
    return people_text(each.until, now) if each.until is not None else ""
