"""``legatum registration ds``: the DS set at the registrar"""

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from legatum.cli.common import note, with_outside
from legatum.cli.registration.ending import change_or_put_down, document_of, end, watch

if TYPE_CHECKING:
    from legatum.work.outside import Outside


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    parser = actions.add_parser("ds", help="change the DS set, once every server proves it")
    parser.add_argument("domain", metavar="DOMAIN")
    parser.add_argument("--registrar", metavar="NAME", required=True, help="a registrar of the settings")
    what = parser.add_mutually_exclusive_group(required=True)
    what.add_argument(
        "--set", dest="ds", metavar="DATA", action="append", help="'key tag, algorithm, digest type, digest'; one for each record"
    )
    what.add_argument("--none", action="store_true", help="no DS record any more: the domain goes unsigned")
    parser.add_argument("--anyway", action="store_true", help="even if a server does not serve the key, or does not sign with it")
    parser.add_argument("--wait", action="store_true", help="watch until every server of the parent zone hands it out")
    parser.add_argument("--sheet", metavar="FILE", help="by hand: the worksheet, .md or .html (default DOMAIN.ds.md)")
    yield parser, True


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda outside: _ds(args, outside))


async def _ds(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.observation.expected import parse_ds_text
    from legatum.core.records.name import name_text, parse_domain
    from legatum.core.records.presentation import rdata_text
    from legatum.core.records.rrtype import DS
    from legatum.views.sheet import ds_sheet
    from legatum.work.registry.ds_set import change_ds, ds_ttl, held_ds, keys_of, refuse_unproven, wait_until_ds

    domain, registrar = parse_domain(args.domain), outside.registrar(args.registrar)
    wanted = sorted({parse_ds_text(text) for text in args.ds or ()})
    before = sorted(await held_ds(outside, registrar, domain))
    texts = [[rdata_text(DS, each) for each in some] for some in (before, wanted)]
    document = document_of(args, domain, registrar, texts[0], texts[1])
    if before != wanted:
        if not args.anyway and (count := await refuse_unproven(outside, domain, wanted)):
            note(args, f"{count} addresses of the zone's servers serve the key of each DS, and sign with it")
        if not wanted and before:
            note(
                args, f"signatures must stay until {await ds_ttl(outside, domain)} s after the last parent's server is without DS (rule 7)"
            )

        async def sheet() -> str:
            return ds_sheet(domain, registrar.name, registrar.page, before, wanted, await keys_of(outside, domain, wanted))

        lines = [f"- {each}" for each in texts[0] if each not in texts[1]] + [f"+ {each}" for each in texts[1] if each not in texts[0]]
        title = f"DS set of {name_text(domain)} at {registrar.name}"
        await change_or_put_down(args, document, registrar, title, lines, sheet, lambda: change_ds(outside, registrar, domain, wanted))
    await watch(args, document, lambda told: wait_until_ds(outside, domain, before, wanted, told))
    return end(args, document)
