"""``legatum explain SLUG``"""

import argparse

from legatum.cli.program.common import OK, add_common, show


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("slug", nargs="?", metavar="SLUG", help="a finding's name; without one all are listed")
    add_common(parser, settings=False)


def run(args: argparse.Namespace) -> int:
    from legatum.core.running.fault import BadInput
    from legatum.core.text.nearest import nearest
    from legatum.views.explain import KINDS, FindingListDocument, explain_document, show_explain, show_list

    if args.slug is None:
        listing = FindingListDocument(findings=[explain_document(kind) for kind in KINDS.values()])
        show(args, listing, lambda screen: show_list(listing, screen))
        return OK
    if args.slug not in KINDS:
        near = nearest(args.slug, KINDS, 3)
        raise BadInput(
            f"no finding '{args.slug}'",
            f"did you mean {' or '.join(near)}?" if near else "`legatum explain` lists them all",
        )
    document = explain_document(KINDS[args.slug])
    show(args, document, lambda screen: show_explain(document, screen))
    return OK
