"""``legatum publish DOMAIN --to PROVIDER``"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.common import OK, SHUT, add_changing, add_common, agreed, note, show, with_outside

if TYPE_CHECKING:
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", metavar="DOMAIN")
    parser.add_argument("--to", required=True, metavar="PROVIDER", help="a provider of the settings")
    parser.add_argument(
        "--from", dest="source", required=True, metavar="PLACE", help="what to publish: a master file, a provider, or server:ADDRESS"
    )
    parser.add_argument("--ns-ttl", metavar="DURATION", help="TTL of the NS set there (default: as at the source)")
    add_changing(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.duration import parse_duration
    from legatum.core.name import parse_domain

    domain = parse_domain(args.domain)
    ns_ttl = parse_duration(args.ns_ttl) if args.ns_ttl else None

    async def work(outside: "Outside") -> int:
        from legatum.core.name import name_text
        from legatum.views.publish import change_lines, publish_document, show_publish
        from legatum.work.contents import contents_of
        from legatum.work.publish import plan, publish

        contents = await contents_of(outside, args.source, domain)
        provider = outside.provider(args.to)
        publication = await plan(outside, provider, contents.zone, ns_ttl, create=not args.dry_run)
        state, done = "unchanged", None
        if publication.is_needed:
            title = f"{name_text(domain)} at {provider.name}, old → new:"
            if agreed(args, title, change_lines(publication)):
                note(args, "publishing, then waiting until every server answers with the new serial …")
                state, done = "published", await publish(outside, publication)
            else:
                state = "shown" if args.dry_run else "declined"
        document = publish_document(publication, state, done)
        show(args, document, lambda screen: show_publish(document, screen))
        return SHUT if state == "declined" else OK

    return with_outside(args, work)
