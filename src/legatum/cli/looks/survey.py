"""```legatum survey DOMAIN```"""

import argparse
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.looks.everywhere import add_viewpoints, look_everywhere, wants_viewpoints
from legatum.cli.looks.visit import add_places, new_places
from legatum.cli.program.common import (
    FOUND,
    OK,
    add_common,
    add_form,
    keep_apart,
    note,
    remember,
    remember_chain,
    run_interruptibly,
    show,
    tell_under_way,
    with_outside,
)  # fmt: skip

if TYPE_CHECKING:
    from legatum.core.house.everywhere import Everywhere
    from legatum.core.records.name import Name
    from legatum.core.running.fault import OutsideFault
    from legatum.net.keeping.recording import Recording
    from legatum.views.look.survey import SurveyDocument
    from legatum.work.look.asking.wanted import Wanted
    from legatum.work.run_context import RunContext
    from legatum.work.services.views import Compared
    from legatum.work.verdicts.survey import Survey


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", nargs="*", metavar="DOMAIN")
    parser.add_argument("--registrar", metavar="NAME", help="also what this registrar's account at the registry holds")
    parser.add_argument("--no-resolvers", action="store_true", help="leave the resolvers of the settings alone")
    parser.add_argument("--no-rdap", action="store_true", help="leave registration data alone")
    parser.add_argument(
        "--former", metavar="PROVIDER", help="after a switch: also what this provider's servers still say"
    )
    parser.add_argument(
        "--leftovers",
        action="store_true",
        help="what nothing uses any more: zones, hosts, names, DS, records (with --former too)",
    )
    parser.add_argument(
        "--tenants", metavar="FILE", help="with it: a table of domains and templates, to find records of other ones"
    )
    parser.add_argument(
        "--change-at", metavar="WHEN", help="when a change of name servers is planned: RFC 3339, or from now such as 2h"
    )
    parser.add_argument("--transfer", action="store_true", help="the domain is to go to another registrar")
    parser.add_argument("--chain", action="store_true", help="also the chain of trust above it, from the root down")
    add_service(parser)
    add_places(parser)
    parser.add_argument(
        "--view", action="append", metavar="NAME", help="also the names as seen from this view of the settings"
    )
    parser.add_argument("--evidence", metavar="FILE", help="keep every reply")
    parser.add_argument("--from", dest="source", metavar="FILE", help="judge kept evidence again; nothing is asked")
    parser.add_argument("--pcap", metavar="FILE", help="the replies as a capture file for packet tools")
    parser.add_argument("--html", metavar="FILE", help="a report in one file, for the ticket")
    parser.add_argument(
        "--note", metavar="FILE", help="a letter to the customer, of one domain: what is wrong, what there is to do"
    )
    add_form(parser)
    add_viewpoints(parser)
    add_common(parser)


def add_service(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--service",
        action="store_true",
        help="also sites, mail and certificates, and what the names say of them; see `legatum visit DOMAIN`",
    )
    parser.add_argument(
        "--before", metavar="PLACE", help="with it: the zone as it was: a provider, a master file, server:ADDRESS"
    )


def require_service(args: argparse.Namespace) -> None:
    """Raises :class:`BadInput`."""
    from legatum.core.running.fault import BadInput

    for option in ("before", "at", "mail_at"):
        if getattr(args, option, None) and not args.service:
            raise BadInput(
                f"--{option.replace('_', '-')} without --service",
                "it is of the services behind the names: add --service",
            )


def run(args: argparse.Namespace) -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput, OutsideFault

    if bool(args.domain) == bool(args.source):
        raise BadInput("survey wants domains, or --from FILE", "`legatum survey DOMAIN`")
    require_service(args)
    keep_apart(
        {"the evidence that is judged": args.source},
        {"--evidence": args.evidence, "--html": args.html, "--pcap": args.pcap},
    )
    if args.source:
        return run_interruptibly(_again(args))
    domains = [parse_domain(text) for text in args.domain]
    if args.note and len(domains) != 1:
        raise BadInput("--note is of one domain", "name one")
    if args.note:
        from legatum.views.letters.letter import form_of

        form_of(args.note, args.form)

    async def work(context: "RunContext") -> int:
        from legatum.net.keeping.recording import Recording, write_recording
        from legatum.work.verdicts.recorded import recording_of
        from legatum.work.verdicts.survey import survey, whole_chain, with_service

        wanted = await _wanted(args, context)
        surveys, recordings = [], list[Recording]()
        for domain in domains:
            try:
                found = await survey(context, domain, args.registrar, wanted)
            except OutsideFault as fault:
                return await _through_resolver(args, context, domains, fault)
            if args.chain:
                found = replace(found, chain=remember_chain(args, context, await whole_chain(context, found)))
            if args.service:
                found = await with_service(
                    context, found, args.before or "", new_places(args, found.observation.domain)
                )
            found = replace(found, views=await _seen_from(args, context, found.observation.domain))
            if args.leftovers or args.former:
                from legatum.work.left_behind import with_leftovers

                found = await with_leftovers(context, found, args.registrar or "", args.tenants or "")
            recordings.append(recording_of(context, wanted, found))
            if wants_viewpoints(args):
                found = replace(found, everywhere=await _from_everywhere(args, context, found, wanted, recordings))
            surveys.append(found)
            _tell(args, found)
            if not found.observation.delegation:
                _propose(args, context, found.observation.domain)
            remember(args, context, [(found.observation, found.findings)])
            tell_under_way(args, context, found.observation.domain)
        if args.evidence:
            write_recording(Path(args.evidence), recordings)
            note(args, f"evidence: {args.evidence}")
        if args.note:
            _write_letter(args, context, surveys[0])
        return _finish(args, surveys)

    return with_outside(args, work)


async def _through_resolver(
    args: argparse.Namespace, context: "RunContext", domains: "list[Name]", fault: "OutsideFault"
) -> int:
    """Where a resolver is the only way out: what it has of each domain, and that it is no survey; the exit status.
    Raises other faults."""
    from legatum.cli.program.main import told
    from legatum.views.look.through import show_through, through_document
    from legatum.work.look.through import OnlyResolver, look_through

    if not isinstance(fault, OnlyResolver):
        raise fault
    document = through_document([await look_through(context, domain, fault.name, fault.place) for domain in domains])
    show(args, document, lambda screen: show_through(document, screen))
    return told(fault, ())


def _write_letter(args: argparse.Namespace, context: "RunContext", found: "Survey") -> None:
    """For the customer, in her words."""
    from legatum.core.calendar.instant import instant_text
    from legatum.core.house.letter import of_survey
    from legatum.core.records.name import unicode_text
    from legatum.views.letters.letter import form_of, letter_text, write_letter

    observation, now = found.observation, context.clock.now()
    until = max((each.until for each in observation.kept if each.until > now), default=0.0)
    findings = [(each.kind.slug, str(each.kind.severity)) for each in found.findings]
    letter = of_survey(
        unicode_text(observation.domain), bool(observation.delegation), findings, instant_text(until) if until else ""
    )
    write_letter(
        args.note,
        letter_text(letter, form_of(args.note, args.form), now, context.letters, context.settings.house.operator),
    )
    if args.note != "-":
        note(args, f"letter to the customer: {args.note}")


def _propose(args: argparse.Namespace, context: "RunContext", domain: "Name") -> None:
    """Of a domain that nobody delegates: one of the house's that is written nearly so."""
    from contextlib import suppress

    from legatum.core.records.name import name_text
    from legatum.core.running.fault import Fault
    from legatum.core.text.nearest import nearest
    from legatum.work.registry.hosts import known_domains

    with suppress(Fault):
        if near := nearest(name_text(domain), map(name_text, known_domains(context)), 1):
            note(args, f"did you mean {near[0]}?")


async def _seen_from(args: argparse.Namespace, context: "RunContext", domain: "Name") -> "tuple[Compared, ...]":
    """The views wanted, each beside what the world is given. Raises :class:`BadInput`."""
    if not args.view:
        return ()
    from legatum.work.services.views import PUBLIC, compare_views

    return tuple([await compare_views(context, domain, view, PUBLIC) for view in args.view])


async def _from_everywhere(
    args: argparse.Namespace, context: "RunContext", found: "Survey", wanted: "Wanted", recordings: "list[Recording]"
) -> "Everywhere":
    """What the viewpoints saw, judged here by what they give back; that is added to the recordings, marked as
    theirs."""
    from legatum.core.house.everywhere import of_picture
    from legatum.net.keeping.recording import parse_recording
    from legatum.views.look.survey import verdict_of
    from legatum.work.afar.remote_tasks import survey_there
    from legatum.work.verdicts.recorded import judged_again, marked

    async def read(place: str, text: str, doubts: str) -> "Survey":
        recording = marked(parse_recording(text, place)[0], place, doubts)
        recordings.append(recording)
        return await judged_again(recording, Path(place))

    def verdict(seen: "Survey") -> tuple[bool, str]:
        errors = any(each.kind.severity == "error" for each in seen.findings) or not seen.observation.delegation
        return not errors, verdict_of(seen.observation, seen.findings)[0]

    there = replace(wanted, rdap=False, former={})
    domain = found.asked_for or found.observation.domain
    return await look_everywhere(
        args, context, found, survey_there, (domain, there), lambda seen: of_picture(seen.observation), verdict, read
    )  # fmt: skip


async def _again(args: argparse.Namespace) -> int:
    from legatum.work.verdicts.recorded import survey_again

    surveys = await survey_again(Path(args.source))
    for found in surveys:
        _tell(args, found)
    return _finish(args, surveys)


async def _wanted(args: argparse.Namespace, context: "RunContext") -> "Wanted":
    from legatum.work.look.asking.wanted import Wanted

    former, change_at = {}, None
    if args.former:
        servers = await context.addresses(context.provider(args.former).servers)
        former = {address: name for name, addresses in servers.items() for address in addresses}
    if args.change_at:
        from legatum.core.calendar.instant import parse_instant_or_wait

        change_at = parse_instant_or_wait(args.change_at, context.clock.now())
    return Wanted(not args.no_resolvers, not args.no_rdap, former, change_at, args.transfer)


def _tell(args: argparse.Namespace, found: "Survey") -> None:
    """One survey for people, as soon as it is there."""
    from legatum.core.records.name import name_text

    if found.viewpoint:
        note(
            args, f"as seen from {found.viewpoint}{f', of which is to be said: {found.doubts}' if found.doubts else ''}"
        )
    if found.asked_for is not None:
        note(args, f"{name_text(found.asked_for)} lies in {name_text(found.observation.domain)}: that is looked at")
    if args.verbose:
        left_out = f", {found.observation.dropped} left out to spare the servers" if found.observation.dropped else ""
        note(args, f"{name_text(found.observation.domain)}: {found.observation.questions} questions{left_out}")
    if not args.json:
        # The view is loaded only now: the first question should not wait for it.
        from legatum.views.look.survey_text import show_survey

        document = _document(found)
        show(args, document, lambda screen: show_survey(document, screen, bool(args.verbose)))


def _document(found: "Survey") -> "SurveyDocument":
    from msgspec import structs

    from legatum.views.everywhere import with_everywhere
    from legatum.views.look.survey import survey_document

    document = survey_document(
        found.observation, found.findings, found.chain, found.service, found.views, found.leftovers, found.not_looked_at
    )
    document = structs.replace(document, viewpoint=found.viewpoint, doubts=found.doubts)
    return with_everywhere(document, found.everywhere) if found.everywhere is not None else document


def _finish(args: argparse.Namespace, surveys: "list[Survey]") -> int:
    documents = [_document(found) for found in surveys]
    if args.pcap:
        from legatum.net.keeping.capture import write_capture

        count = write_capture(Path(args.pcap), (reply for found in surveys for reply in found.evidence))
        note(args, f"capture: {args.pcap}, {count} packets")
    if args.html:
        from legatum.views.look.report import write_report

        write_report(
            Path(args.html), [(document, found.observation) for document, found in zip(documents, surveys, strict=True)]
        )
        note(args, f"report: {args.html}")
    if args.json:
        from legatum.views.look.survey import SurveyListDocument

        show(args, documents[0] if len(documents) == 1 else SurveyListDocument(surveys=documents), lambda _: None)
    errors = any(finding.severity == "error" for document in documents for finding in document.findings)
    errors = errors or not all(view.good for document in documents for view in document.views)
    errors = errors or not all(document.everywhere is None or document.everywhere.good for document in documents)
    return FOUND if errors or not all(document.delegation for document in documents) else OK
